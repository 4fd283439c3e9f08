package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

// Five add-ons are updated in one deployment with one stop: one whose settings were changed on the
// server, one that asks for something more. What is held stays, what does not fit is told apart, and
// development builds come only where they are wanted.
func TestUpdatesAreShownAndDoneInOneDeployment(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.fix("cranes", "1.0"), r.fix("winches", "1.0"), r.fix("ropes", "1.0"), r.fix("bells", "1.0"), r.horns("1.0", "loud: 3\nlong: 2\n"))
	r.must("deploy", "here", "cranes", "winches", "ropes", "bells", "horns", "--yes")
	require.Contains(t, r.must("update", "here"), "cranes")
	require.Contains(t, r.must("update", "here", "--all", "--yes"), "Nothing on here has an update that is staged and fits.")
	r.fails(1, "nothing newer than cranes 1.0 is staged", "update", "here", "cranes", "--yes")

	require.NoError(t, os.WriteFile(filepath.Join(r.root, "fittings", "horns.yaml"), []byte("loud: 9\nlong: 2\n"), 0o644))
	r.must("settle", "here", "accept=fittings/horns.yaml", "--yes")
	r.must("stage", r.fix("cranes", "1.1", "for 9.3"), r.fix("winches", "1.1", "needs hooks"), r.fix("hooks", "1.0"), r.fix("ropes", "1.1"), r.fix("bells", "1.1-beta"), r.fix("bells", "1.2", "for 9.4"), r.horns("1.1", "loud: 3\nlong: 5\n"))
	r.must("server", "facts", "here")
	r.must("update", "here", "ropes", "--hold", "--note", "the new ones fray")

	var list []api.Update
	r.get(&list, "update", "here")
	got := map[string]api.Update{}
	for _, u := range list {
		got[u.Addon] = u
	}
	require.Equal(t, []string{"1.1", "stable"}, []string{got["cranes"].Available, got["cranes"].Channel})
	require.Equal(t, []string{"hooks"}, got["winches"].Needs)
	require.Equal(t, []string{"", "1.2"}, []string{got["bells"].Available, got["bells"].Unfit.Version})
	require.Equal(t, []string{"fittings/horns.yaml"}, got["horns"].Settings)
	require.True(t, got["ropes"].Hold.Held)
	out := r.must("update", "here")
	require.Contains(t, out, "held: the new ones fray")
	require.Contains(t, out, "1.2 is staged and does not fit: it says that it is for game version 9.4, and the server runs 9.3")
	require.Contains(t, out, "updates 3 add-ons in one deployment")
	require.Contains(t, r.must("status", "here"), "1.1 is staged, and it is held")
	r.fails(1, "bells 1.2 is staged and does not fit", "update", "here", "bells", "--yes")

	r.must("update", "here", "bells", "--channel", "development")
	require.Contains(t, r.fails(3, "blocked by 1 finding", "update", "here", "--all", "--yes").out, "need-missing: winches@1.1 needs hooks")
	out = r.must("update", "here", "--all", "--take-needs", "--yes")
	require.Equal(t, 1, strings.Count(out, "\n  stop "))
	require.Contains(t, out, "Roll call: 5 loaded, 1 silent")
	require.Equal(t, "loud: 9\nlong: 5\n", r.read("fittings/horns.yaml"), "theirs and ours")
	var st []api.Status
	r.get(&st, "status", "here")
	versions := map[string]string{}
	for _, a := range st[0].Addons {
		versions[a.Name] = a.Version
	}
	require.Equal(t, map[string]string{"cranes": "1.1", "winches": "1.1", "ropes": "1.0", "bells": "1.1-beta", "hooks": "1.0", "horns": "1.1"}, versions)
	r.must("update", "here", "ropes", "--release")
	require.Contains(t, r.must("update", "here", "ropes", "--yes"), "ropes@1.1")
	r.fails(1, `there is no add-on "nobody"`, "update", "here", "nobody", "--hold")
	r.fails(2, "stable, development", "update", "here", "bells", "--channel", "nightly")
}
