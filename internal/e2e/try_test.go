package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

// A value is tuned in six tries over a reload: the server's own log says each of them, it is
// never stopped, one tweak is left, and giving up is exactly as before.
func TestAValueIsTunedInSixTries(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	pid, before := r.pid(), r.read("fittings/piers.yaml")
	values := []string{"30", "40", "35", "33", "34", "36"}
	out := r.must(append([]string{"try", "here", "fittings/piers.yaml", "/berths", "--listen", "10s"}, values...)...)
	for _, v := range values {
		require.Contains(t, out, "fitting piers: berths "+v)
	}
	require.NotContains(t, out, "Roll call")
	require.Equal(t, pid, r.pid(), "no stop where a reload does")
	var held []api.TweakOn
	r.get(&held, "tweak", "list", "here")
	require.Len(t, held, 1)
	require.Equal(t, "36", held[0].Value)
	require.Equal(t, strings.Replace(before, "berths: 24", "berths: 36", 1), r.read("fittings/piers.yaml"))
	require.Contains(t, r.must("lint", "here"), "No findings")

	out = r.must("tweak", "set", "here", "fittings/piers.yaml", "/berths", "20", "--yes")
	require.Contains(t, out, "agreement-broken: max-boats is 24 (tidewright.conf, line")
	require.Equal(t, 2, strings.Count(out, "agreement-broken"), "in the draft, and by what is there once it is done")

	r.must("try", "here", "fittings/piers.yaml", "/berths", "--give-up")
	require.Equal(t, before, r.read("fittings/piers.yaml"))
	require.Contains(t, r.must("log", "here"), "fitting piers: berths 24")

	r.fails(1, "there is /berths; is that meant?", "try", "here", "fittings/piers.yaml", "/berth", "3")
	require.Contains(t, r.fails(3, "nothing was done", "try", "here", "fittings/piers.yaml", "/berths", "many").out, "what stands there is a number")
	require.NotContains(t, r.must("deployment", "list", "here"), "draft", "nothing of it is left behind")
}
