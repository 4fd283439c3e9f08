package e2e

import (
	"archive/zip"
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/gofrs/flock"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

func TestStagingTwiceChangesNothing(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	texts := stall("0.4.0", map[string]string{"drum.txt": "boom"})
	out := s.stage(texts)
	require.Contains(t, out, "crate drum-tent@0.4.0  stall of lanternfall: 2 files placed, 1 left out")
	out = s.stage(texts)
	require.Contains(t, out, "The same bytes were staged before; nothing was changed.")
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	require.Len(t, crates, 1)

	var c api.Crate
	s.get(&c, "crate", "show", "drum-tent@0.4.0")
	require.Equal(t, "outside the add-on's folder drum-tent-main/drum-tent-main", c.Left[0].Reason)
	for _, f := range c.Files {
		require.NotEmpty(t, f.Reason)
		require.NotZero(t, f.Line)
	}
	require.Contains(t, s.must("crate", "readme", "drum-tent@0.4.0"), "Put the inner folder on the server.")
	s.must("crate", "drop", "drum-tent@0.4.0", "--yes")
	s.fails(1, "no crate drum-tent@0.4.0 is staged for rulebook lanternfall", "deploy", "lantern", "drum-tent@0.4.0", "--yes")
}

func TestACrateTellsOnWhichServersItIs(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	for _, c := range crates {
		require.Len(t, c.On, 1, c.Label)
		require.Equal(t, [2]string{"lantern", "0.4.0"}, [2]string{c.On[0].Server, c.On[0].Version}, c.Label)
		require.Equal(t, c.Version == "0.4.0", c.On[0].Crate == c.Digest, "which crate it is")
		var whole api.Crate
		s.get(&whole, "crate", "show", c.Digest)
		require.Equal(t, c.Label, whole.Label, "the whole digest names it too")
	}
	s.must("remove", "lantern", "drum-tent", "--yes")
	var left []api.Crate
	s.get(&left, "crate", "list")
	require.Empty(t, left[0].On)
}

func TestAFolderIsStagedAndAnUnknownArchiveIsKept(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	dir := filepath.Join(t.TempDir(), "harvest-songs-1.2")
	testbed.Write(t, filepath.Join(dir, "reel.tune"), "la")
	testbed.Write(t, filepath.Join(dir, "jig.tune"), "le")
	require.Contains(t, s.must("stage", dir), "crate harvest-songs@1.2  songbook of lanternfall: 2 files placed")
	require.Contains(t, s.must("stage", dir), "staged before", "the same folder gives the same bytes")
	out := s.fails(3, "no crate was made of other.zip", "stage", testbed.Zip(t, filepath.Join(t.TempDir(), "other.zip"), map[string]string{"x.bin": "?"})).out
	require.Contains(t, out, "The archive is kept, but no crate was made: rulebook lanternfall does not recognise it.")
	require.NoError(t, os.Symlink("/etc/passwd", filepath.Join(dir, "link")))
	s.fails(1, "link is a link or device", "stage", dir)
}

func TestBrokenAndHostileArchivesLeaveNothingBehind(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	before := testbed.Snapshot(t, filepath.Join(s.data, "stockroom"))
	dir := t.TempDir()
	whole := testbed.Zip(t, filepath.Join(dir, "ok.zip"), stall("1", map[string]string{"a": strings.Repeat("a", 5000)}))
	raw, err := os.ReadFile(whole)
	require.NoError(t, err)
	cut := filepath.Join(dir, "cut.zip")
	require.NoError(t, os.WriteFile(cut, raw[:len(raw)-40], 0o600))
	s.fails(1, "cut.zip: it starts like a zip but its table of contents cannot be read", "stage", cut)

	var evil bytes.Buffer
	z := zip.NewWriter(&evil)
	w, err := z.Create("a/../../etc/cron")
	require.NoError(t, err)
	_, err = w.Write([]byte("x"))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	file := filepath.Join(dir, "evil.zip")
	require.NoError(t, os.WriteFile(file, evil.Bytes(), 0o600))
	s.fails(1, `evil.zip: entry "a/../../etc/cron" leads out of its root with ".."`, "stage", file)
	require.Equal(t, before, testbed.Snapshot(t, filepath.Join(s.data, "stockroom")))
}

func TestARulebookWithATypoNamesLineAndColumn(t *testing.T) {
	t.Parallel()
	s := start(t)
	text, err := os.ReadFile(books + "lanternfall.yaml")
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "typo.yaml")
	require.NoError(t, os.WriteFile(file, bytes.Replace(text, []byte("recognise:"), []byte("recognize:"), 1), 0o600))
	for _, verb := range []string{"check", "add"} {
		s.fails(2, `line 39, column 5: kind ride has no key "recognize"; did you mean "recognise"?`, "rulebook", verb, file)
	}
	var list []api.Rulebook
	s.get(&list, "rulebook", "list")
	require.Empty(t, list)
	require.Contains(t, s.must("rulebook", "check", books+"lanternfall.yaml"), "is in order: rulebook lanternfall")
	s.must("rulebook", "add", books+"lanternfall.yaml")
	require.Contains(t, s.must("rulebook", "add", books+"lanternfall.yaml"), "nothing was changed")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", t.TempDir())
	s.fails(1, "rulebook lanternfall is in use by [lantern]", "rulebook", "drop", "lanternfall", "--yes")
}

