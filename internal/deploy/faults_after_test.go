package deploy_test

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/testbed"
)

// What is written into a text between its edit and the swap is edited in turn, so
// that neither is lost; what no longer takes the edit leaves everything as it is.
func TestATextThatIsWrittenToWhileItIsEdited(t *testing.T) {
	b := newBench(t)
	wrote := false
	r := b.run(0, "")
	r.Fault = oneByOne(func(p deploy.Point, m draft.Motion) error {
		if !wrote && p == deploy.AfterIntent && m.Kind == draft.AsideMotion && m.Path == "d/order" {
			wrote = true
			testbed.Write(t, filepath.Join(b.root, "d/order"), "call a\r\ncall by-the-server\r\n# end\r\n")
		}
		return nil
	})
	require.NoError(t, r.Forward(t.Context(), draft.Prepare, draft.Swap, draft.Proof))
	_, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NoError(t, r.Tidy(t.Context()))
	b.want["d/order"] = "call a\r\ncall by-the-server\r\ncall lamps\r\n# end\r\n"
	require.Equal(t, b.want, testbed.Files(testbed.Snapshot(t, b.root)))
	require.Contains(t, strings.Join(r.Notes(), "\n"), "d/order was written to while it was being edited; the edit was done to what it holds now")
	for _, c := range changes {
		if c.Path == "d/order" {
			require.Equal(t, tree.Sum([]byte("call a\r\ncall by-the-server\r\n# end\r\n")), c.Before.Digest)
			require.Equal(t, tree.Sum([]byte(b.want["d/order"])), c.After.Digest)
			after, _, err := settings.Apply([]byte(b.want["d/order"]), c.Edits[0].Undo)
			require.NoError(t, err)
			require.Equal(t, "call a\r\ncall by-the-server\r\n# end\r\n", string(after))
		}
	}
}

func TestATextThatNoLongerTakesItsEditLeavesEverythingAsItIs(t *testing.T) {
	b := newBench(t)
	for i := range b.dep.Draft.Changes {
		for n := range b.dep.Draft.Changes[i].Edits {
			b.dep.Draft.Changes[i].Edits[n].Op.List = settings.List{Form: "joined", Entry: "{key}", Match: "(?m)^load=(.*)$", Separator: ","}
		}
	}
	r := b.run(0, "")
	err := r.Forward(t.Context(), draft.Prepare, draft.Swap)
	require.ErrorContains(t, err, "it is another text than when the draft was made, and no longer takes the change")
	require.ErrorIs(t, err, settings.ErrNoList)
	require.Equal(t, testbed.Files(b.old), withoutWork(testbed.Files(testbed.Snapshot(t, b.root))))
	require.NoError(t, b.run(0, "").Backward(t.Context()))
	b.isOld()
}

// An undo of the files alone leaves what the server has made of its data; what the
// data held is kept in the stockroom all the same.
func TestAnUndoOfTheFilesAloneLeavesTheData(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.swapped(b.run(0, "")))
	r := b.run(0, "")
	r.Data = false
	require.NoError(t, r.Backward(t.Context()))
	now := testbed.Files(testbed.Snapshot(t, b.root))
	require.Equal(t, "reshaped", now["data/port"])
	require.Equal(t, "one", now["d/changed"])
	for _, text := range []string{"flat", "afloat"} {
		rc, err := b.room.Open(t.Context(), tree.Sum([]byte(text)))
		require.NoError(t, err)
		require.NoError(t, rc.Close())
	}
}

// What the data holds when it is put back is kept first.
func TestWhatDataHeldBeforeItIsPutBackIsKept(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.swapped(b.run(0, "")))
	r := b.run(0, "")
	require.NoError(t, r.Backward(t.Context()))
	b.isOld()
	for _, text := range []string{"reshaped", "by lamps"} {
		rc, err := b.room.Open(t.Context(), tree.Sum([]byte(text)))
		require.NoError(t, err, text)
		require.NoError(t, rc.Close())
	}
	require.Contains(t, strings.Join(r.Notes(), "\n"), "data/port held other bytes when it was put back; they are kept")
}

// What a server does to its files once it was started is told and hinders nothing;
// before that it does.
func TestWhatIsNotAsItShouldBeAfterTheSwap(t *testing.T) {
	b := newBench(t)
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Prepare, draft.Swap))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "by nobody knows whom")
	_, _, err := r.Look(t.Context(), 1, 0)
	require.ErrorContains(t, err, "d/changed is not as it should be after the swap")
	require.NoError(t, r.Forward(t.Context(), draft.Proof))
	reported, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NotContains(t, reported, tree.Path("d/changed"), "so the next look reads it")
	require.Contains(t, strings.Join(r.Notes(), "\n"), "d/changed was changed since the server was started")
	require.Len(t, changes, len(b.dep.Draft.Changes))
}
