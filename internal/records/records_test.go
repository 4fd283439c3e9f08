package records

import (
	"fmt"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// open gives a new database whose clock stands still.
func open(t *testing.T) *DB {
	t.Helper()
	db, err := Open(t.Context(), filepath.Join(t.TempDir(), "records.db"), func() time.Time { return time.UnixMilli(1_000_000) })
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	return db
}

func server(t *testing.T, db *DB, name string) model.Server {
	t.Helper()
	s, err := db.AddServer(t.Context(), model.Server{Name: name, Rulebook: "fair", Transport: model.Transport{Kind: "folder", Root: "/srv"}})
	require.NoError(t, err)
	return s
}

func drafted(t *testing.T, db *DB, s model.Server, changes ...draft.Change) model.Deployment {
	t.Helper()
	d := draft.Draft{Changes: changes}
	dep, err := db.AddDeployment(t.Context(), model.Deployment{ServerID: s.ID, Kind: "deploy", Title: "x", Ask: []byte("{}"), Digest: d.Digest(), Draft: d, Actor: "me"})
	require.NoError(t, err)
	return dep
}

func finish(t *testing.T, db *DB, d model.Deployment) {
	t.Helper()
	require.NoError(t, db.Advance(t.Context(), d.ID, model.Queued, model.Draft))
	require.NoError(t, db.Advance(t.Context(), d.ID, model.Running, model.Queued))
	require.NoError(t, db.Finish(t.Context(), d, nil, false))
}

func content(text string) tree.State {
	return tree.State{Being: tree.Content, Digest: tree.Sum([]byte(text)), Size: int64(len(text)), Mode: 0o644}
}

func claims(label string) []draft.Claim {
	return []draft.Claim{{Addon: "lamps", Label: label, Crate: tree.Sum([]byte(label)), Role: draft.Owns}}
}

func TestNumbersAreGivenAtDraftAndPerServer(t *testing.T) {
	db := open(t)
	a, b := server(t, db, "a"), server(t, db, "b")
	require.Equal(t, "a#1", drafted(t, db, a).Name())
	require.Equal(t, "a#2", drafted(t, db, a).Name())
	require.Equal(t, "b#1", drafted(t, db, b).Name())
	a.Name = "renamed"
	require.NoError(t, db.EditServer(t.Context(), a, false, false))
	require.Equal(t, "renamed#3", drafted(t, db, a).Name(), "a rename keeps id and numbers")
}

func TestStatesMoveOnlyAsDrawnAndOneAtATime(t *testing.T) {
	db := open(t)
	s := server(t, db, "a")
	one, two := drafted(t, db, s), drafted(t, db, s)
	require.ErrorIs(t, db.Advance(t.Context(), one.ID, model.Running, model.Queued), model.ErrConflict)
	require.NoError(t, db.Advance(t.Context(), one.ID, model.Queued, model.Draft))
	require.NoError(t, db.Advance(t.Context(), two.ID, model.Queued, model.Draft), "many may wait")
	require.NoError(t, db.Advance(t.Context(), one.ID, model.Running, model.Queued))
	err := db.Advance(t.Context(), two.ID, model.Running, model.Queued)
	require.ErrorIs(t, err, model.ErrConflict)
	require.ErrorContains(t, err, "a#1 is running; one deployment at a time changes a server")
	holder, err := db.SlotOf(t.Context(), two.ID)
	require.NoError(t, err)
	require.Equal(t, "a#1 is running", holder)
	require.NoError(t, db.Halt(t.Context(), one.ID, "the line broke"))
	require.ErrorIs(t, db.Advance(t.Context(), two.ID, model.Running, model.Queued), model.ErrConflict, "a halted one keeps the slot")
	require.NoError(t, db.Advance(t.Context(), one.ID, model.Undoing, model.Halted))
	require.NoError(t, db.Advance(t.Context(), one.ID, model.UndoneAll, model.Undoing))
	require.NoError(t, db.Advance(t.Context(), two.ID, model.Running, model.Queued))
	holder, err = db.SlotOf(t.Context(), two.ID)
	require.NoError(t, err)
	require.Empty(t, holder)
}

func TestTwoClientsCannotTakeOneSlot(t *testing.T) {
	db := open(t)
	s := server(t, db, "a")
	var wg sync.WaitGroup
	won := make([]bool, 16)
	for i := range won {
		d := drafted(t, db, s)
		require.NoError(t, db.Advance(t.Context(), d.ID, model.Queued, model.Draft))
		wg.Go(func() { won[i] = db.Advance(t.Context(), d.ID, model.Running, model.Queued) == nil })
	}
	wg.Wait()
	n := 0
	for _, w := range won {
		if w {
			n++
		}
	}
	require.Equal(t, 1, n)
}

func TestTheJournalIsKeyedAndKnowsKeptBytes(t *testing.T) {
	db := open(t)
	d := drafted(t, db, server(t, db, "a"))
	m := draft.Motion{ID: 1, Leg: 1, Kind: draft.KeepMotion}
	require.NoError(t, db.Intend(t.Context(), d.ID, []draft.Motion{m, {ID: 2, Leg: 1}}))
	marks, err := db.Marks(t.Context(), d.ID)
	require.NoError(t, err)
	require.Equal(t, deploy.Intended, marks.At(deploy.Key{Leg: 1, Motion: 2}).State)
	kept := stockroom.Kept{Digest: tree.Sum([]byte("old")), Location: stockroom.Location{Container: "segments/x", Span: stockroom.Span{Offset: 5, Length: 3, Size: 3, Method: stockroom.Stored}}}
	_, err = db.Locate(t.Context(), kept.Digest)
	require.ErrorIs(t, err, stockroom.ErrNotHeld)
	require.NoError(t, db.Conclude(t.Context(), d.ID, []deploy.Outcome{{Motion: m, Result: deploy.Result{Bytes: deploy.Bytes{Digest: kept.Digest, Size: 3}, Kept: &kept}}}))
	loc, err := db.Locate(t.Context(), kept.Digest)
	require.NoError(t, err)
	require.Equal(t, kept.Location, loc)
	marks, err = db.Marks(t.Context(), d.ID)
	require.NoError(t, err)
	require.Equal(t, deploy.Mark{State: deploy.Finished, Result: deploy.Result{Bytes: deploy.Bytes{Digest: kept.Digest, Size: 3}}}, marks.At(deploy.Key{Leg: 1, Motion: 1}))
	require.NoError(t, db.Reverse(t.Context(), d.ID, []deploy.Outcome{{Motion: m}}))
	marks, err = db.Marks(t.Context(), d.ID)
	require.NoError(t, err)
	require.Equal(t, deploy.Undone, marks.At(deploy.Key{Leg: 1, Motion: 1}).State)
}

func TestLedgerEventsAreNeverChangedOrRemoved(t *testing.T) {
	db := open(t)
	d := drafted(t, db, server(t, db, "a"), draft.Change{Path: "x", Before: tree.Nothing, After: content("1"), ClaimsAfter: claims("lamps@1")})
	finish(t, db, d)
	for _, q := range []string{`UPDATE ledger_event SET path_id = 7`, `DELETE FROM ledger_event`} {
		_, err := db.sql.ExecContext(t.Context(), q)
		require.ErrorContains(t, err, "ledger events are never")
	}
	require.Error(t, db.Finish(t.Context(), d, nil, false), "a deployment is recorded once")
}

// The ledger's state is always what its events say.
func TestTheStateIsRebuiltFromTheEvents(t *testing.T) {
	db := open(t)
	n := 0
	rapid.Check(t, func(rt *rapid.T) {
		n++
		s := server(t, db, fmt.Sprint("s", n))
		want := map[tree.Path]draft.Row{}
		for i := range rapid.IntRange(1, 6).Draw(rt, "deployments") {
			var changes []draft.Change
			for _, p := range []tree.Path{"a", "f", "f/b"} {
				c := draft.Change{Path: p, Before: tree.Nothing}
				switch rapid.IntRange(0, 3).Draw(rt, "what") {
				case 0:
					continue
				case 1:
					c.After = tree.Nothing
					delete(want, p)
				case 2:
					c.After = tree.State{Being: tree.Folder, Mode: 0o755}
					want[p] = draft.Row{State: c.After}
				case 3:
					c.After = content(string(p) + string(rune('0'+i)))
					c.ClaimsAfter = claims("lamps@" + string(rune('0'+i)))
					want[p] = draft.Row{State: c.After, Claims: c.ClaimsAfter}
				}
				changes = append(changes, c)
			}
			finish(t, db, drafted(t, db, s, changes...))
		}
		before, err := db.Ledger(t.Context(), s.ID)
		require.NoError(rt, err)
		require.Equal(rt, want, before)
		require.NoError(rt, db.Rebuild(t.Context(), s.ID))
		after, err := db.Ledger(t.Context(), s.ID)
		require.NoError(rt, err)
		require.Equal(rt, want, after)
	})
}

func TestRevisionsAreImmutableAndTheSameTextIsNotANewOne(t *testing.T) {
	db := open(t)
	add := func(text string) (model.Revision, bool) {
		r, fresh, err := db.AddRevision(t.Context(), model.Revision{Name: "fair", Title: "Fair", Text: []byte(text), Digest: tree.Sum([]byte(text)).String(), Actor: "me"})
		require.NoError(t, err)
		return r, fresh
	}
	one, fresh := add("one")
	require.True(t, fresh)
	_, fresh = add("one")
	require.False(t, fresh)
	two, _ := add("two")
	require.Equal(t, []int{1, 2}, []int{one.Number, two.Number})
	server(t, db, "a")
	require.ErrorIs(t, db.DropRulebook(t.Context(), "fair"), model.ErrConflict)
	old, err := db.Rulebook(t.Context(), "fair", 1)
	require.NoError(t, err)
	require.Equal(t, "one", string(old.Text))
}

func TestAnOddPathNameIsStillAFileName(t *testing.T) {
	db, err := Open(t.Context(), filepath.Join(t.TempDir(), "with space?#%41"), time.Now)
	require.NoError(t, err)
	require.NoError(t, db.Close())
}

func TestListsOfDeploymentsComeWithoutWhatIsLong(t *testing.T) {
	db := open(t)
	s, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "r"})
	require.NoError(t, err)
	d := draft.Draft{Changes: []draft.Change{{Path: "a"}}, Steps: []draft.Step{{ID: 1, Verb: draft.Put, Path: "a"}},
		Outline: draft.Outline{Counts: draft.Counts{In: 1}, WayBack: draft.BackFiles, Sets: []draft.Set{{Variable: "port", Before: "a", After: "b"}}}}
	d.Motions = draft.MotionsOf(d.Changes, draft.Motion{ID: 1, Path: "a"}, draft.Motion{ID: 2, Path: "a"})
	made, err := db.AddDeployment(t.Context(), model.Deployment{ServerID: s.ID, Kind: "deploy", Title: "x", Ask: []byte("{}"), Digest: d.Digest(), Draft: d, Actor: "me"})
	require.NoError(t, err)
	require.Equal(t, d, made.Draft)
	whole, err := db.DeploymentByID(t.Context(), made.ID)
	require.NoError(t, err)
	require.Equal(t, whole.Draft.Digest(), made.Draft.Digest())
	list, err := db.Deployments(t.Context(), "saltpan", 0, 10)
	require.NoError(t, err)
	require.Equal(t, 2, list[0].Motions)
	require.Equal(t, draft.Draft{Outline: d.Outline}, list[0].Draft)

	whole.Draft.Motions = draft.MotionsOf(whole.Draft.Changes, whole.Draft.Motions.At(0))
	require.NoError(t, db.SaveDraft(t.Context(), whole))
	list, err = db.Deployments(t.Context(), "", 0, -1)
	require.NoError(t, err)
	require.Equal(t, 1, list[0].Motions, "a draft that was made again")
}

func TestTheJobThatRunsIsTheLastOne(t *testing.T) {
	db := open(t)
	for _, id := range []string{"job-1", "job-2"} {
		require.NoError(t, db.AddJob(t.Context(), model.Job{ID: id, Kind: "run", Subject: "saltpan#1", State: "running", Actor: "mara"}))
	}
	require.NoError(t, db.EndJob(t.Context(), "job-2", "failed", nil, []byte(`{}`)))
	j, err := db.LastJob(t.Context(), "run", "saltpan#1")
	require.NoError(t, err)
	require.Equal(t, "job-1", j.ID, "the second was refused; the first goes on")
	require.NoError(t, db.EndJob(t.Context(), "job-1", "done", []byte(`{}`), nil))
	j, err = db.LastJob(t.Context(), "run", "saltpan#1")
	require.NoError(t, err)
	require.Equal(t, "job-2", j.ID)
}