func TestABlockStopsUntilItIsAccepted(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/stall.lf"), "made by hand")
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	before := testbed.Snapshot(t, root)
	o := s.fails(3, "lantern#1 is blocked by 1 finding, so nothing was done", "deploy", "lantern", "drum-tent@0.4.0", "--yes")
	require.Contains(t, o.out, "BLOCK older-copy: A copy of drum-tent that nobody deployed is in its place: stalls/drum-tent")
	s.fails(3, "1 finding blocks lantern#1", "deployment", "run", "lantern#1", "--yes", "--accept", "changed-file")
	require.Equal(t, before, testbed.Snapshot(t, root))

	s.must("deployment", "run", "lantern#1", "--yes", "--accept", "older-copy=stalls/drum-tent")
	require.Contains(t, s.must("deployment", "show", "lantern#1"), "accepted by owner: older-copy=stalls/drum-tent")
	s.must("rollback", "lantern", "--deployment", "1", "--yes")
	require.Equal(t, before, testbed.Snapshot(t, root), "what was taken over was kept")
}

func TestADraftThatIsNoLongerTrueIsDraftedAgain(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--draft")
	require.Empty(t, testbed.Snapshot(t, root), "a draft touches nothing")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/stall.lf"), "made since")
	o := s.fails(3, "lantern#1 is no longer true", "deployment", "run", "lantern#1", "--yes")
	require.Contains(t, o.err, "lantern#2 is the new draft")
	require.Contains(t, s.must("deployment", "list"), "discarded")
	require.Equal(t, map[string]string{"stalls/drum-tent/stall.lf": "made since"}, testbed.Files(testbed.Snapshot(t, root)))
}

func TestRemoveTakesEverythingOfAnAddOnAway(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	testbed.Write(t, filepath.Join(root, "fair.order"), "call nobody\n")
	before := testbed.Snapshot(t, root)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent", "--yes")
	out := s.must("files", "lantern", "stalls/drum-tent/wares")
	require.Regexp(t, `stalls/drum-tent/wares/drum.txt +4 B +drum-tent@0.4.0 +drum-tent-main.zip +lantern#1 .* absent`, out)
	s.fails(1, `there is no add-on "flute"`, "remove", "lantern", "flute", "--yes")
	s.must("remove", "lantern", "drum-tent", "--yes")
	require.Equal(t, before, testbed.Snapshot(t, root))
	require.Contains(t, s.must("status"), "0 add-ons, 0 files")
	require.Regexp(t, `lantern#2 +stalls/drum-tent/wares/drum.txt +\S+, 4 B +absent`, s.must("history", "lantern", "--path", "stalls/drum-tent/wares/drum.txt"))
	s.must("rollback", "lantern", "--addon", "drum-tent", "--yes")
	require.Equal(t, "boom", testbed.Snapshot(t, root)["stalls/drum-tent/wares/drum.txt"].Text)
	s.fails(1, "no deployment has ever changed fair.order", "rollback", "lantern", "--path", "fair.order", "--yes")
}

func TestWrongUsageSaysHow(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	for words, args := range map[string][]string{
		"takes a server and one or more crates":     {"deploy", "lantern"},
		"flag provided but not defined: -nonsense":  {"status", "--nonsense"},
		`has no command "explode"`:                  {"server", "explode"},
		`"lantern" is not server#number`:            {"deployment", "show", "lantern"},
		"there is no terminal to ask on":            {"server", "drop", "lantern"},
		"--sftp \"host\" is not USER@HOST":          {"server", "add", "x", "--rulebook", "lanternfall", "--sftp", "host"},
		"how to sign in?":                           {"server", "add", "x", "--rulebook", "lanternfall", "--sftp", "u@h"},
		`"Lantern" cannot name a server`:            {"server", "add", "Lantern", "--rulebook", "lanternfall", "--folder", root},
		`knows no variable "port"; it asks for row`: {"server", "add", "x", "--rulebook", "lanternfall", "--folder", root, "--set", "port=x"},
		"say what to roll back":                     {"rollback", "lantern"},
	} {
		s.fails(2, words, args...)
	}
	s.fails(1, "a server named lantern is there already", "server", "add", "lantern", "--rulebook", "lanternfall", "--folder", root)
	s.fails(1, `there is no server named "nowhere"`, "status", "nowhere")
	s.fails(1, `there is no rulebook named "nothing"`, "server", "add", "x", "--rulebook", "nothing", "--folder", root)
}

