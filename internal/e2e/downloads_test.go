package e2e

import (
	"archive/tar"
	"archive/zip"
	"compress/gzip"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

const sheds = `format: 1
name: sheds
title: Sheds
places: {sheds: {path: sheds}}
kinds:
  shed:
    recognise: {marker: shed.toml}
    side: {file: shed.toml, at: /side}
    put: [{take: "**", place: sheds, as: "{name}/{path}"}]
`

// tarred writes a tar.gz; a text that begins with "->" is a symbolic link, with "=>" a hard one.
func tarred(t *testing.T, file string, entries [][2]string) string {
	t.Helper()
	f, err := os.Create(file)
	require.NoError(t, err)
	z := gzip.NewWriter(f)
	w := tar.NewWriter(z)
	for _, e := range entries {
		h := &tar.Header{Name: e[0], Mode: 0o644, Size: int64(len(e[1]))}
		switch {
		case strings.HasPrefix(e[1], "->"):
			h.Typeflag, h.Linkname, h.Size = tar.TypeSymlink, e[1][2:], 0
		case strings.HasPrefix(e[1], "=>"):
			h.Typeflag, h.Linkname, h.Size = tar.TypeLink, e[1][2:], 0
		}
		require.NoError(t, w.WriteHeader(h))
		if h.Size > 0 {
			_, err = w.Write([]byte(e[1]))
			require.NoError(t, err)
		}
	}
	require.NoError(t, w.Close())
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	return file
}

func TestDifficultDownloads(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "sheds.yaml", sheds))
	s.must("server", "add", "yard", "--rulebook", "sheds", "--folder", root)
	s.must("server", "test", "yard")
	in := func(name string) string { return filepath.Join(dl, name) }

	// Links inside the archive become copies, also of links and of folders.
	out := s.must("stage", tarred(t, in("linked.tar.gz"), [][2]string{
		{"linked/shed.toml", "side = \"both\"\n"}, {"linked/first.txt", "->real/one.txt"}, {"linked/hard.txt", "=>linked/real/one.txt"},
		{"linked/./real/one.txt", "one"}, {"linked/again", "->real"}, {"linked/chain.txt", "->first.txt"},
	}), "--for", "yard")
	require.Contains(t, out, "linked/first.txt is a link to linked/real/one.txt in the archive; it becomes a copy")
	s.must("deploy", "yard", "linked", "--yes")
	for _, name := range []string{"first.txt", "hard.txt", "chain.txt", "real/one.txt", "again/one.txt"} {
		require.Equal(t, "one", read(t, filepath.Join(root, "sheds/linked", name)), name)
	}
	for target, why := range map[string]string{"->/etc/passwd": "outside of the archive", "->../../x": "outside of the archive", "->nowhere": "not in the archive"} {
		o := s.fails(1, why, "stage", tarred(t, in("bad.tar.gz"), [][2]string{{"bad/shed.toml", ""}, {"bad/l", target}}), "--for", "yard")
		require.Contains(t, o.err, "unpack it yourself, look at what you get, and stage the folder")
	}

	// A zip with a link, a folder written with a backslash, an inner "./" and what desktops leave.
	f, err := os.Create(in("odd.zip"))
	require.NoError(t, err)
	z := zip.NewWriter(f)
	for _, e := range [][2]string{{"odd/shed.toml", "side = \"client\"\n"}, {`odd\deep\`, ""}, {"odd/./data/a.txt", "a"}, {"odd/deep/b.txt", "b"}, {"odd/link.txt", "deep/b.txt"},
		{"__MACOSX/odd/._shed.toml", "x"}, {"odd/deep/.DS_Store", "x"}, {"odd/data/Thumbs.db", "x"}, {"Anleitung.txt", "Zum Installieren den Ordner kopieren.\n"}, {"odd/end. /c.txt", "c"}} {
		h := &zip.FileHeader{Name: e[0], Method: zip.Deflate}
		h.SetMode(0o644)
		if e[0] == "odd/link.txt" {
			h.SetMode(os.ModeSymlink | 0o777)
		}
		w, err := z.CreateHeader(h)
		require.NoError(t, err)
		_, err = w.Write([]byte(e[1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	out = s.must("stage", in("odd.zip"), "--for", "yard")
	require.Contains(t, out, "3 files that a desktop has left in the archive stay out")
	require.Contains(t, out, "WARN  client-only: shed.toml says that odd is for players, not for servers (side: client)")
	require.Contains(t, out, "ends with a dot or a space")
	require.Contains(t, s.must("crate", "readme", "odd"), "Zum Installieren den Ordner kopieren.")
	require.Contains(t, s.must("crate", "show", "odd"), "left in the archive by a desktop; no server needs it")
	out = s.must("deploy", "yard", "odd", "--yes", "--accept", "author-says", "--accept", "players-only")
	require.Contains(t, out, "Zum Installieren den Ordner kopieren.")
	require.Equal(t, "b", read(t, filepath.Join(root, "sheds/odd/link.txt")))
	require.NotContains(t, strings.Join(filesOf(t, root), " "), ".DS_Store")

	// Of what no crate comes, the exit code tells.
	o := s.fails(3, "no crate was made of empty.zip", "stage", testbed.Zip(t, in("empty.zip"), nil), "--for", "yard")
	require.Contains(t, o.out, "empty.zip is empty: there is no file in it")
	o = s.fails(3, "no crate was made of strange.zip", "stage", testbed.Zip(t, in("strange.zip"), map[string]string{"x.bin": "x"}), "--for", "yard")
	require.Contains(t, o.out, "restless rulebook show sheds")
}

// A shed needs folders into which it writes, and its author packs them empty.
func TestAnEmptyFolderIsKept(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "sheds.yaml", sheds))
	s.must("server", "add", "yard", "--rulebook", "sheds", "--folder", root)
	for _, version := range []string{"1.0", "1.1"} {
		f, err := os.Create(filepath.Join(dl, "coop-"+version+".zip"))
		require.NoError(t, err)
		z := zip.NewWriter(f)
		names := []string{"coop/shed.toml", "coop/spool/", "coop/nests/.DS_Store", "coop/nests/", "coop/full/", "coop/full/grain.txt"}
		if version == "1.1" { // the next version has a folder more, and one less
			names = append(names[:1], "coop/yard/hens/", "coop/nests/")
		}
		for _, name := range names {
			w, err := z.Create(name)
			require.NoError(t, err)
			if !strings.HasSuffix(name, "/") {
				_, err = w.Write([]byte(name + version))
				require.NoError(t, err)
			}
		}
		require.NoError(t, z.Close())
		require.NoError(t, f.Close())
		s.must("stage", f.Name(), "--for", "yard")
	}
	at := func(p string) string { return filepath.Join(root, "sheds/coop", p) }

	out := s.must("crate", "show", "coop@1.0")
	require.Regexp(t, `coop/spool/ +sheds: coop/spool/ +an empty folder, which is made there too`, out)
	s.must("deploy", "yard", "coop@1.0", "--yes")
	require.DirExists(t, at("spool"))
	require.DirExists(t, at("nests"))
	require.NoFileExists(t, at("nests/.DS_Store"))
	require.Contains(t, s.must("status", "yard"), "2 files")

	s.must("deploy", "yard", "coop@1.1", "--yes")
	require.NoDirExists(t, at("spool"))
	require.DirExists(t, at("yard/hens"))
	s.must("rollback", "yard", "--addon", "coop", "--yes")
	require.DirExists(t, at("spool"))
	require.NoDirExists(t, at("yard"))

	// What the game has written into it meanwhile is not ours to take away.
	require.NoError(t, os.WriteFile(at("spool/egg"), []byte("1"), 0o600))
	require.Contains(t, s.must("remove", "yard", "coop", "--yes"), "The folder sheds/coop/spool stays: it holds egg")
	require.FileExists(t, at("spool/egg"))
	require.NoDirExists(t, at("nests"))
	require.NotContains(t, s.must("status", "yard"), "coop")
}
