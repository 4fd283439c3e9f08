package draft

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// forget takes a path and all below it out of the made-up server's tree.
func (w *world) forget(p tree.Path) {
	for q := range w.files {
		if q.Within(p) {
			delete(w.files, q)
		}
	}
}

func TestWhatCannotBeSeenIsNotForgottenInSilence(t *testing.T) {
	remove := func(w *world) *Draft {
		req := w.request()
		req.Remove = []Removal{{"lamps", "lamps"}}
		return Make(req, w.observe())
	}
	w := deployed(t)
	w.forget("f")
	d := remove(w)
	require.Equal(t, []string{"block missing-file f"}, codes(d))
	require.Equal(t, "f is not on the server, and 2 files of lamps@1.0 should be there: nothing of it can be taken away.", d.Findings[0].What)
	require.Len(t, finding.Open(d.Findings, nil), 1)
	require.Empty(t, finding.Open(d.Findings, []finding.Accept{{Code: "missing-file", Path: "f"}}), "a person may say that it is as it should be")

	w.files["f"] = tree.State{Being: tree.Foreign}
	d = remove(w)
	require.Contains(t, codes(d), "block behind-link f")
	require.Contains(t, d.Findings[0].What, "f is a link on the server now")

	w = deployed(t)
	w.forget("f/lamps/a")
	require.Contains(t, codes(remove(w)), "block missing-file f/lamps/a")
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/b": "b2"})}
	require.Contains(t, codes(Make(req, w.observe())), "warn missing-file f/lamps/a", "an update does what somebody did by hand")
	w.forget("f")
	require.Contains(t, codes(Make(req, w.observe())), "block missing-file f", "but a whole folder is another matter")
}
