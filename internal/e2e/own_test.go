package e2e

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// Somebody holds the service's database half-way: the deployment is halted as
// soon as that can be written down again, and resumed or undone.
func TestADatabaseThatIsHeldHalfWay(t *testing.T) {
	t.Parallel()
	for _, way := range []string{"resume"} { // each takes as long as the service waits for its database
		t.Run(way, func(t *testing.T) {
			s, d, root := overSSH(t)
			s.trust()
			s.stage(many("1.0"))
			s.stage(many("2.0"))
			s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
			old := testbed.Snapshot(t, root)
			var run api.Deployment
			s.get(&run, "deploy", "lantern", "drum-tent@2.0", "--draft")
			status, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", run.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, run.Digest))
			require.Equal(t, 202, status)
			testbed.Eventually(t, "some files are sent", func() bool { return sentTo(root, fmt.Sprint(run.Number)) > 20 })
			testbed.Freeze(t, d)
			db, err := sql.Open("sqlite", "file:"+filepath.Join(s.data, "records.db")+"?_pragma=busy_timeout(5000)&_txlock=immediate")
			require.NoError(t, err)
			tx, err := db.Begin()
			require.NoError(t, err)
			testbed.Thaw(t, d)
			testbed.Eventually(t, "the service says what is wrong", func() bool {
				return strings.Contains(s.log.String(), "the records cannot be written; trying again")
			})
			require.NoError(t, errors.Join(tx.Rollback(), db.Close()))
			testbed.Eventually(t, "it is halted", func() bool { s.get(&run, "deployment", "show", run.Name); return run.State == "halted" })
			require.Contains(t, run.Trouble, "write the journal: begin: database is locked")
			s.must("deployment", way, run.Name)
			exactly(t, way, old, testbed.Snapshot(t, root))
		})
	}
}

// exactly checks that a tree is wholly old after an undo, and wholly the second
// version of the drum tent after a resume.
func exactly(t *testing.T, way string, old, now map[string]testbed.Thing) {
	t.Helper()
	if way == "undo" {
		require.Equal(t, old, now, "exactly old")
		return
	}
	require.Len(t, testbed.Files(now), 201)
	for path, text := range many("2.0") {
		if rel, ok := strings.CutPrefix(path, "drum-tent-main/drum-tent-main/"); ok {
			require.Equal(t, text, now["stalls/drum-tent/"+rel].Text, rel)
		}
	}
	require.NotContains(t, now, ".restless-crate")
}

// The service's own disk has no room for what it must write down or keep: it says so, and halts as
// soon as it can write that down. Nothing on the server was touched by then.
func TestAServiceWhoseDiskIsFull(t *testing.T) {
	t.Parallel()
	disk, root := testbed.SmallDisk(t), t.TempDir()
	s := startIn(t, disk)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", root)
	s.must("server", "test", "lantern")
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	// It is the journal that finds no room, or the copy that is to be kept.
	full := func() int {
		return strings.Count(s.log.String(), "disk is full") + strings.Count(s.log.String(), "no space left on device") + strings.Count(s.log.String(), "have to stay free for a way back")
	}
	for i, way := range []string{"undo", "resume"} {
		testbed.Write(t, filepath.Join(root, "stalls/drum-tent/wares/w007.txt"), noise(3<<20)+way)
		old := testbed.Snapshot(t, root)
		var run api.Deployment
		s.get(&run, "deploy", "lantern", "drum-tent@2.0", "--draft", "--accept", "changed-file")
		require.Equal(t, 2+i, run.Number)
		filler := filepath.Join(disk, "filler")
		var stat unix.Statfs_t
		require.NoError(t, unix.Statfs(disk, &stat))
		testbed.Write(t, filler, strings.Repeat("x", int(stat.Bavail)*int(stat.Bsize)-(1<<20)))
		said := full()
		status, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", run.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, run.Digest))
		require.Equal(t, 202, status)
		testbed.Eventually(t, "the service says what is wrong", func() bool { return full() > said })
		now := testbed.Snapshot(t, root)
		for path, thing := range old {
			require.Equal(t, thing, now[path], "the server has all it had: %s", path)
		}
		require.NoError(t, os.Remove(filler))
		testbed.Eventually(t, "it is halted, or was not begun", func() bool {
			s.get(&run, "deployment", "show", run.Name)
			return run.State == "halted" || run.State == "draft"
		})
		t.Logf("%s: it ran out of room when it was %s", way, map[string]string{"halted": "running", "draft": "about to begin"}[run.State])
		switch {
		case run.State == "halted":
			s.must("deployment", way, run.Name)
		case way == "resume":
			s.must("deployment", "run", run.Name, "--yes", "--accept", "changed-file")
		}
		exactly(t, way, old, testbed.Snapshot(t, root))
	}
}

// A host whose key is another one when the service connects again half-way is
// not gone on with, and is sent no password; once a person has confirmed the new
// key, the deployment is resumed.
func TestAHostKeyThatChangesHalfWay(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	var run api.Deployment
	s.get(&run, "deploy", "lantern", "drum-tent@2.0", "--draft")
	s.kill()
	s.rideOut = "1m" // it would ride out a lost line
	s.up()
	status, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", run.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, run.Digest))
	require.Equal(t, 202, status)
	testbed.Eventually(t, "some files are sent", func() bool { return sentTo(root, fmt.Sprint(run.Number)) > 20 })
	testbed.Freeze(t, d)
	d.ChangeHostKey(t)
	testbed.Eventually(t, "it is halted", func() bool { s.get(&run, "deployment", "show", run.Name); return run.State == "halted" })
	require.Contains(t, run.Trouble, "has changed: it was SHA256:")
	s.fails(1, "has changed: it was SHA256:", "deployment", "resume", run.Name)
	s.must("server", "edit", "lantern", "--forget-key")
	s.trust()
	s.must("deployment", "resume", run.Name)
	require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w007.txt"], testbed.Snapshot(t, root)["stalls/drum-tent/wares/w007.txt"].Text)
}
