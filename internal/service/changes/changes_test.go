package changes

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/testbed"
)

// result is how a run ended.
type result struct {
	d   model.Deployment
	err error
}

// start runs a draft in the background.
func (w *world) start(d model.Deployment, tell progress.Tell) chan result {
	over := make(chan result, 1)
	go func() {
		d, err := w.Run(w.t.Context(), d, d.Digest.String(), nil, "ida", tell)
		over <- result{d, err}
	}()
	return over
}

func TestWhoComesLaterWaitsForTheirTurn(t *testing.T) {
	w := open(t)
	one := w.draft(w.crate("1", map[string]string{"d/lamp": "one"}))
	two := w.draft(w.crate("2", map[string]string{"d/lamp": "two"}))
	three := w.draft(w.crate("3", map[string]string{"d/lamp": "three"}))
	gate := make(chan struct{})
	w.set(func() { w.gate = gate })
	first := w.start(one, silent)
	testbed.Eventually(t, "the first one runs", func() bool { return w.state(one) == model.Running })
	said := &telling{}
	second := w.start(two, said.tell)
	testbed.Eventually(t, "the second is queued", func() bool { return said.has("saltpan#2 waits for its turn: saltpan#1 is at it") })
	third := w.start(three, said.tell)
	testbed.Eventually(t, "the third is queued", func() bool {
		return said.has("saltpan#3 waits for its turn: saltpan#1 is at it, and 1 more come first")
	})
	require.Equal(t, model.Queued, w.state(two))
	require.Equal(t, model.Queued, w.state(three))

	// The third is taken out again; nothing was done for it.
	require.NoError(t, w.Halt(w.find(three), "ida"))
	gone := <-third
	requireFault(t, gone.err, "unqueued", "saltpan#3 was taken out of the queue; nothing was done, and it is a draft again")
	require.Equal(t, model.Draft, w.state(three))

	close(gate)
	r := <-first
	require.NoError(t, r.err)
	require.Equal(t, model.Done, r.d.State)
	// What the second was drafted on is no longer so: it says so and does nothing.
	r = <-second
	requireFault(t, r.err, "draft-stale", "saltpan#2 is no longer true")
	require.True(t, said.has("it is the turn of saltpan#2"))
	require.Equal(t, "one", w.files()["d/lamp"])
	requireFault(t, w.Halt(one, "ida"), "wrong-state", "only what is running, or waits for its turn, can be halted")
}

// The first in the queue can be taken out too while it still looks at a host
// that does not answer.
func TestWhoStillLooksCanBeTakenOutOfTheQueue(t *testing.T) {
	w := open(t)
	d := w.draft(w.crate("1", map[string]string{"d/lamp": "one"}))
	looking := make(chan struct{}, 8)
	w.set(func() { w.stalls = looking })
	over := w.start(d, silent)
	<-looking
	require.NoError(t, w.Halt(w.find(d), "ida"))
	r := <-over
	requireFault(t, r.err, "unqueued", "saltpan#1 was taken out of the queue; nothing was done, and it is a draft again")
	require.Equal(t, model.Draft, w.state(d))
	require.Empty(t, testbed.Snapshot(t, w.root), "nothing of ours is left")
	w.set(func() { w.stalls = nil })
	r = <-w.start(w.find(d), silent)
	require.NoError(t, r.err)
	require.Equal(t, map[string]string{"d/lamp": "one"}, w.files())
}

func TestTwoClientsAskForTheSameDeployment(t *testing.T) {
	w := open(t)
	d := w.draft(w.crate("1", map[string]string{"d/lamp": "one", "d/other": "x"}))
	var wg sync.WaitGroup
	results := make([]error, 8)
	for i := range results {
		wg.Go(func() { _, results[i] = w.Run(t.Context(), d, d.Digest.String(), nil, "ida", silent) })
	}
	wg.Wait()
	ran := 0
	for _, err := range results {
		if err == nil {
			ran++
			continue
		}
		requireFault(t, err, "wrong-state", "saltpan#1 cannot run: the deployment is not draft")
	}
	require.Equal(t, 1, ran)
	require.Equal(t, model.Done, w.state(d))
	require.Equal(t, map[string]string{"d/lamp": "one", "d/other": "x"}, w.files())
}

func TestWhatAServiceLeftAtItsEnd(t *testing.T) {
	w := open(t)
	one := w.draft(w.crate("1", map[string]string{"d/lamp": "one"}))
	two := w.draft(w.crate("2", map[string]string{"d/lamp": "two"}))
	require.NoError(t, w.db.Advance(t.Context(), one.ID, model.Queued, model.Draft))
	require.NoError(t, w.db.Advance(t.Context(), one.ID, model.Running, model.Queued))
	require.NoError(t, w.db.Advance(t.Context(), two.ID, model.Queued, model.Draft))
	untidy, err := w.another().Recover(t.Context())
	require.NoError(t, err)
	require.Empty(t, untidy)
	require.Equal(t, model.Halted, w.state(one))
	require.Equal(t, model.Draft, w.state(two), "nothing was done for what only waited")
	_, err = w.Run(t.Context(), two, two.Digest.String(), nil, "ida", silent)
	requireFault(t, err, "slot-taken", "saltpan#2 cannot run now: saltpan#1 is halted; one deployment at a time changes a server")
	require.Equal(t, model.Draft, w.state(two))
}

