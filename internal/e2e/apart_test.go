package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

func (r *running) versions() map[string]string {
	r.t.Helper()
	var st []api.Status
	r.get(&st, "status", "here")
	out := map[string]string{}
	for _, a := range st[0].Addons {
		out[a.Name] = a.Version
	}
	return out
}

// Five add-ons are updated in one deployment, one of them with settings that were changed on the
// server. One does not load: it alone goes back, and the rest stays.
func TestWhatDoesNotLoadGoesBackAlone(t *testing.T) {
	t.Parallel()
	playedOverBoth(t, "tidewright", goesBackAlone)
}

func goesBackAlone(t *testing.T, r *running) {
	r.must("stage", r.fix("cranes", "1.0"), r.fix("winches", "1.0"), r.fix("ropes", "1.0"), r.fix("bells", "1.0"), r.horns("1.0", "loud: 3\nlong: 2\n"))
	r.must("deploy", "here", "cranes", "winches", "ropes", "bells", "horns", "--yes")
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "fittings", "horns.yaml"), []byte("loud: 9\nlong: 2\n"), 0o644))
	r.must("settle", "here", "accept=fittings/horns.yaml", "--yes")
	r.must("stage", r.fix("cranes", "1.1"), r.fix("winches", "1.1"), r.fix("ropes", "1.1", "needs nobody"), r.fix("bells", "1.1"), r.horns("1.1", "loud: 3\nlong: 5\n"))

	o := r.fails(1, "here#3 is done, but not all of it loaded: ropes (here#4) went back alone", "update", "here", "--all", "--yes", "--or-undo-each", "--accept", "need-missing")
	require.Contains(t, o.err, "restless deployment show here#3")
	require.Equal(t, map[string]string{"cranes": "1.1", "winches": "1.1", "ropes": "1.0", "bells": "1.1", "horns": "1.1"}, r.versions())
	require.Equal(t, "loud: 9\nlong: 5\n", r.read("fittings/horns.yaml"), "theirs and ours")
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 4 loaded, 1 silent")
	require.Contains(t, r.must("deployment", "show", "here#3"), "ropes did not load, and is to go back alone")
	require.Contains(t, r.must("deployment", "show", "here#4"), "ropes back to before here#3")
	require.Contains(t, r.must("survey", "here"), "as recorded")

	// What others of the deployment need in its new version cannot go back alone: all goes back.
	r.must("stage", r.fix("bells", "1.2", "needs ropes 1.1"), r.fix("cranes", "1.2"))
	before := r.versions()
	o = r.fails(1, "did not load and cannot go back alone", "deploy", "here", "bells@1.2", "ropes@1.1", "cranes@1.2", "--yes", "--or-undo-each", "--accept", "need-missing")
	require.Contains(t, o.err, "here#7 took all of here#5 back")
	require.Equal(t, before, r.versions())
	require.Contains(t, r.must("rollcall", "here"), "Roll call: 4 loaded, 1 silent")

	// Where nothing of it loads, it is undone as with --or-undo.
	r.fails(1, "was taken back", "deploy", "here", "ropes@1.1", "--yes", "--or-undo-each", "--accept", "need-missing")
	require.Equal(t, before, r.versions())
}
