package deploy_test

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// Stopped at every point of every motion, a run reaches exactly new by going
// on and exactly old by going back, also when the undo is stopped as well, and
// new again when that undo is given up. Hosts that rename whole folders and
// hosts that do not are both gone through.
func TestEveryPointOfEveryMotion(t *testing.T) {
	kinds := map[string]int{}
	found, tried := 0, 0
	for way, fresh := range map[string]func(t *testing.T) *bench{
		"whole folders": func(t *testing.T) *bench { return newBenchOn(t, true) },
		"file by file":  func(t *testing.T) *bench { return newBenchOn(t, false) },
		"two legs":      newBenchInLegs,
		"two starts":    newBenchOfStarts,
		"copies":        newBenchOfCopies,
		"copies back":   newBenchOfCopiesBack,
		"data back":     newBenchGoingBack,
		"data anew":     newBenchRenewing,
		"new names":     newBenchMoving,
	} {
		probe := fresh(t)
		require.NoError(t, probe.whole(probe.run(0, ""))) // a later leg is drafted on the way
		for m := range probe.dep.Draft.Motions.All() {
			kinds[kindOf(m)]++
			if way == "two legs" && m.Leg == 1 && !m.OfServer() && m.Kind != draft.EditMotion {
				continue // as in one leg
			}
			if strings.HasPrefix(way, "copies") && !m.OnHost && m.Kind != draft.RestoreMotion && m.Do != power.Start {
				continue // as in the others
			}
			if way == "two starts" && !m.OfServer() {
				continue // as in one leg
			}
			if way == "data anew" && m.Kind != draft.RenewMotion && m.Do != power.Start {
				continue
			}
			if way == "new names" && m.Kind != draft.MoveMotion && m.Kind != draft.EditMotion {
				continue // as in the others
			}
			if way == "data back" && !m.KeepsFolder() && m.Kind != draft.RestoreMotion && m.Do != power.Start {
				continue // as in the others
			}
			for _, at := range []deploy.Point{deploy.AfterIntent, midEffect, deploy.AfterEffect, deploy.AfterResult} {
				if m.Kind == draft.WaitMotion && at == midEffect || m.Do == draft.UntilTicked && at != deploy.AfterIntent {
					continue // a wait has no effect to be in the middle of, and a tick is a person's
				}
				found++
				t.Run(fmt.Sprintf("%s, %d %s %s", way, m.ID, kindOf(m), at), func(t *testing.T) {
					t.Parallel()
					stopped := func() *bench {
						b := fresh(t)
						require.ErrorIs(t, b.whole(b.run(m.ID, at)), errFault)
						return b
					}
					b := stopped()
					require.NoError(t, b.whole(b.run(0, at)))
					b.isNew()
					if m.Kind == draft.TidyMotion {
						return // recorded by then: rolled back, not undone
					}
					b = stopped()
					require.NoError(t, b.takenBack(b.run(0, at)))
					b.isOld()
					for _, back := range []int{m.ID, max(1, m.ID-2)} {
						b = stopped()
						_ = b.takenBack(b.run(back, at))
						require.NoError(t, b.takenBack(b.run(0, at)))
						b.isOld()
						b = stopped()
						_ = b.takenBack(b.run(back, at))
						require.NoError(t, b.whole(b.run(0, at)))
						b.isNew()
					}
				})
				tried++
			}
		}
	}
	t.Logf("kinds of motion: %v", kinds)
	t.Logf("positions found %d, tried %d", found, tried)
	require.Equal(t, found, tried)
	for _, kind := range draft.MotionKinds() {
		require.True(t, slices.ContainsFunc(slices.Collect(maps.Keys(kinds)), func(of string) bool {
			return of == kind.String() || strings.HasPrefix(of, kind.String()+",") || strings.HasPrefix(of, kind.String()+" ")
		}),
			"no draft of these holds a motion of the kind %s, so nobody knows what a fault in it does", kind)
	}
	require.Len(t, kinds, 23, "with what each acts on")
}

func kindOf(m draft.Motion) string {
	switch {
	case m.OfServer():
		return m.Kind.String() + ", " + string(m.Do)
	case m.OnHost:
		return m.Kind.String() + ", on the host"
	case m.Kind == draft.RestoreMotion:
		return m.Kind.String()
	case m.Whole():
		return m.Kind.String() + ", whole folder"
	case m.Before.Being == tree.Folder || m.After.Being == tree.Folder:
		return m.Kind.String() + ", folder"
	}
	return m.Kind.String()
}