// What a killed service was just starting holds the lock of its data a moment longer.
func TestAServiceWaitsForWhatAKilledOneLeft(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.kill()
	lock := flock.New(filepath.Join(s.data, "lock"))
	ok, err := lock.TryLock()
	require.NoError(t, err)
	require.True(t, ok)
	freed := make(chan error, 1)
	time.AfterFunc(500*time.Millisecond, func() { freed <- lock.Unlock() })
	s.up()
	require.NoError(t, <-freed)
}

func TestAServiceThatCannotStartSaysWhy(t *testing.T) {
	t.Parallel()
	s := start(t)
	serve := func(data, listen string) (string, int) {
		cmd := exec.Command(binary, "serve", "--data", data, "--listen", listen)
		out, _ := cmd.CombinedOutput()
		return string(out), cmd.ProcessState.ExitCode()
	}
	out, code := serve(s.data, "127.0.0.1:0")
	require.Contains(t, out, "another service is using the data folder "+s.data)
	require.Equal(t, 1, code)
	out, code = serve(t.TempDir(), fmt.Sprintf("127.0.0.1:%d", s.port))
	require.Contains(t, out, fmt.Sprintf("the address 127.0.0.1:%d cannot be used: address already in use", s.port))
	require.Equal(t, 1, code)
	file := filepath.Join(t.TempDir(), "file")
	testbed.Write(t, file, "")
	out, code = serve(filepath.Join(file, "data"), "127.0.0.1:0")
	require.Contains(t, out, "cannot be made: not a directory")
	require.Equal(t, 1, code)
	out, code = serve(t.TempDir(), "0.0.0.0:0")
	require.Contains(t, out, "can be reached by other machines")
	require.Equal(t, 1, code)
}

func TestAStoppedServiceEndsGracefullyAndKeepsEverything(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent", "--yes")
	token := s.token()
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, s.cmd.Wait(), "%s", s.log.String())
	o := s.fails(1, "no service answers at", "status")
	require.Contains(t, o.err, "restless serve starts it")
	s.up()
	require.Equal(t, token, s.token())
	require.Contains(t, s.must("status"), "drum-tent")
	s.must("rollback", "lantern", "--to", "0", "--yes")
	require.Empty(t, testbed.Snapshot(t, root))
}

func TestARollbackNamesWhatChangedSinceAndLetsAPersonDecide(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom", "reed.txt": "hum"}))
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom", "reed.txt": "hum hum"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes")
	drum := filepath.Join(root, "stalls/drum-tent/wares/drum.txt")
	testbed.Write(t, drum, "by hand")

	o := s.fails(3, "lantern#3 is blocked by 1 finding", "rollback", "lantern", "--deployment", "2", "--yes")
	require.Contains(t, o.out, "BLOCK changed-since: stalls/drum-tent/wares/drum.txt was changed since, outside of Restless Crate.")
	s.must("rollback", "lantern", "--deployment", "2", "--leave", "stalls/drum-tent/wares/drum.txt", "--yes")
	now := testbed.Snapshot(t, root)
	require.Equal(t, "by hand", now["stalls/drum-tent/wares/drum.txt"].Text)
	require.Equal(t, "hum", now["stalls/drum-tent/wares/reed.txt"].Text)
	require.Contains(t, s.must("status"), "some files are from drum-tent@0.5.0")

	s.must("rollback", "lantern", "--path", "stalls/drum-tent/wares/drum.txt", "--accept", "changed-since", "--yes")
	require.Equal(t, "boom", testbed.Snapshot(t, root)["stalls/drum-tent/wares/drum.txt"].Text)
	s.must("rollback", "lantern", "--to", "2", "--yes")
	require.Equal(t, "boom boom", testbed.Snapshot(t, root)["stalls/drum-tent/wares/drum.txt"].Text)
	s.must("rollback", "lantern", "--path", "stalls/drum-tent/wares/drum.txt", "--yes")
	require.Equal(t, "boom", testbed.Snapshot(t, root)["stalls/drum-tent/wares/drum.txt"].Text)
}

// The state of a server goes by what was looked at: as soon as a draft has seen that
// somebody changed a file, status says so, until a deployment has settled it.
func TestStatusSaysWhatADraftSawChangedFromOutside(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("1.0", map[string]string{"price.txt": "one coin\n"}))
	s.stage(stall("2.0", map[string]string{"price.txt": "two coins\n"}))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/wares/price.txt"), "my own price\n")
	require.NotContains(t, s.must("status", "lantern"), "saw", "nobody has looked yet")
	s.must("deploy", "lantern", "drum-tent@2.0", "--draft")
	require.Regexp(t, `lantern#2, a draft, saw at \d{4}-\d\d-\d\d \d\d:\d\d: `, s.must("status", "lantern"))
	require.Contains(t, s.must("status", "lantern"), "stalls/drum-tent/wares/price.txt was changed on the server since it was put there by drum-tent@1.0.")
	s.must("deploy", "lantern", "drum-tent@2.0", "--yes", "--accept", "changed-file")
	require.NotContains(t, s.must("status", "lantern"), "saw")
}
