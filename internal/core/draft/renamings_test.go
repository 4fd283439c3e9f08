package draft

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

func TestRenamingsGoFromTheOutermostInwards(t *testing.T) {
	paths := []tree.Path{"x/mill/mill.yaml", "x/mill", "x/mill/treadmill.txt", "pack.zip!/mill"}
	require.Equal(t, Moves{{"x/mill", "x/quay"}, {"x/quay/mill.yaml", "x/quay/quay.yaml"}}, Renamings(paths, "mill", "quay", true, nil))
	require.Equal(t, Moves{{"x/mill/mill.yaml", "x/mill/quay.yaml"}}, Renamings(paths, "mill", "quay", true, []tree.Path{"x/mill"}), "what is left keeps its name, and what is in it does not")
	require.Contains(t, Renamings(paths, "mill", "$1", false, nil), Renaming{"x/$1/treadmill.txt", "x/$1/tread$1.txt"})
	require.Equal(t, Moves{{"a.b", "c"}}, Renamings([]tree.Path{"a.b", "aXb"}, "a.b", "c", true, nil), "a name is no pattern")
	require.Empty(t, Renamings(paths, "mill", "quay/mill", true, nil), "no file is called so")
}

// Whatever is called so: each move is about something that is there by then, and afterwards nothing
// is called so any more.
func TestRenamingsLeaveNothingCalledSo(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		base := rapid.SampledFrom([]string{"mill", "mill.txt", "treadmill", "mill-mill", "water mill", "quay", "a"})
		called := map[tree.Path]bool{}
		for range rapid.IntRange(1, 8).Draw(t, "files") {
			p := tree.Root
			for range rapid.IntRange(1, 4).Draw(t, "deep") {
				if p = p.Join(tree.Path(base.Draw(t, "base"))); len(tweak.Places([]byte(p.Base()), "mill", true)) > 0 {
					called[p] = true
				}
			}
		}
		there := map[tree.Path]bool{}
		var paths []tree.Path
		for p := range called {
			paths, there[p] = append(paths, p), true
		}
		moves := Renamings(paths, "mill", "dam", true, nil)
		require.Len(t, moves, len(paths))
		for _, m := range moves {
			require.True(t, there[m.From], "%s is there by then", m.From)
			next := map[tree.Path]bool{}
			for p := range there {
				next[m.apply(p)] = true
			}
			require.Len(t, next, len(there), "nothing is put over anything")
			there = next
		}
		for p := range there {
			for _, part := range strings.Split(string(p), "/") {
				require.Empty(t, tweak.Places([]byte(part), "mill", true), "%s", p)
			}
		}
	})
}
