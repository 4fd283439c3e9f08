package deploy_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
)

// A host that renames by a link and its removal was stopped between the two: the file stands
// under both names. The run goes on, or goes back, all the same.
func TestAFileThatStandsUnderBothNamesOfARenameIsNotInTheWay(t *testing.T) {
	probe := newBenchOn(t, false)
	require.NoError(t, probe.whole(probe.run(0, "")))
	tried := map[draft.MotionKind]int{}
	for m := range probe.dep.Draft.Motions.All() {
		if m.Kind != draft.AsideMotion && m.Kind != draft.InMotion || m.Whole() || m.Before.Being == tree.Folder || m.After.Being == tree.Folder {
			continue
		}
		act := draft.Forward(m, draft.Names{Number: probe.dep.Number})
		stopped := func() *bench {
			b := newBenchOn(t, false)
			require.ErrorIs(t, b.whole(b.run(m.ID, deploy.AfterIntent)), errFault)
			at := func(p tree.Path) string { return filepath.Join(b.root, filepath.FromSlash(string(p))) }
			require.NoError(t, os.Link(at(act.From), at(act.To)))
			return b
		}
		b := stopped()
		require.NoError(t, b.whole(b.run(0, "")), "%s %s", m.Kind, m.Path)
		b.isNew()
		b = stopped()
		require.NoError(t, b.takenBack(b.run(0, "")), "%s %s", m.Kind, m.Path)
		b.isOld()
		tried[m.Kind]++
	}
	require.Positive(t, tried[draft.AsideMotion])
	require.Positive(t, tried[draft.InMotion])
}
