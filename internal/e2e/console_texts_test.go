package e2e

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

func TestAValueIsSetInTheConsole(t *testing.T) {
	t.Parallel()
	s, root, text, weir := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\n; how many may come, 1-20\nseats = 4\ntide = mild   ; one of mild, wild, still\ncode = reedmace\n")
	c := openConsole(t, s)
	c.goTo("/servers/fen/texts")
	c.see("marsh.ini")
	c.see("weir@1")
	c.click("marsh.ini")
	c.see("how many may come, 1-20")
	c.ok(c.page.Gone("reedmace"))
	c.fill("/server/seats", "30")
	c.see("The comment says at most 20.")
	c.click("More about /server/tide")
	c.see("It stands nowhere else in the server’s settings")
	c.click("Less about /server/tide")
	c.fill("/server/seats", "12")
	c.ok(c.page.Select("/server/tide", "wild"))
	c.see("2 values changed.")
	c.click("Draft 2 changes")
	c.see("marsh.ini: it sets /server/seats to 12")
	c.runDraft("fen#2")
	testbed.Eventually(t, "both are set", func() bool {
		return text("marsh.ini") == "[server]\n; how many may come, 1-20\nseats = 12\ntide = wild   ; one of mild, wild, still\ncode = reedmace\n"
	})
	c.goTo("/servers/fen/texts")
	c.see("Tweaks that hold here")

	testbed.Write(t, filepath.Join(root, weirs), "rows: 4\n")
	weir("2", "rows: 5\n")
	s.restless("deploy", "fen", "weir@2", "--yes")
	c.goTo("/servers/fen/deployments/3")
	c.see("the server has 4, and the new version 5")
	c.see("to be decided")
	c.click("Keep the server’s")
	c.see("All decided")
	c.click("Draft it anew")
	c.see("stays, as you decided")
	c.runDraft("fen#4")
	require.Equal(t, "rows: 4\n", text(weirs))
}
