package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
	"restlesscrate/web"
)

// console is a browser that is signed in to a service. Its methods fail the
// test where a person would be stuck.
type console struct {
	*testing.T
	page *browser.Page
	base string
}

// chromium is the one of all tests; each has a profile of its own in it.
var chromium = sync.OnceValues(func() (*browser.Browser, error) {
	b, end, err := browser.Start(context.Background())
	closeChromium = end
	return b, err
})

var closeChromium = func() {}

// openTab opens an empty tab for a test.
func openTab(t *testing.T, width, height int) *browser.Page {
	t.Helper()
	testbed.Need(t, "chromium", "chromium")
	if !web.Built() {
		testbed.Skip(t, "the console is not built; make build builds it")
	}
	b, err := chromium()
	require.NoError(t, err)
	p, closeIt, err := b.Open(width, height)
	require.NoError(t, err)
	t.Cleanup(closeIt)
	return p
}

// openConsole gives a browser that is signed in, and has no page open yet.
func openConsole(t *testing.T, s *service) console {
	t.Helper()
	c := console{t, openTab(t, 1280, 800), fmt.Sprintf("http://127.0.0.1:%d", s.port)}
	cookie, _ := s.signIn()
	name, value, _ := strings.Cut(cookie, "=")
	c.ok(c.page.Cookie(c.base, name, value))
	t.Cleanup(func() { require.Empty(t, c.page.Faults(), "no script of the console threw") })
	return c
}

func (c console) ok(err error) {
	c.Helper()
	require.NoError(c, err)
}

func (c console) goTo(path string)           { c.Helper(); c.ok(c.page.Go(c.base + path)) }
func (c console) click(words string)         { c.Helper(); c.ok(c.page.Click(words)) }
func (c console) clickIn(within, w string)   { c.Helper(); c.ok(c.page.ClickIn(within, w)) }
func (c console) see(words string)           { c.Helper(); c.ok(c.page.See(words)) }
func (c console) seeIn(within, words string) { c.Helper(); c.ok(c.page.SeeIn(within, words)) }
func (c console) fill(label, text string)    { c.Helper(); c.ok(c.page.Fill(label, text)) }
func (c console) pick(label, value string)   { c.Helper(); c.ok(c.page.Select(label, value)) }

// palette opens what finds anything, and waits until it takes the keys.
func (c console) palette() {
	c.Helper()
	c.ok(c.page.Press("Control+k"))
	_, err := browser.Until[bool](c.page, "the palette", "document.activeElement?.ariaLabel === 'Go to' || null")
	c.ok(err)
}

func (c console) upload(selector string, paths ...string) {
	c.Helper()
	c.ok(c.page.Upload(selector, paths...))
}

// version chooses a version of an add-on in the sheet that deploys.
func (c console) version(addon, version string) {
	c.Helper()
	ref, err := browser.Until[string](c.page, "version "+version, fmt.Sprintf(`[...document.querySelectorAll('[data-offer="%s"] option')].find(o => o.text === '%s')?.value ?? null`, addon, version))
	c.ok(err)
	c.pick("Version of "+addon, ref)
}

// runDraft runs the draft that is open and waits until it is done.
func (c console) runDraft(name string) {
	c.Helper()
	c.seeIn("main", name)
	c.click("Run it")
	c.seeIn("main", "every size checked")
}

