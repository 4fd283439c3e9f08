package archive

import (
	"bytes"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/testbed"
)

// everyKind makes a folder with every kind of file that packers treat in a way of
// their own.
func everyKind(t *testing.T) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "harbour")
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "empty folder"), 0o755))
	noise := make([]byte, 150_000)
	r := rand.NewChaCha8([32]byte{7})
	_, _ = r.Read(noise) // never fails
	for name, text := range map[string]string{
		"empty": "", "one": "x", "block": strings.Repeat("b", 512), "block and one": strings.Repeat("b", 513),
		"text.conf": strings.Repeat("lamp = on\r\n", 9000), "noise.bin": string(noise), "quay/ünïcode ß.txt": "ü",
		"deep/" + strings.Repeat("folder-of-some-length/", 9) + "file.txt": "deep", strings.Repeat("n", 140) + ".txt": "long name",
	} {
		testbed.Write(t, filepath.Join(dir, name), text)
	}
	testbed.Write(t, filepath.Join(dir, "run.sh"), "#!/bin/sh\n")
	require.NoError(t, os.Chmod(filepath.Join(dir, "run.sh"), 0o755))
	holes := func(name string, size int64, at ...int64) {
		f, err := os.Create(filepath.Join(dir, name))
		require.NoError(t, err)
		for _, o := range at {
			_, err := f.WriteAt([]byte("data between holes"), o)
			require.NoError(t, err)
		}
		require.NoError(t, f.Truncate(size))
		require.NoError(t, f.Close())
	}
	holes("holes first.bin", 600_000, 590_000)
	holes("holes last.bin", 900_000, 0)
	holes("holes.bin", 3_000_000, 0, 200_000, 400_000, 600_000, 800_000, 1_000_000, 1_200_000, 2_999_900)
	holes("nothing but a hole.bin", 500_000)
	return dir
}

// unpackedBy runs an unpacker and gives what it made, below the folder that was
// packed.
func unpackedBy(t *testing.T, program string, args ...string) map[string]tree.Digest {
	t.Helper()
	dir := t.TempDir()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", said)
	out := map[string]tree.Digest{}
	for name, text := range testbed.Files(testbed.Snapshot(t, dir)) {
		out[strings.TrimPrefix(name, "harbour/")] = tree.Sum([]byte(text))
	}
	return out
}

// Whatever a packer made of a file, what is read out of the archive is what an
// independent unpacker makes of it, or the archive is refused with a reason.
func TestContentsAreWhatIndependentUnpackersMakeOfThem(t *testing.T) {
	dir := everyKind(t)
	tar, seven := testbed.Need(t, "tar", "tar"), testbed.Need(t, "7z", "p7zip-full")
	zip, unzip := testbed.Need(t, "zip", "zip"), testbed.Need(t, "unzip", "unzip")
	type packing struct {
		with, by []string
		refused  string // where it may be refused, why
	}
	untar, un7z, unz := []string{tar, "-xf"}, []string{seven, "x", "-y"}, []string{unzip, "-q"}
	cases := map[string]packing{}
	for _, format := range []string{"gnu", "oldgnu", "posix"} {
		cases["tar "+format] = packing{with: []string{tar, "--format=" + format, "-cf"}, by: untar}
		cases["tar sparse "+format] = packing{with: []string{tar, "--format=" + format, "--sparse", "-cf"}, by: untar}
		cases["tar.gz sparse "+format] = packing{with: []string{tar, "--format=" + format, "--sparse", "-czf"}, by: untar}
	}
	for _, version := range []string{"0.0", "0.1", "1.0"} {
		cases["tar sparse posix "+version] = packing{with: []string{tar, "--format=posix", "--sparse", "--sparse-version=" + version, "-cf"}, by: untar}
	}
	for _, method := range []string{"lzma", "lzma2", "ppmd", "bzip2", "deflate", "copy"} {
		cases["7z "+method] = packing{with: []string{seven, "a", "-t7z", "-m0=" + method}, by: un7z, refused: "broken"}
	}
	cases["7z filtered"] = packing{with: []string{seven, "a", "-t7z", "-m0=bcj", "-m1=lzma2"}, by: un7z, refused: "broken"}
	cases["7z one each"] = packing{with: []string{seven, "a", "-t7z", "-ms=off"}, by: un7z}
	for _, method := range []string{"deflate64", "lzma", "bzip2", "ppmd"} {
		cases["zip "+method] = packing{with: []string{seven, "a", "-tzip", "-mm=" + method}, by: un7z, refused: "method"}
	}
	cases["zip stored"] = packing{with: []string{zip, "-q", "-r", "-0"}, by: unz}
	cases["zip best"] = packing{with: []string{zip, "-q", "-r", "-9"}, by: unz}
	cases["zip of a stream"] = packing{with: []string{zip, "-q", "-r", "-fd"}, by: unz}
	for name, c := range cases {
		t.Run(name, func(t *testing.T) {
			file := filepath.Join(t.TempDir(), "download."+strings.Fields(name)[0])
			cmd := exec.Command(c.with[0], append(c.with[1:len(c.with):len(c.with)], file, filepath.Base(dir))...)
			cmd.Dir = filepath.Dir(dir)
			said, err := cmd.CombinedOutput()
			require.NoError(t, err, "%s", said)
			want := unpackedBy(t, c.by[0], append(c.by[1:len(c.by):len(c.by)], file)...)
			require.Equal(t, unpackedBy(t, "cp", "-r", dir, "."), want, "the peer unpacks what was packed")
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			l, err := open(t, raw)
			if err != nil && c.refused != "" {
				bad := new(Error)
				require.ErrorAs(t, err, &bad)
				require.Contains(t, err.Error(), c.refused)
				return
			}
			require.NoError(t, err)
			got := map[string]tree.Digest{}
			for at, d := range held(l) {
				got[strings.TrimPrefix(at, "harbour/")] = d
			}
			require.Equal(t, want, got)
		})
	}
}

// What expands to more than it may is refused, also where the holes are all of it.
func TestASparseTarIsCountedAsWhatItExpandsTo(t *testing.T) {
	tar := testbed.Need(t, "tar", "tar")
	dir := t.TempDir()
	f, err := os.Create(filepath.Join(dir, "hole.bin"))
	require.NoError(t, err)
	require.NoError(t, f.Truncate(8<<30))
	require.NoError(t, f.Close())
	for _, format := range []string{"gnu", "posix"} {
		cmd := exec.Command(tar, "--format="+format, "--sparse", "-cf", "-", "hole.bin")
		cmd.Dir = dir
		var raw bytes.Buffer
		cmd.Stdout = &raw
		require.NoError(t, cmd.Run())
		_, err = open(t, raw.Bytes())
		requireRefusal(t, err, "bomb", "hole.bin")
	}
}