// A service that was killed between taking its name off the lock and the lock away
// has left an unsigned one: what is tidied takes it away too, but not one that is
// signed.
func TestTidyingTakesAnUnsignedLockAway(t *testing.T) {
	for signed, want := range map[bool]string{false: "", true: `{"service":"quay-1"}`} {
		b := newBench(t)
		r := b.run(0, "")
		require.NoError(t, b.swapped(r))
		lock := filepath.Join(b.root, ".restless-crate/lock")
		require.NoError(t, os.MkdirAll(lock, 0o755))
		if signed {
			testbed.Write(t, filepath.Join(lock, "held-by.json"), want)
		}
		require.NoError(t, r.Tidy(t.Context()))
		if signed {
			raw, err := os.ReadFile(filepath.Join(lock, "held-by.json"))
			require.NoError(t, err)
			require.Equal(t, want, string(raw))
			continue
		}
		require.NoDirExists(t, filepath.Join(b.root, ".restless-crate"))
	}
}

// What a server makes in a folder that goes, or in one that has just come,
// stays where it made it, however often going back is broken off.
func TestWhatAServerMakesInAFolderOfOursStays(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "gone/deep/made"), "by the server")
	testbed.Write(t, filepath.Join(b.root, "gone/two"), "written last")
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Swap))
	_, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NoError(t, r.Tidy(t.Context()))
	now := testbed.Files(testbed.Snapshot(t, b.root))
	require.Equal(t, "by the server", now["gone/deep/made"])
	require.NotContains(t, now, "gone/two")
	require.Contains(t, strings.Join(r.Notes(), "\n"), "something that is not of this deployment was in gone; it is where it was")
	for _, c := range changes {
		if c.Path == "gone/two" {
			require.Equal(t, tree.Sum([]byte("written last")), c.Before.Digest, "its last bytes are kept, and the ledger knows them")
			rc, err := b.room.Open(t.Context(), c.Before.Digest)
			require.NoError(t, err)
			require.NoError(t, rc.Close())
		}
	}
	for _, made := range []bool{true, false} {
		goBackBrokenOffAnywhere(t, made)
	}
}

// goBackBrokenOffAnywhere breaks an undo off at each of its calls. made is for a
// server that has made something in a new folder too.
func goBackBrokenOffAnywhere(t *testing.T, made bool) {
	calls := 0
	for breakAt := 1; ; breakAt++ {
		b := newBench(t)
		require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare, draft.Swap))
		testbed.Write(t, filepath.Join(b.root, "d/changed"), "in a file since")
		if made {
			testbed.Write(t, filepath.Join(b.root, "new/deep/made"), "by the server")
		}
		testbed.Write(t, filepath.Join(b.root, "new/other"), "since the swap")
		h := &nth{Host: b.host, left: breakAt}
		r := b.run(0, "")
		r.Host = h
		broke := r.Backward(t.Context())
		if broke != nil {
			require.ErrorIs(t, broke, errFault)
			calls++
			require.NoError(t, b.run(0, "").Backward(t.Context()), "broken off at call %d", breakAt)
		}
		now := testbed.Snapshot(t, b.root)
		if made {
			require.Equal(t, "by the server", now["new/deep/made"].Text)
			for _, p := range []string{"new", "new/deep", "new/deep/made"} {
				delete(now, p)
			}
		}
		require.Equal(t, b.old, now, "broken off at call %d", breakAt)
		for _, text := range []string{"since the swap", "in a file since"} {
			rc, err := b.room.Open(t.Context(), tree.Sum([]byte(text)))
			require.NoError(t, err, "%q, which the server wrote into ours, is kept; broken off at call %d", text, breakAt)
			require.NoError(t, rc.Close())
		}
		if broke == nil {
			break
		}
	}
	t.Logf("broken off at each of %d calls", calls)
	require.Greater(t, calls, 10)
}

// nth is a host that does so many changes, and of the last gives no answer.
type nth struct {
	remote.Host
	mu   sync.Mutex
	left int
}

func (h *nth) last(err error) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.left--; h.left <= 0 {
		return errors.Join(err, errFault)
	}
	return err
}

func (h *nth) Rename(ctx context.Context, from, to tree.Path) error {
	return h.last(h.Host.Rename(ctx, from, to))
}

func (h *nth) MakeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	return h.last(h.Host.MakeFolder(ctx, p, mode))
}

func (h *nth) RemoveFile(ctx context.Context, p tree.Path) error {
	return h.last(h.Host.RemoveFile(ctx, p))
}

func (h *nth) RemoveFolder(ctx context.Context, p tree.Path) error {
	return h.last(h.Host.RemoveFolder(ctx, p))
}

