package e2e

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// Files are a tree with who each is of and how the last survey found it; one file has its text, what
// happened to it, and its bytes as they were at any time.
func TestFilesAreATreeAndEachHasItsHistory(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom", "old.txt": "goes"}))
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom", "sign.png": "\x89PNG\r\n\x1a\nsign"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes")
	testbed.Write(t, filepath.Join(root, "fair.conf"), "lamps = 40\npassword = changeme\n")
	s.must("tweak", "set", "lantern", "fair.conf", "/lamps", "41", "--yes")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/stall.lf"), "by hand")
	testbed.Write(t, filepath.Join(root, "stalls/mine.txt"), "nobody deployed this")
	s.must("survey", "lantern")
	c := openConsole(t, s)

	c.goTo("/servers/lantern/files")
	c.seeIn("[data-file='stalls/drum-tent/stall.lf']", "changed")
	c.seeIn("[data-file='stalls/drum-tent/stall.lf']", "drum-tent@0.5.0")
	c.seeIn("[data-file='stalls/mine.txt']", "unknown")
	c.seeIn("[data-file='stalls']", "2 not as recorded")

	// By keyboard: a folder is closed and opened.
	c.ok(c.page.ClickOne("[data-path='stalls']"))
	c.ok(c.page.Gone("stall.lf"))
	c.ok(c.page.Press("ArrowRight"))
	c.seeIn("[data-file='stalls/drum-tent']", "drum-tent/")

	// What is gone is found too, with its bytes as they were.
	c.fill("Find a path, also of what is gone", "wares old")
	c.seeIn("[data-file='stalls/drum-tent/wares/old.txt']", "gone")
	c.click("stalls/drum-tent/wares/old.txt")
	c.see("Nothing stands there now, as far as is recorded.")
	require.Equal(t, "goes", evaluated[string](c, `(x => (x.open('GET', document.querySelector('a[download]').href, false), x.send(), x.responseText))(new XMLHttpRequest())`))

	// A text: what was changed in it is told by what it did; a secret is not shown, then or now.
	c.goTo("/servers/lantern/files?open=fair.conf")
	c.see("sets /lamps to 41")
	c.see("1 secret value not shown")
	c.click("What it changed")
	c.seeIn("[data-made]", "-lamps = 40")
	c.seeIn("[data-made]", "+lamps = 41")
	require.NotContains(t, evaluated[string](c, `document.body.innerText`), "changeme")

	// A picture is shown as one; then and now are seen side by side.
	c.goTo("/servers/lantern/files?open=stalls/drum-tent/wares/sign.png")
	at, err := browser.Until[string](c.page, "a picture", `document.querySelector('main img')?.src ?? null`)
	require.NoError(t, err)
	require.Equal(t, "image/png", evaluated[string](c, fmt.Sprintf(`(x => (x.open('GET', %q, false), x.send(), x.getResponseHeader('Content-Type')))(new XMLHttpRequest())`, at)))
	c.goTo("/servers/lantern/files?open=stalls/drum-tent/wares/drum.txt")
	c.clickIn("[data-event]:nth-of-type(2)", "Then and now")
	c.seeIn("[data-made]", "+boom boom")
	c.clickIn("[data-event]:nth-of-type(2)", "Back to this")
	c.runDraft("lantern#4")
	require.Equal(t, "boom", testbed.Files(settled(t, root))["stalls/drum-tent/wares/drum.txt"])

	// The palette finds it by any of its words.
	c.palette()
	c.seeIn("[role=dialog]", "Desk")
	c.ok(c.page.Press("wares drum"))
	c.seeIn("[role=option]", "stalls/drum-tent/wares/drum.txt")

	// And it does things: asked for twice, a sheet opens twice.
	for range 2 {
		c.ok(c.page.Press("Escape"))
		c.ok(c.page.Gone("How it is done"))
		c.palette()
		c.seeIn("[role=dialog]", "Desk")
		c.ok(c.page.Press("deploy to lantern"))
		c.seeIn("[role=option][aria-selected=true]", "Deploy to lantern")
		c.ok(c.page.Press("Enter"))
		c.see("How it is done")
	}
}

// The timeline tells what was taken back by what, and shows only what touched a path or an add-on.
func TestTheTimelineTellsWhatWasTakenBack(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "harvest-songs-1.2.zip"), map[string]string{"harvest-songs-1.2/reel.tune": "la"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	s.must("deploy", "lantern", "harvest-songs@1.2", "--yes")
	s.must("rollback", "lantern", "--deployment", "1", "--yes")
	c := openConsole(t, s)
	c.goTo("/servers/lantern/timeline")
	c.seeIn("[data-deployment='1']", "taken back by #3")
	c.seeIn("[data-deployment='3']", "Take back")
	c.ok(c.page.Gone("Take lantern#1 back"))
	c.goTo("/servers/lantern/deployments/1")
	c.seeIn("main", "taken back")
	c.goTo("/servers/lantern/timeline")
	c.pick("Only what touched this add-on", "harvest-songs")
	c.ok(c.page.Gone("drum-tent@0.4.0"))
	c.seeIn("[data-deployment='2']", "harvest-songs@1.2")
	c.pick("Only what touched this add-on", "")
	c.fill("Only what touched this path", "stall.lf")
	c.ok(c.page.Gone("harvest-songs@1.2"))
	c.goTo("/servers/lantern/timeline")
	c.click("Compare lantern#1")
	c.click("Compare lantern#2")
	c.click("Compare #1 with #2")
	c.seeIn("[data-turn='harvest-songs']", "not there")
}
