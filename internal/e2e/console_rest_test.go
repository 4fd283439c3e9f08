package e2e

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// A rulebook is changed in the console: what is wrong with it is told while it is typed, and what
// somebody else kept meanwhile is not passed over unasked.
func TestARulebookIsChangedInTheConsole(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	c := openConsole(t, s)
	c.goTo("/rulebooks/lanternfall?at=turns")
	c.see("This is its first revision: there is none to put beside it.")
	c.goTo("/rulebooks/lanternfall?at=edit")
	c.seeIn("[data-check='right']", "It reads as a rulebook.")
	c.ok(c.page.ClickOne(".cm-line"))
	for range 60 {
		c.ok(c.page.Press("ArrowUp"))
	}
	c.ok(c.page.Press("x"))
	c.seeIn("[data-check='wrong']", "line ")
	c.ok(c.page.Press("Backspace"))
	c.ok(c.page.Press("# ours "))
	c.seeIn("[data-check='right']", "It reads as a rulebook.")

	// Leaving it loses nothing unasked, by a button and by the palette.
	c.click("Read it")
	c.see("Lose what you have changed?")
	c.click("Go on here")
	c.palette()
	c.seeIn("[role=dialog]", "Desk")
	c.ok(c.page.Press("Enter"))
	c.see("Lose what you have changed?")
	c.click("Go on here")
	c.seeIn(".cm-content", "# ours")

	whole := read(t, books+"lanternfall.yaml")
	s.must("rulebook", "add", textFile(t, t.TempDir(), "lanternfall.yaml", "# theirs\n"+whole))
	c.click("Keep it as revision 3")
	c.see("Revision 2 was kept meanwhile")
	c.click("Keep mine all the same")
	c.see("Its text")
	var now api.Rulebook
	s.get(&now, "rulebook", "show", "lanternfall")
	require.Equal(t, 3, now.Revision)
	c.click("Compare revisions…")
	c.seeIn("[data-diff]", "-# theirs")
	require.Contains(t, s.must("rulebook", "compare", "lanternfall", "--from", "1", "--to", "2"), "+# theirs")
}

// What the service has done is there with why it failed.
func TestJobsTellWhatFailedAndWhy(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	broken := filepath.Join(t.TempDir(), "half.zip")
	require.NoError(t, os.WriteFile(broken, []byte("PK\x03\x04 and no more"), 0o600))
	s.restless("stage", broken)
	s.must("survey", "lantern")
	c := openConsole(t, s)
	c.goTo("/jobs")
	c.see("surveying lantern")
	c.seeIn("[data-ended='failed']", "half.zip")
	c.click("only what failed")
	c.ok(c.page.Gone("surveying lantern"))
	c.fill("Find by what it was, or who asked", "nowhere")
	c.see("No such job has ended")
	out := s.must("job", "list", "--failed", "half")
	require.Contains(t, out, "stage of half.zip")
	require.Contains(t, out, "probably cut short")
}

// Servers are deployed to together, and taken back together, by clicking.
func TestAGroupIsDeployedToByClicking(t *testing.T) {
	t.Parallel()
	s, one := folderServer(t)
	two := t.TempDir()
	s.must("server", "add", "meadow", "--rulebook", "lanternfall", "--folder", two)
	s.must("server", "test", "meadow")
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	c := openConsole(t, s)
	c.goTo("/groups")
	c.clickIn("main header", "Make a group…")
	c.fill("Name", "fairs")
	c.click("lantern lanternfall")
	c.click("meadow lanternfall")
	c.clickIn("[role=dialog]", "Make it")
	c.clickIn("[data-group='fairs']", "Deploy…")
	c.click("drum-tent")
	c.click("Draft for each")
	c.seeIn("[data-part='drafted']", "lantern#1")
	require.Empty(t, testbed.Files(testbed.Snapshot(t, one)), "drafts touch nothing")
	c.click("Run them")
	c.seeIn("[data-group='fairs']", "done, by owner")
	for _, root := range []string{one, two} {
		require.Equal(t, "boom", testbed.Files(settled(t, root))["stalls/drum-tent/wares/drum.txt"])
	}
	c.click("Take back on all…")
	c.click("Take it back")
	c.seeIn("[data-part='back']", "taken back")
	require.Empty(t, testbed.Files(settled(t, two)))
}

