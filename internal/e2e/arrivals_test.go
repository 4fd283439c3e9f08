package e2e

import (
	"archive/zip"
	"crypto/sha256"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// packed packs a folder with a program of the machine.
func packed(t *testing.T, file string, texts map[string]string, program ...string) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "in")
	for name, text := range texts {
		testbed.Write(t, filepath.Join(dir, name), text)
	}
	file = filepath.Join(t.TempDir(), file)
	cmd := exec.Command(program[0], append(append([]string{}, program[1:]...), file, ".")...)
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

func TestWhateverItIsPackedWithTheSameBytesArrive(t *testing.T) {
	t.Parallel()
	testbed.Need(t, "7z", "p7zip-full")
	texts := stall("0.4.0", map[string]string{"drum.txt": "boom", "deep/er.txt": "thud"})
	want := map[string]string{
		"stalls/drum-tent/stall.lf":          texts["drum-tent-main/drum-tent-main/stall.lf"],
		"stalls/drum-tent/wares/drum.txt":    "boom",
		"stalls/drum-tent/wares/deep/er.txt": "thud",
	}
	for file, program := range map[string][]string{
		"drum-tent.tar.gz": {"tar", "-czf"}, "drum-tent.tar.xz": {"tar", "-cJf"}, "drum-tent.tar": {"tar", "-cf"}, "drum-tent.7z": {"7z", "a", "-t7z"},
	} {
		t.Run(file, func(t *testing.T) {
			s, root := folderServer(t)
			out := s.must("stage", packed(t, file, texts, program...))
			require.Contains(t, out, "crate drum-tent@0.4.0  stall of lanternfall: 3 files placed, 1 left out")
			s.kill()
			s.up() // the bytes are on disk, not in memory
			s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
			require.Equal(t, want, testbed.Files(testbed.Snapshot(t, root)))
		})
	}
}

func TestAnAddOnInAnArchiveInsideAnArchive(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	inner := testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent-0.4.zip"), map[string]string{"drum-tent/stall.lf": "version = \"0.4\"\n", "drum-tent/wares/a": "a"})
	raw, err := os.ReadFile(inner)
	require.NoError(t, err)
	outer := testbed.Zip(t, filepath.Join(t.TempDir(), "bundle.zip"), map[string]string{"READ ME.txt": "unpack me", "drum-tent-0.4.zip": string(raw)})
	out := s.must("stage", outer, "--for", "lantern")
	require.Contains(t, out, "crate drum-tent@0.4  stall of lanternfall: 2 files placed")
	s.must("deploy", "lantern", "drum-tent@0.4", "--yes")
	require.Equal(t, map[string]string{"stalls/drum-tent/stall.lf": "version = \"0.4\"\n", "stalls/drum-tent/wares/a": "a"}, testbed.Files(testbed.Snapshot(t, root)))
}

func TestABrokenCompressedArchiveLeavesNothing(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	before := testbed.Snapshot(t, filepath.Join(s.data, "stockroom"))
	file := packed(t, "drum-tent.tar.gz", stall("0.4.0", map[string]string{"a": fmt.Sprint(os.Environ(), os.Args)}), "tar", "-czf")
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, raw[:len(raw)/2], 0o644))
	o := s.fails(1, "drum-tent.tar.gz:", "stage", file)
	require.Contains(t, o.err, "It was not staged; nothing of it was kept.")
	require.Equal(t, before, testbed.Snapshot(t, filepath.Join(s.data, "stockroom")))
}

func TestCorrectionsAreFoundAgainByTheNextVersion(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	version := func(v string) string {
		return testbed.Zip(t, filepath.Join(t.TempDir(), "harvest-songs-"+v+".zip"), map[string]string{"reel.tune": "la " + v, "words.lyr": "sing " + v})
	}
	out := s.must("stage", version("1.2"), "--for", "lantern")
	require.Contains(t, out, "crate harvest-songs@1.2  songbook of lanternfall: 1 file placed, 1 left out")

	out = s.must("crate", "place", "harvest-songs@1.2", "*.lyr", "--in", "songbooks", "--as", "{name}/words/{file}")
	require.Contains(t, out, "crate harvest-songs@1.2  songbook of lanternfall: 2 files placed, 0 left out")
	s.fails(2, `there is no place "songboks"; did you mean "songbooks"?`, "crate", "place", "harvest-songs@1.2", "*.lyr", "--in", "songboks")
	s.must("crate", "set", "harvest-songs@1.2", "--name", "songs-of-harvest")
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	require.Len(t, crates, 1, "the crate that was corrected has made room")
	require.Equal(t, "songs-of-harvest@1.2", crates[0].Label)

	out = s.must("stage", version("1.3"), "--for", "lantern")
	require.Contains(t, out, "crate songs-of-harvest@1.3  songbook of lanternfall: 2 files placed, 0 left out")
	require.Contains(t, s.must("crate", "show", "songs-of-harvest@1.3"), "called songs-of-harvest instead of harvest-songs, as you said for harvest-songs@1.2")
	s.must("deploy", "lantern", "songs-of-harvest@1.3", "--yes")
	require.Equal(t, map[string]string{"songbooks/songs-of-harvest/reel.tune": "la 1.3", "songbooks/songs-of-harvest/words/words.lyr": "sing 1.3"},
		testbed.Files(testbed.Snapshot(t, root)))

	s.must("crate", "set", "songs-of-harvest@1.3", "--version", "1.3.1")
	s.get(&crates, "crate", "list")
	require.Equal(t, "songs-of-harvest@1.3.1", crates[0].Label)
	require.Equal(t, []string{"songs-of-harvest@1.3.1", "songs-of-harvest@1.3", "songs-of-harvest@1.2"}, []string{crates[0].Label, crates[1].Label, crates[2].Label},
		"1.3 is on a server and stays")
}

