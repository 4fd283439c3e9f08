package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A feed is followed and its release staged; players are told what they need; a schedule is made: all
// by clicking.
func TestFeedsPlayersAndSchedulesInTheConsole(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32"}
	s.up()
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent", "--yes", "--accept", "no-load-list")
	h := newHerald(t)
	h.announce(t, "2026-11-28T10:00:00Z", h.tent(t, "0.5.0"))
	c := openConsole(t, s)

	c.goTo("/staging")
	c.click("Follow a feed…")
	c.fill("Address", h.URL+"/nothing.json")
	c.fill("Name", "reedbank")
	c.click("Follow it")
	c.see("nothing is at")
	c.fill("Address", h.URL+"/feed.json")
	c.click("Follow it")
	c.seeIn("[data-release='Drum-Tent']", "lantern has 0.4.0")
	c.goTo("/servers/lantern/updates")
	c.see("0.5.0 is announced by the feed reedbank")
	c.goTo("/staging")
	c.click("Stage Drum-Tent")
	testbed.Eventually(t, "it is staged", func() bool {
		var list []api.Crate
		s.get(&list, "crate", "list")
		return len(list) == 2
	})
	c.see("Draft it for lantern…")

	c.goTo("/servers/lantern/players")
	c.see("not known: told nothing")
	c.pick("Players and drum-tent", "must")
	c.seeIn("[data-player='drum-tent']", "must have")
	c.click("Name what they must not have…")
	c.fill("Name", "ghost-tent")
	c.fill("Why", "It burns")
	c.click("Add it")
	c.seeIn("[data-player='ghost-tent']", "It burns")
	c.click("Make a page")
	c.see("Whoever has this address can read the list")
	var l api.Packlist
	s.get(&l, "packlist", "lantern")
	_, text := fetched(t, l.URL+"/list.txt")
	require.Contains(t, text, "- drum-tent 0.4.0")
	require.Contains(t, text, "- ghost-tent: It burns")
	c.click("Take the page away…")
	c.click("Take it away")
	c.see("Players have no page yet")
	status, _ := fetched(t, l.URL+"/list.txt")
	require.Equal(t, 404, status)

	c.goTo("/schedules")
	c.see("Nothing is done by itself")
	c.clickIn("main header", "Add a schedule…")
	c.fill("Name", "nightly")
	c.click("Add it")
	c.seeIn("[data-schedule='nightly']", "update what is newer and fits")
	var all []api.Schedule
	s.get(&all, "schedule", "list")
	require.Len(t, all, 1)
	require.Equal(t, "0 4 * * *", all[0].Cron)
	require.True(t, all[0].OrUndo)
	c.click("Drop nightly…")
	c.click("Drop nightly")
	c.see("Nothing is done by itself")
}