func TestWhatCouldNotBeTidiedIsTidiedLater(t *testing.T) {
	w := open(t)
	w.deploy(w.crate("1", map[string]string{"d/lamp": "one", "d/gone": "g"}))
	w.set(func() { w.deaf = errors.New("the host is busy") })
	d := w.deploy(w.crate("2", map[string]string{"d/lamp": "two"}))
	require.True(t, d.Untidy)
	require.Equal(t, "two", w.files()["d/lamp"], "it is done all the same")
	_, err := w.Tidy(t.Context(), d, silent)
	require.ErrorContains(t, err, "the host is busy")
	w.set(func() { w.deaf = nil })
	d, err = w.Tidy(t.Context(), d, silent)
	require.NoError(t, err)
	require.False(t, d.Untidy)
	require.Equal(t, map[string]string{"d/lamp": "two"}, w.files(), "nothing of ours is left")
	_, err = w.Tidy(t.Context(), d, silent)
	requireFault(t, err, "tidy", "saltpan#2 is done and has nothing on its server that could be tidied")

	w.set(func() { w.deaf = errors.New("the host is busy") })
	d = w.deploy(w.crate("3", map[string]string{"d/lamp": "three"}))
	w.set(func() { w.deaf = nil })
	next := w.draft(w.crate("4", map[string]string{"d/lamp": "four"}))
	said := &telling{}
	r := <-w.start(next, said.tell)
	require.NoError(t, r.err)
	require.True(t, said.has("clearing what saltpan#3 has left on the server"))
	require.Equal(t, map[string]string{"d/lamp": "four"}, w.files())
	d, err = w.db.DeploymentByID(t.Context(), d.ID)
	require.NoError(t, err)
	require.False(t, d.Untidy)
}

// The order of things is their sequence, never the clock, and a clock that was
// set makes no file look unchanged that is not.
func TestAClockThatIsSet(t *testing.T) {
	for name, jump := range map[string]time.Duration{"back": -26 * time.Hour, "on": 26 * time.Hour} {
		t.Run(name, func(t *testing.T) {
			w := open(t)
			first := w.deploy(w.crate("1", map[string]string{"d/lamp": "one", "d/kept": "k"}))
			w.set(func() { w.now = time.Now().Add(jump) })
			w.deploy(w.crate("2", map[string]string{"d/lamp": "two", "d/kept": "k"}))
			testbed.Write(t, filepath.Join(w.root, "d/lamp"), "owt") // by the server, as long as ours and at once
			d := w.draft("lamps@1")
			require.Equal(t, "changed-file", d.Draft.Findings[0].Code, "%+v", d.Draft.Findings)
			d, err := w.Draft(t.Context(), "saltpan", requests.Ask{Back: &requests.Back{Deployment: 2}}, nil, "ida", silent)
			require.NoError(t, err)
			require.Equal(t, "changed-since", d.Draft.Findings[0].Code)
			events, err := w.db.Events(t.Context(), w.srv.ID)
			require.NoError(t, err)
			var order []string
			for _, e := range events {
				if e.Change.Path == "d/lamp" {
					order = append(order, e.Deployment+" "+string(e.Change.Path))
				}
			}
			require.Equal(t, []string{"saltpan#1 d/lamp", "saltpan#2 d/lamp"}, order)
			seq, err := w.db.LastSeq(t.Context(), w.srv.ID, first.Number)
			require.NoError(t, err)
			back := draft.AsOf([]draft.Event{events[0].Event, events[1].Event}, seq, "saltpan#1", func(draft.Event) bool { return true })
			for _, r := range back {
				require.NotEqual(t, tree.Path("d/kept"), r.Path, "it has not changed since")
			}
		})
	}
}

// A draft that changes nothing is recorded at once while it is fresh; later the
// server is looked at again.
func TestADraftThatChangesNothingIsNotLookedAtTwice(t *testing.T) {
	w := open(t)
	label := w.crate("1", map[string]string{"d/lamp": "one"})
	w.deploy(label)
	same := w.draft(label)
	require.Zero(t, same.Draft.Motions.Len())
	testbed.Write(t, filepath.Join(w.root, "d/lamp"), "another")
	w.set(func() { w.now = time.Now().Add(2 * time.Minute) })
	_, err := w.Run(t.Context(), same, same.Digest.String(), nil, "ida", silent)
	requireFault(t, err, "draft-stale", "saltpan#2 is no longer true")
}

// Many folders are listed and many files read side by side.
func TestALookAtManyFolders(t *testing.T) {
	w := open(t)
	files := map[string]string{}
	for i := range 60 {
		for j := range 3 {
			files[fmt.Sprintf("d/%02d/%d.txt", i, j)] = fmt.Sprint(i, j)
		}
	}
	label := w.crate("1", files)
	w.deploy(label)
	require.Equal(t, files, w.files())
	files["d/07/1.txt"] = "changed"
	testbed.Write(t, filepath.Join(w.root, "d/07/1.txt"), "changed")
	d := w.draft(label)
	require.Len(t, d.Draft.Changes, 1)
	require.Equal(t, tree.Path("d/07/1.txt"), d.Draft.Changes[0].Path)
}