func TestWhichRootIsChosenOnce(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	tents := func(v string) string {
		return testbed.Zip(t, filepath.Join(t.TempDir(), "tents-"+v+".zip"), map[string]string{
			"tent-" + v + "/stall.lf": "version = \"" + v + "\"\n", "tent-" + v + "/wares/a": "a", "old/stall.lf": "version = \"0.1\"\n"})
	}
	out := s.fails(3, "no crate was made", "stage", tents("2"), "--for", "lantern").out
	require.Contains(t, out, "which of these is the add-on is not clear: tent-2 (2 files), old (1 file)")
	require.Contains(t, out, "restless archive again tents-2.zip --root FOLDER")

	// It waits in a list of its own, and is laid out without being sent again.
	out = s.must("archive", "list")
	require.Regexp(t, `tents-2\.zip .* lanternfall asks which is the add-on: tent-2, old`, out)
	s.fails(2, `holds no "tent-9"`, "archive", "again", "tents-2.zip", "--root", "tent-9")
	require.Contains(t, s.must("archive", "again", "tents-2.zip", "--root", "old"), "crate old@0.1  stall of lanternfall: 1 file placed, 2 left out")
	require.Contains(t, s.must("archive", "list"), "Of every archive that was staged there is a crate in the list.")
	s.must("crate", "drop", "old@0.1", "--yes")
	require.Regexp(t, `tents-2\.zip .* what lanternfall made of it has left the list`, s.must("archive", "list"))
	require.Contains(t, s.must("archive", "again", "tents-2.zip"), "crate old@0.1  stall of lanternfall")
	require.Contains(t, s.must("crate", "show", "old@0.1"), "the root old, as you chose it for tents-2.zip")

	// The wrong one is taken back.
	require.Contains(t, s.fails(3, "no crate was made of tents-2.zip", "archive", "again", "tents-2.zip", "--forget-root").out, "tent-2 (2 files), old (1 file)")
	require.NotContains(t, s.must("crate", "list"), "old@0.1")
	s.fails(1, `no archive "tent-5.zip" was staged`, "archive", "again", "tent-5.zip")
	s.fails(2, `holds no "tent-9"`, "stage", tents("2"), "--for", "lantern", "--root", "tent-9")
	out = s.must("stage", tents("2"), "--for", "lantern", "--root", "tent-2")
	require.Contains(t, out, "crate tent@2  stall of lanternfall: 2 files placed, 1 left out")
	out = s.must("stage", tents("3"), "--for", "lantern")
	require.Contains(t, out, "crate tent@3  stall of lanternfall", "the choice is found again")

	// Where several rulebooks are in use, it is enough that one of them takes the root.
	s.must("rulebook", "add", textFile(t, t.TempDir(), "sheds.yaml", sheds))
	s.must("server", "add", "yard", "--rulebook", "sheds", "--folder", t.TempDir())
	require.Contains(t, s.must("archive", "again", "tents-2.zip", "--root", "old"), "crate old@0.1")
	s.fails(2, "takes the folder tent-2/wares", "archive", "again", "tents-2.zip", "--root", "tent-2/wares")
}

func TestAnExpectedDigestIsCompared(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	file := testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent.zip"), stall("0.4.0", map[string]string{"a": "a"}))
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	sum := fmt.Sprintf("%x", sha256.Sum256(raw))
	s.fails(1, "drum-tent.zip has the SHA-256 "+sum+", not the one that you gave", "stage", file, "--sha256", fmt.Sprintf("%064d", 1))
	s.fails(2, "is not a SHA-256", "stage", file, "--sha256", "abc")
	require.Contains(t, s.must("stage", file, "--sha256", sum), "crate drum-tent@0.4.0")
}

