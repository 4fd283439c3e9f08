package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// many is a version of the drum tent with 200 files, each different per version.
func many(version string) map[string]string {
	wares := map[string]string{}
	for i := range 200 {
		wares[fmt.Sprintf("w%03d.txt", i)] = strings.Repeat(fmt.Sprintf("%s %d ", version, i), 4000)
	}
	return stall(version, wares)
}

// onServer is where the files of a drum tent come to stand.
func onServer(tree map[string]string) map[string]string {
	out := map[string]string{}
	for path, text := range tree {
		if rel, ok := strings.CutPrefix(path, "drum-tent-main/drum-tent-main/"); ok {
			out["stalls/drum-tent/"+rel] = text
		}
	}
	return out
}

// breakRun starts an update of 200 files and kills the service with -9 once
// reached is true of the remote tree. A run that got through before it was
// killed is rolled back and tried again. more are further words for the draft.
func breakRun(t *testing.T, s *service, root string, reached func(number int) bool, more ...string) (name string, old map[string]testbed.Thing) {
	for range 10 {
		old = testbed.Snapshot(t, root)
		var d api.Deployment
		s.get(&d, append([]string{"deploy", "lantern", "drum-tent@2.0", "--draft"}, more...)...)
		status, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", d.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
		require.Equal(t, 202, status)
		testbed.Eventually(t, "the run has come that far", func() bool { return reached(d.Number) })
		s.kill()
		s.up()
		s.get(&d, "deployment", "show", d.Name)
		if d.State == "halted" {
			return d.Name, old
		}
		require.Equal(t, "done", d.State)
		s.must("rollback", "lantern", "--deployment", fmt.Sprint(d.Number), "--yes")
	}
	t.Fatal("ten runs got through before they could be killed")
	return "", nil
}

func entries(dir string) int {
	list, _ := os.ReadDir(dir)
	return len(list)
}

// sentTo counts the files of a deployment that have begun to arrive in the work
// folder.
func sentTo(root, number string) int {
	files, _ := filepath.Glob(filepath.Join(root, ".restless-crate", number, "in-*", "*"))
	return len(files)
}

func TestKilledHalfWayItIsResumedOrUndone(t *testing.T) {
	t.Parallel()
	s, _, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	wares := filepath.Join(root, "stalls/drum-tent/wares")
	for where, reached := range map[string]func(number int) bool{
		"while sending":  func(n int) bool { return sentTo(root, fmt.Sprint(n)) > 20 },
		"while swapping": func(n int) bool { return entries(wares) < 190 },
	} {
		t.Run(where, func(t *testing.T) {
			name, old := breakRun(t, s, root, reached)
			out := s.must("status", "lantern")
			require.Contains(t, out, name+" is HALTED")
			s.fails(1, "one deployment at a time changes a server", "deploy", "lantern", "drum-tent@2.0", "--yes")
			s.must("deployment", "undo", name)
			require.Equal(t, old, testbed.Snapshot(t, root), "exactly the old tree, nothing of ours left")

			name, _ = breakRun(t, s, root, reached)
			s.must("deployment", "resume", name)
			now := testbed.Snapshot(t, root)
			for path, text := range many("2.0") {
				rel, ok := strings.CutPrefix(path, "drum-tent-main/drum-tent-main/")
				if ok {
					require.Equal(t, text, now["stalls/drum-tent/"+rel].Text, rel)
				}
			}
			require.Len(t, now, len(old), "and nothing else")
			s.must("rollback", "lantern", "--to", "1", "--yes")
			require.Equal(t, old, testbed.Snapshot(t, root))
		})
	}
}