// What a lost service has left in the work folder: uploads that it had begun are
// cleared, a server's own files that it had set aside are never touched, and
// keep a deployment of the same number from running.
func TestWhatALostServiceLeftInTheWorkFolder(t *testing.T) {
	w := open(t)
	for path, text := range map[string]string{"7/in-0/3": "begun", "1/in-0/9": "begun too", "1/in-f1/d/x": "and this", "8/out-0/4": "theirs", "probe-abc/probe-a": "of a test"} {
		testbed.Write(t, filepath.Join(w.root, ".restless-crate", path), text)
	}
	d := w.draft(w.crate("1", map[string]string{"d/lamp": "one"}))
	said := &telling{}
	r := <-w.start(d, said.tell)
	require.NoError(t, r.err)
	require.True(t, said.has("clearing 3 files that a lost service had begun to upload"), "%v", said.notes)
	require.Equal(t, map[string]string{"d/lamp": "one", ".restless-crate/8/out-0/4": "theirs", ".restless-crate/probe-abc/probe-a": "of a test"}, w.files(), "another service's test may be under way")

	testbed.Write(t, filepath.Join(w.root, ".restless-crate/2/out-f1/x"), "their only copy")
	before := w.files()
	next := w.draft(w.crate("2", map[string]string{"d/lamp": "two"}))
	r = <-w.start(next, silent)
	requireFault(t, r.err, "set-aside-in-way", "saltpan#2 cannot run: .restless-crate/2/out-f1/x was set aside there by a service that is lost, and may be the only copy")
	require.Equal(t, before, w.files())
	require.Equal(t, model.Draft, w.state(next))
}

// At the root of some hosts nothing can be made: then there is no lock, which the
// draft says, and temporary files stand beside their targets.
func TestAHostWhoseRootIsClosed(t *testing.T) {
	w := open(t)
	testbed.Write(t, filepath.Join(w.root, "d/own.log"), "theirs")
	w.srv.Abilities.NoWork, w.srv.Abilities.RenameFromWork, w.srv.Abilities.RenameFolders = true, false, false
	require.NoError(t, w.db.SaveAbilities(t.Context(), w.srv))
	w.set(func() { w.closed = true })
	d := w.deploy(w.crate("1", map[string]string{"d/lamp": "one", "d/new/lamp": "n"}))
	var codes []string
	for _, f := range d.Draft.Findings {
		codes = append(codes, f.Code)
	}
	require.Contains(t, codes, "no-lock")
	w.deploy(w.crate("2", map[string]string{"d/lamp": "two"}))
	require.Equal(t, map[string]string{"d/own.log": "theirs", "d/lamp": "two"}, w.files())
	back, err := w.Draft(t.Context(), "saltpan", requests.Ask{Back: &requests.Back{Deployment: 2}}, nil, "ida", silent)
	require.NoError(t, err)
	r := <-w.start(back, silent)
	require.NoError(t, r.err)
	require.Equal(t, map[string]string{"d/own.log": "theirs", "d/lamp": "one", "d/new/lamp": "n"}, w.files())
}

// A service that was killed while it took a host's lock has left one that nobody has
// signed. After its next start that hinders none of what it had begun; elsewhere a
// person says whose it is.
func TestALockThatWasLeftUnsigned(t *testing.T) {
	for name, c := range map[string]struct {
		found model.State
		goOn  func(*Service, *world, model.Deployment) error
	}{
		"before a run": {model.Queued, func(s *Service, w *world, d model.Deployment) error {
			_, err := s.Run(w.t.Context(), d, d.Digest.String(), nil, "ida", silent)
			return err
		}},
		"within a run": {model.Running, func(s *Service, w *world, d model.Deployment) error {
			_, err := s.Resume(w.t.Context(), d, "ida", silent)
			return err
		}},
	} {
		t.Run(name, func(t *testing.T) {
			w := open(t)
			d := w.draft(w.crate("1", map[string]string{"d/lamp": "one"}))
			require.NoError(t, w.db.Advance(t.Context(), d.ID, c.found, model.Draft))
			require.NoError(t, os.MkdirAll(filepath.Join(w.root, ".restless-crate/lock"), 0o755))
			again := w.another()
			_, err := again.Recover(t.Context())
			require.NoError(t, err)
			d, err = w.db.DeploymentByID(t.Context(), d.ID)
			require.NoError(t, err)
			require.NoError(t, c.goOn(again, w, d))
			require.Equal(t, map[string]string{"d/lamp": "one"}, w.files())
		})
	}
	w := open(t)
	d := w.draft(w.crate("1", map[string]string{"d/lamp": "one"}))
	require.NoError(t, os.MkdirAll(filepath.Join(w.root, ".restless-crate/lock"), 0o755))
	r := <-w.start(d, silent)
	requireFault(t, r.err, "host-locked", "saltpan#1 cannot run now: it is locked, and the lock does not say by whom")
}
