package records

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// long is a draft with every way in which a motion can stand to its change.
func long() draft.Draft {
	old, now := tree.State{Being: tree.Content, Digest: tree.Sum([]byte("old")), Size: 3, Mode: 0o644}, tree.State{Being: tree.Content, Digest: tree.Sum([]byte("new")), Size: 3}
	claim := draft.Claim{Addon: "lamps", Label: "Lamps@1", Crate: tree.Sum(nil), Role: draft.Owns, Brings: draft.Bytes{Digest: now.Digest, Size: 3}}
	d := draft.Draft{
		Changes: []draft.Change{{Path: "a", Before: old, After: now, ClaimsAfter: []draft.Claim{claim}}, {Path: "b", Before: tree.Nothing, After: tree.State{Being: tree.Folder, Mode: 0o755}}, {Path: "c", Before: now, After: tree.Nothing}},
		Steps:   []draft.Step{{ID: 1, Leg: 1, Phase: draft.Prepare, Verb: draft.Put, Path: "a", Reason: "new <with> Lamps@1", Motions: []int{1}}, {ID: 2, Leg: 1, Phase: draft.Swap, Verb: draft.Move, What: "1 file", Motions: []int{2, 3, 4, 5, 6}}},
		Outline: draft.Outline{Counts: draft.Counts{Changed: 1}, WayBack: draft.BackFiles, LookedAt: 7},
	}
	d.Motions = draft.MotionsOf(d.Changes,
		draft.Motion{ID: 1, Leg: 1, Kind: draft.SendMotion, Phase: draft.Prepare, Group: 1, Step: 1, Path: "a", Temp: "in-0/1", After: now, Proved: true},
		draft.Motion{ID: 2, Leg: 1, Kind: draft.AsideMotion, Phase: draft.Swap, Group: 2, Step: 2, Path: "a", Temp: "out-0/2", Before: old, Seen: 99},
		draft.Motion{ID: 3, Leg: 1, Kind: draft.InMotion, Phase: draft.Swap, Group: 3, Step: 2, Path: "b", Temp: "in-f1", Before: tree.Nothing, After: d.Changes[1].After},
		draft.Motion{ID: 4, Leg: 1, Kind: draft.AsideMotion, Phase: draft.Swap, Group: 3, Step: 2, Path: "c", Temp: "out-f1/c", Before: now},
		draft.Motion{ID: 5, Leg: 1, Kind: draft.KeepMotion, Phase: draft.Swap, Group: 4, Step: 2, Path: "data", Before: tree.State{Being: tree.Folder}, OnHost: true},
		draft.Motion{ID: 6, Leg: 1, Kind: draft.PowerMotion, Phase: draft.Proof, Group: 5, Step: 2, Do: power.Start, Subject: "main", With: map[string]string{"port": "1"}})
	return d
}

// recorded gives a deployment of a draft that was run on a server.
func recorded(t *testing.T, db *DB, server int64, d draft.Draft, untidy bool) model.Deployment {
	t.Helper()
	made, err := db.AddDeployment(t.Context(), model.Deployment{ServerID: server, Kind: "deploy", Ask: []byte("{}"), Digest: d.Digest(), Draft: d, Actor: "me"})
	require.NoError(t, err)
	for _, to := range []model.State{model.Queued, model.Running} {
		require.NoError(t, db.Advance(t.Context(), made.ID, to, model.Draft, model.Queued))
	}
	require.NoError(t, db.Finish(t.Context(), made, nil, untidy))
	return made
}

func motions(d draft.Draft) []draft.Motion { return slices.Collect(d.Motions.All()) }

func TestADraftIsReadAsItWasWritten(t *testing.T) {
	db := open(t)
	s, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "r"})
	require.NoError(t, err)
	d := long()
	made, err := db.AddDeployment(t.Context(), model.Deployment{ServerID: s.ID, Kind: "deploy", Ask: []byte("{}"), Digest: d.Digest(), Draft: d, Actor: "me"})
	require.NoError(t, err)
	same := func() {
		t.Helper()
		whole, err := db.DeploymentByID(t.Context(), made.ID)
		require.NoError(t, err)
		require.Equal(t, d.Changes, whole.Draft.Changes)
		require.Equal(t, d.Steps, whole.Draft.Steps)
		require.Equal(t, motions(d), motions(whole.Draft))
		require.Equal(t, d.Outline, whole.Draft.Outline)
		require.Equal(t, d.Digest(), whole.Draft.Digest())
		steps, err := db.StepsByID(t.Context(), made.ID)
		require.NoError(t, err)
		require.Equal(t, d.Steps, steps.Draft.Steps)
		ahead, err := db.Ahead(t.Context(), made.ID)
		require.NoError(t, err)
		require.Equal(t, d.Ahead(), ahead)
	}
	same()

	// A draft that an earlier version has written lies in one piece.
	_, err = db.sql.ExecContext(t.Context(), `UPDATE deployment SET draft = ?, draft_changes = NULL, draft_steps = NULL, draft_motions = NULL, draft_ahead = NULL WHERE id = ?`, zipped(d), made.ID)
	require.NoError(t, err)
	same()
	require.NoError(t, db.SaveDraft(t.Context(), model.Deployment{ID: made.ID, Digest: d.Digest(), Draft: d}))
	same()
}

