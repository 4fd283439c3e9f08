package layout

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
)

func at(place, path, text string) File {
	return File{Place: place, Path: tree.Path(path), Digest: tree.Sum([]byte(text)), Size: int64(len(text))}
}

func TestWhatAVersionChanges(t *testing.T) {
	old := &Crate{Files: []File{at("a", "same", "1"), at("a", "changed", "old"), at("a", "gone", "bye"), at("a", "from", "moves"), at("a", "empty1", "")}}
	now := &Crate{Files: []File{at("a", "same", "1"), at("a", "changed", "new!"), at("b", "to", "moves"), at("a", "fresh", "hello"), at("a", "empty2", "")}}
	require.Equal(t, []Difference{
		{Kind: Added, Place: "a", Path: "empty2"},
		{Kind: Added, Place: "a", Path: "fresh", Size: 5},
		{Kind: Removed, Place: "a", Path: "empty1"},
		{Kind: Removed, Place: "a", Path: "gone", Size: 3},
		{Kind: Moved, Place: "b", Path: "to", From: "from", FromPlace: "a", Size: 5},
		{Kind: Changed, Place: "a", Path: "changed", Size: 4},
	}, Compare(old, now), "an empty file is no sign of a move")
	require.Empty(t, Compare(now, now))
}

func TestDifferencesLeadFromOneVersionToTheOther(t *testing.T) {
	crate := func(t *rapid.T, label string) *Crate {
		c, seen := &Crate{}, map[string]bool{}
		for range rapid.IntRange(0, 8).Draw(t, label) {
			p := fmt.Sprint("f", rapid.IntRange(0, 9).Draw(t, "p"))
			if !seen[p] {
				seen[p] = true
				c.Files = append(c.Files, at("a", p, fmt.Sprint(rapid.IntRange(0, 3).Draw(t, "text"))))
			}
		}
		return c
	}
	rapid.Check(t, func(t *rapid.T) {
		old, now := crate(t, "old"), crate(t, "now")
		have, want := map[tree.Path]tree.Digest{}, map[tree.Path]tree.Digest{}
		for _, f := range old.Files {
			have[f.Path] = f.Digest
		}
		for _, f := range now.Files {
			want[f.Path] = f.Digest
		}
		bytes := func(p tree.Path) tree.Digest { return want[p] }
		moved := map[tree.Path]tree.Digest{}
		for _, d := range Compare(old, now) {
			switch d.Kind {
			case Added, Changed:
				moved[d.Path] = bytes(d.Path)
			case Removed:
				delete(have, d.Path)
			case Moved:
				moved[d.Path] = have[d.From]
				delete(have, d.From)
			}
		}
		for p, d := range moved {
			have[p] = d
		}
		require.Equal(t, want, have)
	})
}