// What a running server writes between the look and the swap is not lost.
func TestTheLastBytesOfAReplacedFileAreKept(t *testing.T) {
	b := newBench(t)
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "written at the last moment")
	require.NoError(t, r.Forward(t.Context(), draft.Swap, draft.Proof))
	_, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NoError(t, r.Tidy(t.Context()))
	b.want["d/changed"] = "two"
	b.isNew()
	for _, c := range changes {
		if c.Path == "d/changed" {
			require.Equal(t, tree.Sum([]byte("written at the last moment")), c.Before.Digest, "the ledger knows what really stood there")
			rc, err := b.room.Open(t.Context(), c.Before.Digest)
			require.NoError(t, err)
			require.NoError(t, rc.Close())
		}
	}
	require.Contains(t, strings.Join(r.Notes(), "\n"), "d/changed was written to after it was looked at; its last bytes are kept")
}

// What a server writes into a new file before an undo is kept as well.
func TestUndoKeepsWhatWasWrittenSince(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare, draft.Swap))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "since the swap")
	testbed.Write(t, filepath.Join(b.root, "new/deep/made-by-server"), "x")
	r := b.run(0, "")
	require.NoError(t, r.Backward(t.Context()))
	now := testbed.Snapshot(t, b.root)
	require.Equal(t, "x", now["new/deep/made-by-server"].Text)
	for _, p := range []string{"new", "new/deep", "new/deep/made-by-server"} {
		delete(now, p)
	}
	require.Equal(t, b.old, now)
	rc, err := b.room.Open(t.Context(), tree.Sum([]byte("since the swap")))
	require.NoError(t, err)
	require.NoError(t, rc.Close())
	require.Contains(t, strings.Join(r.Notes(), "\n"), "the folder new/deep stays")
}

// A file that appears in the way after the look is not replaced.
func TestSomethingInTheWayHaltsAndIsNotTouched(t *testing.T) {
	b := newBench(t)
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "new/deep/file"), "somebody was faster")
	err := r.Forward(t.Context(), draft.Swap)
	var trouble *deploy.MotionError
	require.ErrorAs(t, err, &trouble)
	require.Equal(t, "somebody was faster", testbed.Snapshot(t, b.root)["new/deep/file"].Text)
	require.NoError(t, b.run(0, "").Backward(t.Context()))
	now := testbed.Snapshot(t, b.root)
	require.Equal(t, "somebody was faster", now["new/deep/file"].Text)
	for _, p := range []string{"new", "new/deep", "new/deep/file"} {
		delete(now, p)
	}
	require.Equal(t, b.old, now)
}

// A run that is taken up again after a lost line counts every motion once.
func TestProgressNeverPassesItsTotal(t *testing.T) {
	b := newBench(t)
	broken := true
	r := b.run(0, "")
	r.Fault = oneByOne(func(p deploy.Point, m draft.Motion) error {
		if broken && m.Kind == draft.InMotion && p == deploy.AfterEffect {
			broken = false
			return errFault
		}
		return nil
	})
	var last progress.Event
	r.Tell = func(p progress.Event) {
		require.LessOrEqual(t, p.Done, p.Total)
		last = p
	}
	require.ErrorIs(t, b.whole(r), errFault)
	require.NoError(t, b.whole(r))
	require.Equal(t, last.Total, last.Done)
	b.isNew()
}

// blind is a host that cannot list some folders for a while.
type blind struct {
	remote.Host
	folder string // that a path holds
}

func (h *blind) List(ctx context.Context, folder tree.Path) ([]remote.Info, error) {
	if strings.Contains(string(folder), h.folder) {
		return nil, errFault
	}
	return h.Host.List(ctx, folder)
}

// Where one of many looks fails, the others count for nothing that was not seen.
func TestALookThatFailsPassesOverNothing(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "written last")
	r := b.run(0, "")
	r.Host = &blind{b.host, "/out-f"}
	require.ErrorIs(t, r.Forward(t.Context(), draft.Swap), errFault)
	require.NoError(t, b.whole(b.run(0, "")))
	b.isNew()
	rc, err := b.room.Open(t.Context(), tree.Sum([]byte("written last")))
	require.NoError(t, err)
	require.NoError(t, rc.Close())
}

func withoutWork(files map[string]string) map[string]string {
	for p := range files {
		if strings.HasPrefix(p, string(draft.Work)+"/") {
			delete(files, p)
		}
	}
	return files
}

func snapshot(t *testing.T, b *bench) map[string]testbed.Thing {
	t.Helper()
	return testbed.Snapshot(t, b.root)
}