func TestALostLineHaltsAndGoesOnLater(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	var draft, halted api.Deployment
	for tries := 0; ; tries++ {
		require.Less(t, tries, 10, "ten runs got through before the line could be cut")
		s.get(&draft, "deploy", "lantern", "drum-tent@2.0", "--draft")
		status, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", draft.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, draft.Digest))
		require.Equal(t, 202, status)
		testbed.Eventually(t, "some files are sent", func() bool {
			return sentTo(root, fmt.Sprint(draft.Number)) > 20
		})
		testbed.KillSessions(t, d)
		testbed.Eventually(t, "the run is over", func() bool { s.get(&halted, "deployment", "show", draft.Name); return halted.State != "running" })
		if halted.State == "halted" {
			break
		}
		s.must("rollback", "lantern", "--to", "1", "--yes")
	}
	require.Contains(t, halted.Trouble, "the line to the host was lost")
	o := s.fails(1, "is halted; it cannot be run", "deployment", "run", draft.Name, "--yes")
	require.Contains(t, o.err, "deployment resume "+draft.Name)

	d.Stop()
	s.fails(1, "cannot be reached", "deployment", "resume", draft.Name)
	s.get(&halted, "deployment", "show", draft.Name)
	require.Equal(t, "halted", halted.State, "it stays halted while the fault lasts")
	d.Restart(t)
	s.must("deployment", "resume", draft.Name)
	require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w007.txt"], testbed.Snapshot(t, root)["stalls/drum-tent/wares/w007.txt"].Text)
	require.NoDirExists(t, filepath.Join(root, ".restless-crate"))
}

func TestAShortOutageIsRiddenOut(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.kill()
	s.rideOut = "1m"
	s.up()
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	var draft, over api.Deployment
	for tries := 0; ; tries++ {
		require.Less(t, tries, 10, "ten runs got through before the line could be cut")
		s.get(&draft, "deploy", "lantern", "drum-tent@2.0", "--draft")
		status, answer := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", draft.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, draft.Digest))
		require.Equal(t, 202, status)
		testbed.Eventually(t, "some files are sent", func() bool {
			return sentTo(root, fmt.Sprint(draft.Number)) > 20
		})
		d.Stop()
		s.get(&over, "deployment", "show", draft.Name)
		d.Restart(t)
		var job api.Job
		require.NoError(t, json.Unmarshal([]byte(answer), &job))
		testbed.Eventually(t, "the run is over", func() bool { s.get(&over, "deployment", "show", draft.Name); return over.State != "running" })
		require.Equal(t, "done", over.State, over.Trouble)
		_, events := s.call("GET", "/api/v1/jobs/"+job.ID+"/events", s.token(), "")
		if strings.Contains(events, "the line to lantern is lost; trying again in 1s, for at most 1m0s more") {
			require.Contains(t, events, "connected to lantern again; going on where it stopped")
			require.Equal(t, 1, over.Figures.LostLines)
			require.Contains(t, s.must("deployment", "show", draft.Name), "The line to the host was lost on the way once; that was ridden out.")
			break
		}
		s.must("rollback", "lantern", "--to", "1", "--yes")
	}
	require.Len(t, testbed.Files(settled(t, root)), 201)
	require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w007.txt"], testbed.Snapshot(t, root)["stalls/drum-tent/wares/w007.txt"].Text)
	require.NoDirExists(t, filepath.Join(root, ".restless-crate"))
}

func TestARunIsStoppedByAPerson(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	s.fails(1, "lantern#1 is done; only what is running, or waits for its turn, can be halted", "deployment", "halt", "lantern#1")
	for tries := 0; ; tries++ {
		require.Less(t, tries, 10, "ten runs got through before they could be stopped")
		old := testbed.Snapshot(t, root)
		var d api.Deployment
		s.get(&d, "deploy", "lantern", "drum-tent@2.0", "--draft")
		status, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/run", d.Number), s.token(), fmt.Sprintf(`{"digest":%q}`, d.Digest))
		require.Equal(t, 202, status)
		testbed.Eventually(t, "some files are sent", func() bool { return sentTo(root, fmt.Sprint(d.Number)) > 5 })
		stopped, _ := s.call("POST", fmt.Sprintf("/api/v1/servers/lantern/deployments/%d/halt", d.Number), s.token(), "")
		testbed.Eventually(t, "it is over", func() bool { s.get(&d, "deployment", "show", d.Name); return d.State != "running" })
		if stopped != 200 || d.State != "halted" {
			require.Equal(t, "done", d.State)
			s.must("rollback", "lantern", "--to", "1", "--yes")
			continue
		}
		require.Contains(t, d.Trouble, "owner stopped it")
		s.must("deployment", "undo", d.Name)
		require.Equal(t, old, testbed.Snapshot(t, root))
		return
	}
}