func TestTheSameVersionWithOtherBytesIsToldAndCompared(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom", "old.txt": "x", "where.txt": "moves"}))
	zip := testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tent.zip"), stall("0.4.0", map[string]string{"drum.txt": "BOOM!", "new.txt": "yy", "there/where.txt": "moves"}))
	out := s.must("stage", zip, "--source", "a mirror")
	require.Contains(t, out, "WARN  other-bytes: drum-tent@0.4.0~")
	require.Contains(t, out, "has the same name and version, but other files")
	command := regexp.MustCompile(`restless crate compare (\S+) (\S+)\n`).FindStringSubmatch(out)
	require.NotNil(t, command, out)
	out = s.must("crate", "compare", command[1], command[2])
	require.Regexp(t, `from drum-tent@0.4.0 to drum-tent@0.4.0: 1 file the same
  added    stalls: drum-tent/wares/new.txt\s+2 B
  removed  stalls: drum-tent/wares/old.txt\s+1 B
  moved    stalls: drum-tent/wares/there/where.txt  from stalls: drum-tent/wares/where.txt  5 B
  changed  stalls: drum-tent/wares/drum.txt\s+5 B`, out)
	s.fails(2, "can mean several crates", "crate", "show", "drum-tent@0.4.0")
}

func TestOneAddOnInTwoDownloads(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "drum-tunes-1.zip"), map[string]string{"reel.tune": "la"}))
	out := s.must("crate", "join", "drum-tent@0.4.0", "drum-tunes@1")
	require.Contains(t, out, "Joined from drum-tent-main.zip, drum-tunes-1.zip:")
	joined := regexp.MustCompile(`crate (\S+)`).FindStringSubmatch(out)[1]
	require.Equal(t, "drum-tent@0.4.0", joined)
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	require.Len(t, crates, 3)
	s.must("deploy", "lantern", crates[0].Ref, "--yes")
	require.Equal(t, "la", testbed.Files(testbed.Snapshot(t, root))["songbooks/drum-tunes/reel.tune"])
	require.Contains(t, s.must("files", "lantern"), "drum-tent-main.zip, drum-tunes-1.zip")
	s.fails(1, "is joined from 2 archives", "crate", "set", crates[0].Ref, "--version", "9")
	s.must("remove", "lantern", "drum-tent", "--yes")
	require.Empty(t, testbed.Files(testbed.Snapshot(t, root)))
}

func TestADataPackIsPackedAnewWithItsMarkerAtTheRoot(t *testing.T) {
	t.Parallel()
	s, root := start(t), t.TempDir()
	s.must("rulebook", "add", books+"tidewright.yaml")
	s.must("server", "add", "saltpan", "--rulebook", "tidewright", "--folder", root)
	s.must("server", "test", "saltpan")
	deep := map[string]string{"mud-flats/table.toml": "edition = 3\n", "mud-flats/shores/mud.toml": strings.Repeat("mud ", 999)}
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "mud-flats-3.zip"), deep))
	s.kill()
	s.up()
	s.must("deploy", "saltpan", "mud-flats@3", "--yes")
	z, err := zip.OpenReader(filepath.Join(root, "ports/reedbank/tables/mud-flats.zip"))
	require.NoError(t, err)
	defer z.Close()
	got := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		got[f.Name] = string(text)
	}
	require.Equal(t, map[string]string{"table.toml": "edition = 3\n", "shores/mud.toml": strings.Repeat("mud ", 999)}, got)

	var one, two api.Crate
	s.get(&one, "crate", "show", "mud-flats@3")
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "mud-flats-3.zip"), map[string]string{
		"other-folder/table.toml": "edition = 3\n", "other-folder/shores/mud.toml": strings.Repeat("mud ", 999)}))
	s.get(&two, "crate", "show", "mud-flats@3")
	require.Equal(t, one.Digest, two.Digest, "the same contents are packed to the same bytes")
	made, err := filepath.Glob(filepath.Join(s.data, "stockroom", "derived", "*"))
	require.NoError(t, err)
	require.Len(t, made, 1, "and are kept once")
}

func TestANewRevisionOffersToLayOutAgain(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "harvest-songs-1.2.zip"), map[string]string{"reel.tune": "la", "words.lyr": "sing"}))
	s.must("deploy", "lantern", "harvest-songs@1.2", "--yes")
	book := written(t, "next.yaml", strings.Replace(read(t, books+"lanternfall.yaml"), `      - take: "*.tune"`, `      - take: ["*.tune", "*.lyr"]`, 1))
	out := s.must("rulebook", "add", book)
	require.Contains(t, out, "revision 2.\n1 archive was laid out by earlier revisions only; rulebook add --again lays out by this one.")
	require.Len(t, testbed.Files(testbed.Snapshot(t, root)), 1, "what is deployed stays as it is recorded")
	out = s.must("rulebook", "add", book, "--again")
	require.Contains(t, out, "crate harvest-songs@1.2  songbook of lanternfall: 2 files placed, 0 left out")
	require.NotContains(t, out, "earlier revisions")
	require.NotContains(t, s.must("rulebook", "add", book), "earlier revisions", "there is nothing left to do")
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	require.Len(t, crates, 2, "the old one is on a server")
	s.must("deploy", "lantern", crates[0].Ref, "--yes")
	require.Len(t, testbed.Files(testbed.Snapshot(t, root)), 2)
}
