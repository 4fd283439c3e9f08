package deploy_test

import (
	"context"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/testbed"
)

// recorder has the order in which bytes were written and synced, and checks at
// every commit that what it names was synced before.
type recorder struct {
	deploy.Journal
	t      *testing.T
	mu     sync.Mutex
	events []stockroom.Event
	named  map[tree.Digest]bool
}

func (r *recorder) watch(e stockroom.Event) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.events = append(r.events, e)
}

// safe tells whether a content was written, then synced, then its folder.
func (r *recorder) safe(d tree.Digest, container string) bool {
	want := []stockroom.Op{stockroom.Wrote, stockroom.Synced, stockroom.SyncedFolder}
	for _, e := range r.events {
		if len(want) > 0 && e.Container == container && e.Op == want[0] && (e.Op != stockroom.Wrote || e.Digest == d) {
			want = want[1:]
		}
	}
	return len(want) == 0
}

func (r *recorder) check(outcomes []deploy.Outcome) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, o := range outcomes {
		for _, k := range o.Result.AllKept() {
			require.True(r.t, r.safe(k.Digest, k.Container), "%s of %s is on disk before the journal names it", o.Motion.Kind, o.Motion.Path)
			r.named[k.Digest] = true
		}
	}
}

// Conclude implements deploy.Journal.
func (r *recorder) Conclude(ctx context.Context, id int64, outcomes []deploy.Outcome) error {
	r.check(outcomes)
	return r.Journal.Conclude(ctx, id, outcomes)
}

// Reverse implements deploy.Journal.
func (r *recorder) Reverse(ctx context.Context, id int64, outcomes []deploy.Outcome) error {
	r.check(outcomes)
	return r.Journal.Reverse(ctx, id, outcomes)
}

func TestBytesAreSyncedBeforeTheJournalNamesThem(t *testing.T) {
	b := newBench(t)
	r := &recorder{Journal: b.db, t: t, named: map[tree.Digest]bool{}}
	b.room.Watch(r.watch)
	run := func() *deploy.Run {
		one := b.run(0, "")
		one.Journal = r
		return one
	}
	require.NoError(t, run().Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "written last") // kept when it is set aside
	testbed.Write(t, filepath.Join(b.root, "gone/two"), "written last too")
	require.NoError(t, run().Forward(t.Context(), draft.Swap))
	testbed.Write(t, filepath.Join(b.root, "d/unknown"), "since the swap") // kept when it is taken back
	testbed.Write(t, filepath.Join(b.root, "new/other"), "since the swap too")
	require.NoError(t, run().Backward(t.Context()))
	for _, text := range []string{"by hand", "two old", "written last", "written last too", "since the swap", "since the swap too"} {
		require.True(t, r.named[tree.Sum([]byte(text))], "%q was kept on the way", text)
	}
	require.NotEmpty(t, r.events)
}