// A server is made like another in what is chosen, and a helper gets what is needed, without secrets.
func TestAddonsAndValuesAreBroughtFromAnotherServer(t *testing.T) {
	t.Parallel()
	s, one := folderServer(t)
	two := t.TempDir()
	s.must("server", "add", "meadow", "--rulebook", "lanternfall", "--folder", two)
	s.must("server", "test", "meadow")
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	for root, lamps := range map[string]string{one: "40", two: "12"} {
		testbed.Write(t, filepath.Join(root, "fair.conf"), "lamps = "+lamps+"\nmusic = soft\n")
	}
	s.must("tweak", "set", "lantern", "fair.conf", "/music", "loud", "--yes")
	c := openConsole(t, s)
	c.goTo("/servers/meadow")
	c.clickIn("main header", "Bring from another server…")
	c.pick("From", "lantern")
	c.click("Look at both")
	c.seeIn("[data-bring='drum-tent']", "not here yet")
	c.seeIn("[role=dialog]", "soft → loud")
	c.click("Take /music of fair.conf along")
	c.clickIn("[role=dialog]", "Draft it")
	c.runDraft("meadow#1")
	now := testbed.Files(settled(t, two))
	require.Equal(t, "boom", now["stalls/drum-tent/wares/drum.txt"])
	require.Equal(t, "lamps = 12\nmusic = loud\n", now["fair.conf"])
}

// Tokens are made and ended, results are told, and the stockroom is looked over by clicking.
func TestTheServiceIsLookedAfterInTheConsole(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	c := openConsole(t, s)
	c.goTo("/service")
	c.fill("Whose token, or what for", "helper")
	c.click("Make a token")
	c.see("which is not shown again")
	token := evaluated[string](c, `[...document.querySelectorAll('[role=status] .path')].at(-1).innerText.trim()`)
	status, _ := s.call("GET", "/api/v1/servers", token, "")
	require.Equal(t, http.StatusOK, status)
	c.click("End the token helper…")
	c.click("End it")
	_, err := browser.Until[bool](c.page, "the token is not in the list", `!document.querySelector('[data-token=helper]') || null`)
	require.NoError(t, err)
	status, _ = s.call("GET", "/api/v1/servers", token, "")
	require.Equal(t, http.StatusUnauthorized, status)

	c.click("Read and check every byte")
	c.see("read and found whole")
	c.fill("but keep so many versions", "1")
	c.click("Show what would go")
	c.seeIn("[data-plan]", "Nothing would go")

	c.goTo("/schedules")
	c.click("Have results told…")
	c.fill("Name", "reader")
	c.click("a feed that a reader follows")
	c.click("Tell it there")
	c.see("The address of the feed, which nobody can guess")
	c.seeIn("[data-notice='reader']", "a feed")
	c.click("Tell reader no more…")
	c.click("Tell it no more")
	c.see("Nobody is told what comes of it.")
}

// A browser gets long answers packed; what is a stream, and what holds secrets, comes as it is.
func TestAnswersToBrowsersComePacked(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(many("1.0"))
	c := openConsole(t, s)
	c.goTo("/staging")
	kinds := evaluated[map[string]float64](c, `Object.fromEntries(performance.getEntriesByType('resource').filter(e => e.decodedBodySize > 4096 && /\.js$|\/crates/.test(e.name)).map(e => [e.name, e.encodedBodySize / e.decodedBodySize]))`)
	require.NotEmpty(t, kinds)
	for name, share := range kinds {
		require.Less(t, share, 0.9, name)
	}
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, c.base+"/api/v1/crates", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+s.token())
	req.Header.Set("Accept-Encoding", "gzip")
	res, err := http.DefaultTransport.RoundTrip(req)
	require.NoError(t, err)
	defer res.Body.Close()
	require.Empty(t, res.Header.Get("Content-Encoding"), "programs on this machine are spared it")
	require.True(t, strings.HasPrefix(res.Header.Get("Content-Type"), "application/json"))
}
