package draft

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
)

// renamed asks for nothing but that a folder is called otherwise.
func renamed(f *fair, r *Request) {
	f.files["stalls/lantern"] = tree.State{Being: tree.Folder, Mode: 0o755} // as it is looked at
	r.Wanted, r.Moves = nil, Moves{{"stalls/old", "stalls/lantern"}}
}

func TestMovesLeadToNewNamesAndBack(t *testing.T) {
	l := Moves{{"a/b", "a/c"}, {"a/c/b.txt", "a/c/c.txt"}}
	require.Equal(t, tree.Path("a/c/c.txt"), l.New("a/b/b.txt"))
	require.Equal(t, tree.Path("a/b/b.txt"), l.Old("a/c/c.txt"))
	require.Equal(t, tree.Path("a/c"), l.New("a/b"))
	require.Equal(t, tree.Path("a/bb"), l.New("a/bb"), "another name that begins so")
	require.Equal(t, tree.Path("a/b/b.txt"), l.Back().New("a/c/c.txt"))
	require.Empty(t, l.With(l.Back()))
	require.Equal(t, Moves{{"a/b", "a/c"}, {"d", "e"}}, Moves{{"a/b", "a/c"}}.With(Moves{{"d", "e"}}))
}

// What gets a new name is found under it, whatever the names, and its old one is told from it.
func TestEveryPathComesBackFromItsNewName(t *testing.T) {
	part := rapid.SampledFrom([]string{"a", "b", "c"})
	rapid.Check(t, func(t *rapid.T) {
		p := tree.Path(part.Draw(t, "one") + "/" + part.Draw(t, "two") + "/" + part.Draw(t, "three"))
		var l Moves
		for i := range rapid.IntRange(0, 3).Draw(t, "moves") {
			now := l.New(p)
			from := now
			if rapid.Bool().Draw(t, "above") {
				from = now.Dir()
			}
			l = append(l, Renaming{from, from.Dir().Join(tree.Path("new" + string(rune('0'+i))))})
		}
		require.Equal(t, p, l.Old(l.New(p)))
		require.Equal(t, p, l.Back().New(l.New(p)))
	})
}
