package draft

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
)

func TestAnEmptyFolderComesAndGoesWithWhoNeedsIt(t *testing.T) {
	w := newWorld()
	lamps := w.wanted("lamps", "1", map[tree.Path]string{"f/a": "1"})
	lamps.Folders = []tree.Path{"f/spool", "shared"}
	signs := w.wanted("signs", "1", nil)
	signs.Folders = []tree.Path{"shared"}
	w.run(t, &Request{Wanted: []Wanted{lamps, signs}, Ledger: w.ledger, Host: w.request().Host, Held: w.request().Held})
	require.Equal(t, tree.Folder, w.being("f/spool"))
	require.Equal(t, tree.Folder, w.being("shared"))

	req := w.request()
	req.Remove = []Removal{{Addon: "lamps", Name: "lamps"}}
	w.run(t, req)
	require.Equal(t, tree.Absent, w.being("f/spool"))
	require.Equal(t, tree.Folder, w.being("shared"), "signs needs it still")

	w.rollback(t, w.number)
	require.Equal(t, tree.Folder, w.being("f/spool"))
	require.Len(t, w.ledger["shared"].Claims, 2)

	// What the server wrote into it stays, and is nobody's from then on.
	w.write("f/spool/letter", "by the server")
	req = w.request()
	req.Remove = []Removal{{Addon: "lamps", Name: "lamps"}}
	w.run(t, req)
	require.Equal(t, tree.Content, w.being("f/spool/letter"))
	require.Empty(t, w.ledger["f/spool"].Claims)
}

func TestAFolderThatWasThereBeforeIsNobodys(t *testing.T) {
	w := newWorld()
	w.files["spool"] = tree.State{Being: tree.Folder, Mode: 0o755}
	lamps := w.wanted("lamps", "1", map[tree.Path]string{"a": "1"})
	lamps.Folders = []tree.Path{"spool"}
	req := w.request()
	req.Wanted = []Wanted{lamps}
	w.run(t, req)
	req = w.request()
	req.Remove = []Removal{{Addon: "lamps", Name: "lamps"}}
	w.run(t, req)
	require.Equal(t, tree.Folder, w.being("spool"))
}

func TestAFileWhereAFolderShallBeIsInTheWay(t *testing.T) {
	w := newWorld()
	w.write("spool", "a file")
	lamps := w.wanted("lamps", "1", nil)
	lamps.Folders = []tree.Path{"spool"}
	req := w.request()
	req.Wanted = []Wanted{lamps}
	d := Make(req, w.observe())
	require.Len(t, d.Findings, 1)
	require.Equal(t, "file-in-way", d.Findings[0].Code)
	require.Zero(t, d.Motions.Len())
}

func TestWhatIsRemovedHasNoFolderLeft(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := someWorld(t)
		for _, name := range []string{"lamps", "signs"} {
			req := w.request()
			req.Remove = []Removal{{Addon: name, Name: name}}
			w.run(t, req)
		}
		for p, row := range w.ledger {
			require.Empty(t, row.Claims, "%s", p)
			require.False(t, row.State.Being == tree.Folder && w.being(p) == tree.Folder && !slices.ContainsFunc(w.paths(), func(q tree.Path) bool { return q != p && q.Within(p) }),
				"%s is ours, and empty", p)
		}
	})
}

func (w *world) paths() (out []tree.Path) {
	for p := range w.files {
		out = append(out, p)
	}
	return out
}

// withFolders gives a wanted crate empty folders where none of its files is.
func withFolders(t *rapid.T, label string, w Wanted) Wanted {
	for _, p := range []tree.Path{"e", "f/e", "f/g", "k/x/y", "n"} {
		file := slices.ContainsFunc(w.Files, func(f Target) bool { return f.Path.Within(p) })
		if !file && rapid.Bool().Draw(t, label+"folder "+string(p)) {
			w.Folders = append(w.Folders, p)
		}
	}
	return w
}
