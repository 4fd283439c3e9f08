package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// mount binds a folder onto itself, so that it is another file system to who
// renames into it.
func mount(t *testing.T, folder string) (readOnly func(bool) error) {
	t.Helper()
	if runtime.GOOS != "linux" || os.Geteuid() != 0 {
		testbed.Skip(t, "binding a folder needs root on Linux")
	}
	run := func(args ...string) error {
		out, err := exec.Command("mount", args...).CombinedOutput()
		if err != nil {
			return fmt.Errorf("a folder cannot be bound here: %w: %s", err, out)
		}
		return nil
	}
	if err := run("--bind", folder, folder); err != nil {
		testbed.Skip(t, err.Error())
	}
	t.Cleanup(func() { _ = exec.Command("umount", "-l", folder).Run() })
	return func(yes bool) error {
		return run("-o", "remount,bind,"+map[bool]string{true: "ro", false: "rw"}[yes], folder)
	}
}

// A folder of the server's that is another disk takes no files by renaming, and
// one that is read-only takes none at all. Both are found out before anything
// is done, over a real sshd.
func TestFoldersThatRefuseAreFoundOutBeforeARun(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	s.trust()
	s.must("server", "test", "lantern")
	stalls := filepath.Join(root, "stalls")
	require.NoError(t, os.Mkdir(stalls, 0o755))
	testbed.Write(t, filepath.Join(root, "fair.log"), "theirs")
	s.stage(stall("1", map[string]string{"a.txt": "1", "gone.txt": "1"}))
	s.stage(stall("2", map[string]string{"a.txt": "2"}))
	readOnly := mount(t, stalls)
	old := testbed.Snapshot(t, root)

	require.NoError(t, readOnly(true))
	o := s.fails(3, "lantern#1 cannot run: this user may not change what is in stalls", "deploy", "lantern", "drum-tent@1", "--yes")
	require.Contains(t, o.err, "Nothing was done. Give the user the right to write there, then run this again.\n    restless deployment run lantern#1\n")
	require.Equal(t, old, testbed.Snapshot(t, root))
	require.NoError(t, readOnly(false))

	o = s.fails(3, "lantern#1 cannot run as it is drafted: files cannot be renamed from the work folder into stalls", "deployment", "run", "lantern#1", "--yes")
	require.Contains(t, o.err, "It is noted for lantern: draft it again, and temporary files stand beside their targets.")
	require.Equal(t, old, testbed.Snapshot(t, root))
	require.Contains(t, s.must("server", "show", "lantern"), "A run found a folder into which files cannot be renamed from the work folder")

	require.Contains(t, s.must("deploy", "lantern", "drum-tent@1", "--yes"), "temporary files stand beside their targets")
	require.Equal(t, "1", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/a.txt"])
	s.must("deploy", "lantern", "drum-tent@2", "--yes")
	now := testbed.Files(testbed.Snapshot(t, root))
	require.Equal(t, "2", now["stalls/drum-tent/wares/a.txt"])
	require.NotContains(t, now, "stalls/drum-tent/wares/gone.txt")
	s.must("rollback", "lantern", "--to", "0", "--yes")
	require.Equal(t, old, testbed.Snapshot(t, root))
}

// A disk that becomes read-only half-way halts the run; nothing is lost, and
// once it can be written again it is resumed or undone.
func TestARootThatBecomesReadOnlyHalfWay(t *testing.T) {
	t.Parallel()
	d, root := testbed.StartSSHD(t), t.TempDir()
	readOnly := mount(t, root)
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--sftp", fmt.Sprintf("%s@127.0.0.1:%d", d.User, d.Port), "--key", d.KeyFile, "--root", root)
	s.trust()
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	for _, way := range []string{"undo", "resume"} {
		var run api.Deployment
		old := testbed.Snapshot(t, root)
		for tries := 0; ; tries++ {
			require.Less(t, tries, 10, "ten runs got through before the disk became read-only")
			s.get(&run, "deploy", "lantern", "drum-tent@2.0", "--draft")
			status, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", run.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, run.Digest))
			require.Equal(t, 202, status)
			testbed.Eventually(t, "some files are sent", func() bool { return sentTo(root, fmt.Sprint(run.Number)) > 20 })
			testbed.Eventually(t, "the disk is read-only", func() bool { // it is busy while a file is open to be written
				testbed.Freeze(t, d)
				defer testbed.Thaw(t, d)
				return readOnly(true) == nil
			})
			testbed.Eventually(t, "the run is over", func() bool { s.get(&run, "deployment", "show", run.Name); return run.State != "running" })
			if run.State == "halted" {
				break
			}
			require.NoError(t, readOnly(false))
			s.must("rollback", "lantern", "--to", "1", "--yes")
		}
		s.fails(4, run.Name+" stands half-way still: sign the host's lock", "deployment", "resume", run.Name)
		require.NoError(t, readOnly(false))
		s.must("deployment", way, run.Name)
		now := testbed.Snapshot(t, root)
		if way == "undo" {
			require.Equal(t, old, now)
		} else {
			require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w007.txt"], now["stalls/drum-tent/wares/w007.txt"].Text)
			require.Len(t, testbed.Files(now), 201)
		}
		require.NoDirExists(t, filepath.Join(root, ".restless-crate"))
	}
}

// Who comes later waits, is shown, and can be taken out of the queue; a run
// that hangs with its host harms nobody.
func TestTheQueueIsShown(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	var one, two api.Deployment
	s.get(&one, "deploy", "lantern", "drum-tent@2.0", "--draft")
	s.get(&two, "rollback", "lantern", "--to", "0", "--draft")
	run := func(d api.Deployment) {
		status, answer := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", d.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
		require.Equal(t, 202, status, answer)
	}
	testbed.Freeze(t, d) // the line answers nothing for a while
	run(one)
	testbed.Eventually(t, "the first has its turn", func() bool { s.get(&one, "deployment", "show", one.Name); return one.State == "queued" })
	run(two)
	testbed.Eventually(t, "the second waits", func() bool { s.get(&two, "deployment", "show", two.Name); return two.State == "queued" })
	status := s.must("status", "lantern")
	require.Contains(t, status, two.Name+" waits for its turn: ")
	require.Contains(t, s.must("deployment", "list", "lantern"), "queued")
	s.must("deployment", "halt", two.Name)
	testbed.Eventually(t, "it is a draft again", func() bool { s.get(&two, "deployment", "show", two.Name); return two.State == "draft" })
	testbed.Thaw(t, d)
	testbed.Eventually(t, "the first is done", func() bool { s.get(&one, "deployment", "show", one.Name); return one.State == "done" })
	require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w007.txt"], settled(t, root)["stalls/drum-tent/wares/w007.txt"].Text)
	s.fails(3, two.Name+" is no longer true", "deployment", "run", two.Name, "--yes")
}

// At the root of some hosts nothing can be made, but in the folders there: the
// draft says what is weaker for it, and deployments work.
func TestARootInWhichNothingCanBeMade(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	stalls := filepath.Join(root, "stalls")
	require.NoError(t, os.Mkdir(stalls, 0o755))
	closed := mount(t, root)
	mount(t, stalls)
	s.trust()
	require.NoError(t, closed(true))
	require.Contains(t, s.must("server", "test", "lantern"), "Nothing can be made at the root itself, so no lock there keeps another service away.")
	s.stage(stall("1", map[string]string{"a.txt": "1", "gone.txt": "1"}))
	s.stage(stall("2", map[string]string{"a.txt": "2"}))
	require.Contains(t, s.must("deploy", "lantern", "drum-tent@1", "--yes"), "WARN  no-lock: This host lets nobody make a folder at its root")
	s.must("deploy", "lantern", "drum-tent@2", "--yes")
	require.Equal(t, "2", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/a.txt"])
	s.must("rollback", "lantern", "--to", "0", "--yes")
	require.Empty(t, testbed.Files(testbed.Snapshot(t, root)))
}

// On a slow host the draft says how long names are changed.
func TestASlowSwapIsToldInTheDraft(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	h, err := standin.StartFTP(root, "keeper", "reed", standin.FTPOptions{})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, h.Close()) })
	s := start(t)
	s.env = []string{"RESTLESS_PASSWORD=reed"}
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--ftp", fmt.Sprintf("keeper@127.0.0.1:%d", h.Port), "--root", "/")
	s.must("server", "test", "lantern")
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	h.Behave(standin.Rules{Delay: 20 * time.Millisecond})
	s.must("server", "test", "lantern")
	require.Regexp(t, `NOTE  swap-time: The swap changes 402 names, which takes about \d+ s on this host`, s.must("deploy", "lantern", "drum-tent@2.0", "--draft"))
}
