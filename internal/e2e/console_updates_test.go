package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// Updates are chosen, held and drafted by clicking; two days are compared, and one value, one file
// and one add-on go back from there.
func TestTheConsoleUpdatesAndCompares(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.fix("cranes", "1.0"), r.fix("ropes", "1.0"), r.fix("bells", "1.0"), r.horns("1.0", "loud: 3\nlong: 2\n"))
	r.must("deploy", "here", "cranes", "ropes", "bells", "horns", "--yes")
	r.must("stage", r.fix("cranes", "1.1"), r.fix("ropes", "1.1"), r.fix("bells", "1.1", "for 9.4"), r.horns("1.1", "loud: 5\nlong: 2\n"))
	r.must("server", "facts", "here")

	c := openConsole(t, r.service)
	c.goTo("/servers/here/updates")
	c.see("Draft 3 updates…")
	c.seeIn("[data-update='bells']", "1.1 is staged and does not fit")
	c.clickIn("[data-update='ropes']", "Hold")
	c.see("Draft 2 updates…")
	c.seeIn("[data-update='ropes']", "held")
	c.clickIn("[data-update='cranes']", "Development builds too")
	c.seeIn("[data-update='cranes']", "Stable builds only")
	c.pick("You mean to look", "604800")
	c.click("Draft 2 updates…")
	c.see("one stop")
	c.runDraft("here#2")
	require.Equal(t, map[string]string{"cranes": "1.1", "ropes": "1.0", "bells": "1.0", "horns": "1.1"}, r.versions())
	var st []api.Status
	r.get(&st, "status", "here")
	require.Equal(t, int64(604800), st[0].Rhythm.UpdatesEvery)

	c.goTo("/servers/here/compare")
	c.seeIn("[data-turn='cranes']", "cranes@1.1")
	c.seeIn("[data-value='/loud']", "→ 5")
	c.clickIn("[data-file='fittings/horns.yaml']", "Line by line")
	c.see("+loud: 5")
	c.clickIn("[data-value='/loud']", "Back to that")
	c.runDraft("here#3")
	require.Equal(t, "loud: 3\nlong: 2\n", r.read("fittings/horns.yaml"))
	c.goTo("/servers/here/compare")
	c.pick("As it stood", "1")
	c.clickIn("[data-turn='cranes']", "Back to that")
	c.runDraft("here#4")
	require.Equal(t, "1.0", r.versions()["cranes"])
	require.True(t, strings.Contains(r.must("deployment", "show", "here#4"), "cranes back to how it stood after here#1"))

	c.goTo("/servers/here/survey")
	c.pick("By itself, and after starts", "86400")
	testbed.Eventually(t, "it is surveyed, since that is due", func() bool { return r.restless("survey", "here", "--last").code == 0 })
}