func TestTheConsoleDoesTheWholeJob(t *testing.T) {
	t.Parallel()
	d, root, dir := testbed.StartSSHD(t), t.TempDir(), t.TempDir()
	testbed.Write(t, filepath.Join(root, "fair.order"), "call nobody\n")
	s := start(t)
	c := openConsole(t, s)

	// A rulebook, and a server behind a host whose key is new.
	c.goTo("/rulebooks")
	book, err := filepath.Abs(books + "lanternfall.yaml")
	require.NoError(t, err)
	c.upload("[data-rulebook]", book)
	c.see("Its text")
	c.goTo("/")
	c.clickIn("main header", "Add a server…")
	c.fill("Name", "lantern")
	c.fill("Host", "127.0.0.1")
	c.fill("Port", strconv.Itoa(d.Port))
	c.fill("User", d.User)
	c.click("a key file")
	c.see("Its content is sent")
	c.upload("[role=dialog] input[type=file]", d.KeyFile)
	c.fill("The server's root folder", root)
	c.click("Add it")
	c.seeIn("main", "not tested")
	c.click("Test it")
	c.see("is a host whose key nobody has confirmed")
	c.click("This is the key: trust it")
	c.see("Files can be renamed from the work folder into the tree")

	// Two versions as archives, and a folder.
	c.click("Staging")
	v1 := testbed.Zip(t, filepath.Join(dir, "1", "drum-tent-main.zip"), stall("0.4.0", map[string]string{"drum.txt": "boom", "old.txt": "goes"}))
	c.upload("[data-files]", v1)
	c.seeIn("[data-upload='drum-tent-main.zip']", "drum-tent@0.4.0")
	songs := filepath.Join(dir, "harvest-songs-1.2")
	testbed.Write(t, filepath.Join(songs, "reel.tune"), "la")
	testbed.Write(t, filepath.Join(songs, "jig.tune"), "le")
	c.upload("[data-folder]", songs)
	c.seeIn("[data-upload='harvest-songs-1.2.tar']", "harvest-songs@1.2")

	// Where does each file go, and why?
	c.click("drum-tent@0.4.0")
	c.see("drum-tent-main/drum-tent-main/stall.lf")
	c.see("stalls/drum-tent/stall.lf")
	c.click("Author’s notes 1")
	c.see("Put the inner folder on the server.")
	c.ok(c.page.Press("Escape"))

	// The first deployment, chosen on the server's own page.
	before := testbed.Files(testbed.Snapshot(t, root))
	c.goTo("/servers/lantern")
	c.clickIn("main header", "Deploy…")
	c.click("drum-tent 0.4.0")
	c.click("harvest-songs 1.2")
	c.see("2 chosen")
	c.click("Draft it")
	c.see("it may be running while its files change")
	require.Equal(t, before, testbed.Files(testbed.Snapshot(t, root)), "a draft touches nothing")
	c.runDraft("lantern#1")
	first := settled(t, root)
	require.Equal(t, map[string]string{
		"fair.order":                        "call nobody\n",
		"stalls/drum-tent/stall.lf":         "title = \"Drum Tent\"\nversion = \"0.4.0\"\n",
		"stalls/drum-tent/wares/drum.txt":   "boom",
		"stalls/drum-tent/wares/old.txt":    "goes",
		"songbooks/harvest-songs/reel.tune": "la",
		"songbooks/harvest-songs/jig.tune":  "le",
	}, testbed.Files(first))

	// A newer version is staged: the server's page offers it.
	v2 := testbed.Zip(t, filepath.Join(dir, "2", "drum-tent-main.zip"), stall("0.5.0", map[string]string{"drum.txt": "boom boom"}))
	c.click("Staging")
	c.upload("[data-files]", v2)
	c.see("drum-tent@0.5.0")
	c.goTo("/servers/lantern")
	c.see("0.5.0 is staged")
	c.click("Update to 0.5.0")
	c.runDraft("lantern#2")
	second := testbed.Files(settled(t, root))
	require.Equal(t, "boom boom", second["stalls/drum-tent/wares/drum.txt"])
	require.NotContains(t, second, "stalls/drum-tent/wares/old.txt")

	// One file back by its history, then the whole update by the timeline.
	c.goTo("/servers/lantern/files")
	c.clickIn("[data-file='stalls/drum-tent/wares/drum.txt']", "drum.txt")
	c.see("drum-tent@0.4.0, 4 B became drum-tent@0.5.0, 9 B")
	c.click("What it changed")
	c.seeIn("[data-made]", "+boom boom")
	c.click("Back one change")
	c.runDraft("lantern#3")
	require.Equal(t, "boom", testbed.Files(settled(t, root))["stalls/drum-tent/wares/drum.txt"])
	c.goTo("/servers/lantern/timeline")
	c.clickIn("[data-deployment='2']", "Take back")
	c.see("1 there already")
	c.runDraft("lantern#4")
	require.Equal(t, first, settled(t, root), "existence, bytes and modes")
}

func TestAHaltedRunIsResumedOrUndoneByClicking(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
	old := testbed.Snapshot(t, root)
	c := openConsole(t, s)

	halt := func() {
		t.Helper()
		for range 10 {
			c.goTo("/servers/lantern")
			c.click("Update to 2.0")
			c.see("Run it")
			number, err := browser.Eval[string](c.page, `location.pathname.split('/').pop()`)
			require.NoError(t, err)
			c.click("Run it")
			testbed.Eventually(t, "some files are sent", func() bool { return sentTo(root, number) > 20 })
			testbed.KillSessions(t, d)
			c.ok(c.page.SeeAny("main", "Resume", "Take back…"))
			if text, err := c.page.Text("main"); err == nil && !strings.Contains(text, "Take back…") {
				return
			}
			s.must("rollback", "lantern", "--to", "1", "--yes")
		}
		t.Fatal("ten runs got through before the line could be cut")
	}

	halt()
	c.see("The server stands half-way")
	c.see("the line to the host was lost")
	c.click("Undo")
	c.see("Every file is put back as it was before")
	c.click("Undo it")
	c.see("undone")
	c.see("every size checked")
	require.Equal(t, old, settled(t, root), "exactly the old tree, nothing of ours left")

	halt()
	c.goTo("/servers/lantern")
	c.see("It stands half-way: finish it or take it back before anything else.")
	number, err := browser.Eval[string](c.page, `[...document.querySelectorAll('a')].map(a => a.innerText).find(w => w.startsWith('Open lantern#'))`)
	require.NoError(t, err)
	c.click(number)
	c.click("Resume")
	c.see("Take back…")
	now := testbed.Files(settled(t, root))
	require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w123.txt"], now["stalls/drum-tent/wares/w123.txt"])
	require.Len(t, now, len(testbed.Files(old)), "and nothing else")
}