// Of a deployment that is over its outline, its steps and the copies of its data stay.
func TestWhatATidyDeploymentKeepsOfItsDraft(t *testing.T) {
	db := open(t)
	s, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "r"})
	require.NoError(t, err)
	d := long()
	made := recorded(t, db, s.ID, d, true)
	copied := draft.MotionsOf(nil, d.Motions.At(4))
	require.NoError(t, db.SetTidy(t.Context(), made.ID, copied))
	now, err := db.DeploymentByID(t.Context(), made.ID)
	require.NoError(t, err)
	require.False(t, now.Untidy)
	require.Equal(t, 6, now.Motions)
	require.Empty(t, now.Draft.Changes)
	require.Equal(t, d.Steps, now.Draft.Steps)
	require.Equal(t, []draft.Motion{d.Motions.At(4)}, motions(now.Draft))
	events, err := db.Events(t.Context(), s.ID)
	require.NoError(t, err)
	require.Len(t, events, 3)
}

// A neighbour whose name goes on where a folder's ends takes no place of a page.
func TestAPageOfFilesIsOfTheFolderAlone(t *testing.T) {
	db := open(t)
	s, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "r"})
	require.NoError(t, err)
	var d draft.Draft
	claim := []draft.Claim{{Addon: "lamps", Label: "Lamps@1", Role: draft.Owns}}
	for _, p := range []tree.Path{"a-1", "a-2", "a-3", "a/1", "a/2", "a0", "b"} {
		d.Changes = append(d.Changes, draft.Change{Path: p, Before: tree.Nothing, After: tree.State{Being: tree.Content, Size: 1}, ClaimsAfter: claim})
	}
	recorded(t, db, s.ID, d, false)
	paths := func(below, after tree.Path, limit int) (out []tree.Path) {
		files, err := eachFile(db, s.ID, below, after)
		if limit >= 0 {
			files, err = db.FilesOf(t.Context(), s.ID, below, after, limit)
		}
		require.NoError(t, err)
		for _, f := range files {
			require.Equal(t, "Lamps@1", f.Claims[0].Label)
			require.Equal(t, "saltpan#1", f.Last.Deployment)
			out = append(out, f.Path)
		}
		return out
	}
	require.Equal(t, []tree.Path{"a/1"}, paths("a", "", 1))
	require.Equal(t, []tree.Path{"b"}, paths("", "a0", -1))
	require.Equal(t, []tree.Path{"a/2"}, paths("a", "a/1", 1))
	require.Empty(t, paths("a", "a/2", 1))
	require.Equal(t, []tree.Path{"a-2"}, paths("a-2", "", -1))
	require.Equal(t, []tree.Path{"a-1", "a-2"}, paths("", "", 2))
	require.Len(t, paths("", "", -1), 7)
	require.Empty(t, paths("", "", 0))
}

// eachFile gathers what comes piece by piece.
func eachFile(db *DB, server int64, below, after tree.Path) (all []model.File, err error) {
	err = db.EachFiles(context.Background(), server, below, after, func(some []model.File) error {
		all = append(all, some...)
		return nil
	})
	return all, err
}

// A long list that is read in pieces is the whole, in order; whoever reads it and gives up
// gets no more.
func TestALongListOfFilesIsWhole(t *testing.T) {
	db := open(t)
	s, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "r"})
	require.NoError(t, err)
	var d draft.Draft
	claims := []draft.Claim{{Addon: "lamps", Label: "Lamps@1", Role: draft.Owns}, {Addon: "signs", Label: "Signs@1", Role: draft.Shares}}
	for i := range 3*filesInPiece + 10 {
		d.Changes = append(d.Changes, draft.Change{Path: tree.Path(fmt.Sprintf("f%06d", i)), Before: tree.Nothing, After: tree.State{Being: tree.Content, Size: int64(i)}, ClaimsAfter: claims[:1+i%2]})
	}
	recorded(t, db, s.ID, d, false)
	files, err := eachFile(db, s.ID, "", "")
	require.NoError(t, err)
	require.Len(t, files, len(d.Changes))
	for i, f := range files {
		require.Equal(t, d.Changes[i].Path, f.Path)
		require.Equal(t, int64(i), f.State.Size)
		require.Len(t, f.Claims, 1+i%2)
	}
	enough, calls := errors.New("enough"), 0
	require.ErrorIs(t, db.EachFiles(t.Context(), s.ID, "", "", func([]model.File) error { calls++; return enough }), enough)
	require.Equal(t, 1, calls)
}

// What is read piece by piece is as it was at one moment, whatever is recorded meanwhile.
func TestAListOfFilesIsOfOneMoment(t *testing.T) {
	db := open(t)
	s, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "r"})
	require.NoError(t, err)
	claim := []draft.Claim{{Addon: "lamps", Label: "Lamps@1", Role: draft.Owns}}
	version := func(size int64) {
		var d draft.Draft
		for i := range 2*filesInPiece + 10 {
			d.Changes = append(d.Changes, draft.Change{Path: tree.Path(fmt.Sprintf("f%06d", i)), Before: tree.Nothing, After: tree.State{Being: tree.Content, Size: size}, ClaimsAfter: claim})
		}
		recorded(t, db, s.ID, d, false)
	}
	version(1)
	sizes := map[int64]int{}
	require.NoError(t, db.EachFiles(t.Context(), s.ID, "", "", func(some []model.File) error {
		if len(sizes) == 0 {
			version(2)
		}
		for _, f := range some {
			sizes[f.State.Size]++
		}
		return nil
	}))
	require.Equal(t, map[int64]int{1: 2*filesInPiece + 10}, sizes)
}
