package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A server is surveyed by itself as often as that was said, and after a deployment that started
// it; and it is told when nobody has looked for updates for longer than was meant.
func TestAServerIsSurveyedByItself(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	last := func() (s api.Survey, ok bool) {
		if r.restless("survey", "here", "--last").code != 0 {
			return s, false
		}
		r.get(&s, "survey", "here", "--last")
		return s, true
	}
	_, surveyed := last()
	require.False(t, surveyed)
	r.fails(2, "is no length of time", "survey", "here", "--every", "often")
	r.fails(2, "once a minute at most", "survey", "here", "--every", "10s")
	require.Contains(t, r.must("survey", "here", "--every", "24h"), "here is surveyed by itself every 1d, and after deployments that start it.")
	testbed.Eventually(t, "it is surveyed, since that is due", func() bool { _, ok := last(); return ok })
	first, _ := last()
	require.Equal(t, "service", first.By)

	r.must("stage", r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0"))
	r.must("deploy", "here", "cranes", "--yes")
	testbed.Eventually(t, "it is surveyed after the start", func() bool { s, _ := last(); return s.At.After(first.At) })
	require.Contains(t, r.must("status", "here"), "surveyed at")

	r.must("survey", "here", "--every", "never")
	second, _ := last()
	r.must("restart", "here", "--yes")
	r.must("stage", r.fixture("ropes-1.0.tdx", "name ropes", "version 1.0"))
	r.must("deploy", "here", "ropes", "--yes")
	third, _ := last()
	require.Equal(t, second.At, third.At, "never is never")

	require.NotContains(t, r.must("status", "here"), "looked for updates")
	r.must("update", "here", "--every", "1s")
	require.Contains(t, r.must("status", "here"), "nobody has looked for updates yet, and it was to be done every 1s")
	r.must("update", "here")
	var st []api.Status
	r.get(&st, "status", "here")
	require.WithinDuration(t, time.Now(), *st[0].Rhythm.UpdatesAt, time.Minute)
	testbed.Eventually(t, "it is overdue again", func() bool { r.get(&st, "status", "here"); return st[0].Rhythm.Overdue })
	require.Contains(t, r.must("status", "here"), "nobody has looked for updates since ")
}