// A server is added over FTP with TLS in the console; a run whose line is cut is
// resumed there.
func TestTheConsoleOverFTPWithTLS(t *testing.T) {
	t.Parallel()
	d, root := testbed.StartVSFTPD(t, testbed.FTPOptions{TLS: true}), t.TempDir()
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	c := openConsole(t, s)
	c.goTo("/")
	c.clickIn("main header", "Add a server…")
	c.fill("Name", "lantern")
	c.click("on a host, over FTP with TLS")
	c.fill("Host", "127.0.0.1")
	c.fill("Port", strconv.Itoa(d.Port))
	c.fill("User", d.User)
	c.fill("Password", d.Password)
	c.fill("The server's root folder", root)
	c.click("Add it")
	c.seeIn("main", "not tested")
	c.click("Test it")
	c.see("is a host whose certificate nobody has confirmed")
	c.click("This is the certificate: trust it")
	c.see("Permission bits are not kept")
	s.stage(many("1.0"))
	s.stage(many("2.0"))
	c.goTo("/servers/lantern")
	c.clickIn("main header", "Deploy…")
	c.version("drum-tent", "1.0")
	c.click("Draft it")
	c.runDraft("lantern#1")
	require.Len(t, testbed.Files(settled(t, root)), 201)

	for try := 0; ; try++ {
		require.Less(t, try, 10, "ten runs got through before the line could be cut")
		c.goTo("/servers/lantern")
		c.click("Update to 2.0")
		c.see("Run it")
		number, err := browser.Eval[string](c.page, `location.pathname.split('/').pop()`)
		require.NoError(t, err)
		c.click("Run it")
		testbed.Eventually(t, "some files are sent", func() bool { return sentTo(root, number) > 20 })
		d.Cut()
		c.ok(c.page.SeeAny("main", "Resume", "Take back…"))
		if text, err := c.page.Text("main"); err == nil && !strings.Contains(text, "Take back…") {
			break
		}
		s.must("rollback", "lantern", "--to", "1", "--yes")
	}
	c.see("The server stands half-way")
	c.click("Resume")
	c.see("Take back…")
	now := testbed.Files(settled(t, root))
	require.Equal(t, many("2.0")["drum-tent-main/drum-tent-main/wares/w123.txt"], now["stalls/drum-tent/wares/w123.txt"])
	require.Len(t, now, 201)
	require.NoDirExists(t, filepath.Join(root, ".restless-crate"))
}

func TestABlockIsAcceptedByATick(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/stall.lf"), "put there by hand")
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--draft")
	c := openConsole(t, s)
	c.goTo("/servers/lantern/deployments/1")
	c.seeIn("[data-finding='older-copy']", "I accept this")
	disabled, err := browser.Eval[bool](c.page, `[...document.querySelectorAll('button')].find(b => b.innerText === 'Run it').disabled`)
	require.NoError(t, err)
	require.True(t, disabled, "a block stands in the way")
	c.click("I accept this")
	c.runDraft("lantern#1")
	c.see("accepted by owner")
	require.Contains(t, testbed.Files(settled(t, root))["stalls/drum-tent/stall.lf"], "0.4.0")

	// What was taken over is kept: the way back brings it again.
	c.click("Take back…")
	c.runDraft("lantern#2")
	require.Equal(t, "put there by hand", testbed.Files(settled(t, root))["stalls/drum-tent/stall.lf"])
}

func TestWhatTheAuthorSaysIsTickedOff(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	texts := stall("0.4.0", map[string]string{"drum.txt": "boom"})
	texts["drum-tent-main/README.md"] = "# Drum Tent\n\nNeeds ticket-gate 1.0 or newer.\n"
	s.stage(texts)
	require.Contains(t, s.must("crate", "show", "drum-tent@0.4.0"), "the author says: Needs ticket-gate 1.0 or newer. (drum-tent-main/README.md line 3)")
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--draft")
	c := openConsole(t, s)
	c.goTo("/servers/lantern/deployments/1")
	c.seeIn("[data-finding='author-says']", "The author of drum-tent@0.4.0 says: Needs ticket-gate 1.0 or newer.")
	c.click("Done")
	c.click("Run it")
	c.see("ticked by owner")
	var d api.Deployment
	s.get(&d, "deployment", "show", "lantern#1")
	require.Equal(t, []api.Accepted{{Code: "author-says", Path: "drum-tent-main/README.md#3", By: "owner"}}, d.Accepted)
}

func TestADraftThatIsNoLongerTrueIsDraftedAnew(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--draft")
	c := openConsole(t, s)
	c.goTo("/servers/lantern/deployments/1")
	c.see("Run it")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/stall.lf"), "meanwhile")
	c.click("Run it")
	c.see("lantern#1 is no longer true")
	c.see("This is the new one; read it again.")
	c.seeIn("main", "lantern#2")
	c.seeIn("[data-finding='older-copy']", "I accept this")
	require.Equal(t, map[string]string{"stalls/drum-tent/stall.lf": "meanwhile"}, testbed.Files(testbed.Snapshot(t, root)), "nothing was done")
}

func read(t *testing.T, file string) string {
	t.Helper()
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	return string(raw)
}

func written(t *testing.T, name, text string) string {
	t.Helper()
	return textFile(t, t.TempDir(), name, text)
}
