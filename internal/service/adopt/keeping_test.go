package adopt

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
)

// In whatever order files are asked for, each that is there is kept once, as it lies there, and none
// that belongs to another.
func TestWhatIsKeptIsWhatLiesThereOnce(t *testing.T) {
	name := rapid.SampledFrom([]string{"own", "own!", "own/a", "own/a/a", "own/a/b", "own/a!", "own/b", "own/c", "else", "else/a", "else/b"})
	rapid.Check(t, func(t *rapid.T) {
		l := &looking{all: map[tree.Path]tree.Entry{}, ledger: map[tree.Path]draft.Row{}}
		var below []tree.Entry
		for i, n := range rapid.SliceOfNDistinct(name, 1, 11, rapid.ID).Draw(t, "there") {
			e := tree.Entry{Path: tree.Path(n), Size: int64(i), Dir: rapid.IntRange(0, 5).Draw(t, "folder") == 0}
			l.all[e.Path] = e
			known := rapid.IntRange(0, 3).Draw(t, "known")
			if known < 2 { // by nobody, or by one who deployed it
				l.ledger[e.Path] = draft.Row{Claims: make([]draft.Claim, known)}
			}
			if e.Path.Within("own") && known != 1 && !e.Dir {
				below = append(below, e)
			}
		}
		slices.SortFunc(below, func(a, b tree.Entry) int { return strings.Compare(string(a.Path), string(b.Path)) })
		k := keeping{looking: l, below: below, kept: make([]bool, len(below))}
		var want []layout.File
		had := map[tree.Path]bool{}
		for _, n := range rapid.SliceOfN(name, 0, 30).Draw(t, "asked") {
			p := tree.Path(n)
			k.keep(layout.File{Path: p, Size: 99, Repack: "x"}, k.find(p))
			if e, there := l.all[p]; there && !e.Dir && !had[p] && len(l.ledger[p].Claims) == 0 {
				had[p] = true
				want = append(want, layout.File{Path: p, Size: e.Size})
			}
		}
		require.Equal(t, want, k.files)
	})
}

func TestHandsDoAllThatTheyAreGivenAndNeverTooManyAtATime(t *testing.T) {
	var mu sync.Mutex
	var busy, most atomic.Int64
	done := map[string]int{}
	h := newHands(t.Context(), 3, func(_ context.Context, f *Found) error {
		now := busy.Add(1)
		defer busy.Add(-1)
		mu.Lock()
		defer mu.Unlock()
		most.Store(max(most.Load(), now))
		done[f.Name]++
		return nil
	})
	for i := range 500 {
		h.give(&Found{Name: string(rune('a' + i))})
	}
	require.NoError(t, h.wait())
	require.Len(t, done, 500)
	require.LessOrEqual(t, most.Load(), int64(3))
	for name, n := range done {
		require.Equal(t, 1, n, name)
	}
}

// Who gives does not wait for hands that have stopped.
func TestHandsStopWithTheFirstError(t *testing.T) {
	no := errors.New("no")
	var done atomic.Int64
	h := newHands(t.Context(), 2, func(context.Context, *Found) error { done.Add(1); return no })
	for range 500 {
		h.give(&Found{})
	}
	require.ErrorIs(t, h.wait(), no)
	require.LessOrEqual(t, done.Load(), int64(2))
}

func TestCopiesAreCountedThoughOnlySomeAreNamed(t *testing.T) {
	found := make([]Found, 220, 221)
	for i := range found {
		found[i] = Found{Path: tree.Path("row").Join(tree.Path(string(rune('a' + i)))), Name: "row"}
	}
	found = append(found, Found{Path: "alone", Name: "alone"})
	beside(found)
	require.Equal(t, 220, found[7].Copies)
	require.Len(t, found[7].Beside, mostBeside)
	require.NotContains(t, found[7].Beside, found[7].Path)
	require.Zero(t, found[220].Copies)
	require.Empty(t, found[220].Beside)
}
