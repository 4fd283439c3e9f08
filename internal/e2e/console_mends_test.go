package e2e

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A roll call in the console offers what a failed add-on needs: what is to be staged
// first, then a draft by one click. Only the newest deployment offers it.
func TestTheConsoleBringsWhatAFailedAddonNeeds(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0", "needs winches"))
	r.must("deploy", "here", "cranes@1.0", "--yes", "--accept", "need-missing")
	c := openConsole(t, r.service)
	c.goTo("/servers/here")
	c.seeIn("main", "1 did not load")
	c.goTo("/servers/here/deployments/1")
	c.seeIn("[data-called='cranes']", "Stage winches and deploy that too.")
	r.must("stage", r.fixture("winches-1.0.tdx", "name winches", "version 1.0"))
	c.goTo("/servers/here/deployments/1")
	c.clickIn("[data-called='cranes']", "Deploy winches@1.0…")
	c.click("Run it")
	c.seeIn("[data-rollcall]", "2 loaded")

	var d api.Deployment
	r.get(&d, "deployment", "show", "here#1")
	require.Equal(t, "failed", d.RollCall.Entries[0].Standing)
	require.Empty(t, d.RollCall.Entries[0].Bring, "what is known now is newer")
}

// What is harmless is noted beside the roll call, is seen there at once, and is
// forgotten there.
func TestTheConsoleNotesWhatIsHarmless(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	r.must("deploy", "here", "tide-base@3.2.1", "--yes")
	c := openConsole(t, r.service)
	c.goTo("/servers/here/running")
	c.clickIn("[data-called='tide-base']", "Note an oddity…")
	c.fill("What is odd", "says that the tide is late")
	c.click("Note it")
	c.seeIn("[data-called='tide-base']", "known and harmless: says that the tide is late")
	require.Contains(t, r.must("status", "here"), "says that the tide is late")
	c.clickIn("[data-called='tide-base']", "Note an oddity…")
	c.clickIn("[data-known]", "Forget")
	testbed.Eventually(t, "it is forgotten", func() bool {
		var st []api.Status
		r.get(&st, "status", "here")
		return len(st[0].Addons[0].Oddities) == 0
	})
}

// A world is set aside, or another begun, from the server's page.
func TestTheConsoleHasAWorldBegunAnew(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	houses := filepath.Join(r.root, "ports/reedbank/ledger/houses.txt")
	testbed.Write(t, houses, "12 houses\n")
	require.Contains(t, r.must("server", "show", "here"), "ports/reedbank/ledger  port reedbank; --renew ledger=NAME leaves it and begins another")
	c := openConsole(t, r.service)
	c.goTo("/servers/here/about")
	c.clickIn("[data-written]", "Begin it anew…")
	c.click("stays, and the new one has another name")
	c.fill("New port", "saltmarsh")
	c.click("Draft it")
	c.see("and the server begins a new one, ports/saltmarsh/ledger")
	c.click("Run it")
	testbed.Eventually(t, "the server runs in it", func() bool { return r.variable("port") == "saltmarsh" })
	require.Equal(t, "12 houses\n", read(t, houses))

	r.must("deploy", "here", "--renew", "ledger=reedbank", "--yes")
	c.goTo("/servers/here/about")
	c.clickIn("[data-written]", "Begin it anew…")
	c.click("Draft it")
	c.see("ports/reedbank/ledger")
	c.click("Run it")
	testbed.Eventually(t, "the old one is set aside", func() bool {
		aside, err := filepath.Glob(filepath.Join(r.root, "ports/reedbank/ledger*/houses.txt"))
		require.NoError(t, err)
		return len(aside) == 1 && aside[0] != houses
	})
}
