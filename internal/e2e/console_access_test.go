package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// pages are every page of the console with something in it, and words that
// tell that it is there.
func pages(t *testing.T, s *service, root string) [][2]string {
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "boom boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	testbed.Write(t, filepath.Join(root, "fair.conf"), "; how bright, 1-60\nlamps = 40\nmusic = soft   ; one of soft, loud\ndoors = on\npassword = changeme\n")
	s.must("tweak", "set", "lantern", "fair.conf", "/lamps", "41", "--yes")
	testbed.Write(t, filepath.Join(root, "stalls/drum-tent/stall.lf"), "changed by hand")
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--draft")
	var crates []api.Crate
	s.get(&crates, "crate", "list")
	s.must("packlist", "lantern", "--must", "drum-tent=Bring it", "--must-not", "ghost-tent", "--words", "One fair.", "--link")
	s.must("schedule", "add", "nightly", "lantern", "--do", "update", "--at", "0 4 * * *", "--zone", "UTC")
	s.must("group", "add", "fairs", "lantern")
	again := filepath.Join(t.TempDir(), "lanternfall.yaml")
	require.NoError(t, os.WriteFile(again, []byte(strings.Replace(read(t, books+"lanternfall.yaml"), "title: ", "title: The ", 1)), 0o600))
	s.must("rulebook", "add", again)
	s.must("notice", "add", "reader", "--feed")
	var players api.Packlist
	s.get(&players, "packlist", "lantern")
	_, secret, _ := strings.Cut(players.URL, "/pack/")
	return [][2]string{
		{"/pack/" + secret, "You must have"}, {"/servers/lantern/players", "What players need"}, {"/schedules", "Who is told"},
		{"/", "changed outside"}, {"/servers/lantern", "0.5.0 is staged"}, {"/servers/lantern/files", "stall.lf"}, {"/servers/lantern/files?open=fair.conf", "What happened to it"},
		{"/servers/lantern/timeline", "Take back"}, {"/servers/lantern/texts", "Tweaks that hold here"}, {"/servers/lantern/texts?text=fair.conf", "how bright, 1-60"}, {"/servers/lantern/about", "Found out"}, {"/servers/lantern/deployments/1", "every size checked"},
		{"/servers/lantern/deployments/3", "I accept this"}, {"/staging", "drum-tent"}, {"/crates/" + crates[0].Digest, "Left out"},
		{"/deployments", "lantern#1"}, {"/rulebooks", "Lanternfall"}, {"/rulebooks/lanternfall", "Its text"}, {"/rulebooks/lanternfall?at=edit", "It reads as a rulebook."}, {"/rulebooks/lanternfall?at=turns", "by owner"},
		{"/jobs", "drafting a deployment for lantern"}, {"/groups", "fairs"}, {"/service", "Who may come in"}, {"/servers/lantern/survey", "Nobody has looked"}, {"/servers/lantern/updates", "drum-tent"}, {"/servers/lantern/compare", "As it stood"}, {"/make-rulebook", "A server of it"}, {"/nowhere", "There is no such page"},
	}
}

// broken is one rule of the checker that a page breaks, and where.
type broken struct {
	ID     string
	Where  []string
	Detail string
}

const check = `axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa']}).then(r =>
	r.violations.map(v => ({ID: v.id, Detail: v.help, Where: v.nodes.map(n => n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? ''))})))`

// A long folder makes a row of text of what else is taken for a list of links,
// which are held to more within text.
func TestEveryPageCanBeUsedByAll(t *testing.T) {
	t.Parallel()
	root := filepath.Join(t.TempDir(), "the-fair-by-the-river-with-all-of-its-lanterns-and-stalls-and-songs")
	require.NoError(t, os.Mkdir(root, 0o755))
	s := folderServerAt(t, root)
	list := pages(t, s, root)
	c := openConsole(t, s)
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err, "make build installs it")
	for _, p := range list {
		c.goTo(p[0])
		c.see(p[1])
		c.everywhere(string(axe), p[0])
	}
	for _, sheet := range [][3]string{
		{"/", "Add a server…", "Nothing on it is touched"}, {"/servers/lantern", "Deploy…", "How it is done"}, {"/servers/lantern/about", "Edit…", "A secret that is left empty"},
		{"/servers/lantern/about", "Pack for a helper…", "Read it before you send it"}, {"/servers/lantern/about", "Forget it…", "Its files on the host stay"}, {"/groups", "Make a group…", "in the order in which you tick them"},
		{"/schedules", "Have results told…", "a web address"}, {"/schedules", "Add a schedule…", "By the clocks of"}, {"/servers/lantern/deployments/3", "Choose otherwise…", "Choose otherwise for lantern"},
		{"/staging", "From an address…", "as if you had dropped it here"}, {"/rulebooks", "Begin with a shape…", "Small letters, digits and hyphens"}, {"/rulebooks/lanternfall", "Take out of use…", "What it laid out stays"},
		{"/servers/lantern/texts", "Change a name…", "with one way back"}, {"/servers/lantern/files?open=fair.conf", "Put a file of yours there…", "You see the draft before"}, {list[14][0], "Look for mistakes…", "Nothing in it is a text"},
	} {
		c.goTo(sheet[0])
		c.click(sheet[1])
		c.seeIn("[role=dialog], [role=alertdialog]", sheet[2])
		_, err := browser.Until[bool](c.page, sheet[1]+" begins at its first field", firstField)
		c.ok(err)
		c.everywhere(string(axe), sheet[0]+", "+sheet[1])
	}
}

// everywhere holds what is open to the checker's rules and to ours, at three widths, light and dark.
func (c console) everywhere(axe, where string) {
	c.Helper()
	_, err := browser.Eval[any](c.page, axe+"; undefined")
	c.ok(err)
	for _, width := range []int{1280, 768, 390} {
		c.ok(c.page.Size(width, 844))
		small, err := browser.Eval[[]string](c.page, tooSmall)
		c.ok(err)
		assert.Empty(c, small, "%s, %d wide: a target of less than 24 by 24 pixels", where, width)
		wide, err := browser.Eval[int](c.page, "document.documentElement.scrollWidth")
		c.ok(err)
		if wide > width {
			over, err := browser.Eval[[]string](c.page, fmt.Sprintf("[...document.querySelectorAll('main *')].filter(e => e.getBoundingClientRect().right > %d).map(e => e.outerHTML.slice(0, 160))", width))
			c.ok(err)
			assert.Empty(c, over, "%s, %d wide: it is wider than the screen", where, width)
		}
		if width == 768 { // as at 1280, but narrower
			continue
		}
		found, err := browser.Eval[[]broken](c.page, check)
		c.ok(err)
		assert.Empty(c, found, "%s, %d wide", where, width)
	}
	c.ok(c.page.Dark(true)) // only colours are others
	found, err := browser.Eval[[]broken](c.page, strings.Replace(check, "['wcag2a', 'wcag2aa', 'wcag21aa']", "['color-contrast']", 1))
	c.ok(err)
	assert.Empty(c, found, "%s, dark", where)
	c.ok(c.page.Size(1280, 800))
	c.ok(c.page.Dark(false))
	twice, err := browser.Eval[[]string](c.page, sameName)
	c.ok(err)
	assert.Empty(c, twice, "%s: two things that do not do the same have one name", where)
}

// firstField tells whether a sheet has the focus where its first field is, if it has one.
const firstField = `(d => { const f = d.querySelector('input:not([type=hidden]):not([disabled]), select, textarea, [role=checkbox], [role=radio]');
	return (f ? document.activeElement === f : d.contains(document.activeElement)) || null; })(document.querySelector('[role=dialog], [role=alertdialog]'))`

// tooSmall finds what is to be clicked and is smaller than WCAG 2.5.8 asks; links within text may be.
const tooSmall = `[...document.querySelectorAll('button, select, input:not([type=hidden]):not([type=file]), [role=checkbox], [role=radio], a.button')]
	.filter(e => { const r = e.getBoundingClientRect(); return r.width > 0 && getComputedStyle(e).opacity !== '0' && (r.width < 23.5 || r.height < 23.5); })
	.map(e => e.outerHTML.slice(0, 140))`

// sameName finds buttons that have one name, but for those of one group that say the same.
const sameName = `(() => { const seen = new Map(); const twice = [];
	for (const b of document.querySelectorAll('button')) { const r = b.getBoundingClientRect(); if (r.width === 0) continue;
		const n = (b.getAttribute('aria-label') ?? (b.labels?.[0] ?? b).innerText).trim(); if (n.startsWith("Copy ")) continue; if (!n) { twice.push('no name: ' + b.outerHTML.slice(0, 120)); continue; }
		if (seen.has(n)) twice.push(n); seen.set(n, b); } return twice; })()`

// Where the places do not fit on the screen, the one that is open is in sight.
func TestANarrowScreenShowsWhereAPersonIs(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	c := openConsole(t, s)
	c.ok(c.page.Size(390, 844))
	for _, p := range [][2]string{{"/service", "Who may come in"}, {"/servers/lantern/about", "Control"}, {"/servers/lantern", "Nothing was deployed"}} {
		c.goTo(p[0])
		c.see(p[1])
		_, err := browser.Until[bool](c.page, p[0]+" is in sight", `([...document.querySelectorAll('nav [aria-current]')].every(e => { const r = e.getBoundingClientRect(); return r.width === 0 || r.left > -1 && r.right < innerWidth + 1 })) || null`)
		c.ok(err)
	}
	require.Zero(t, evaluated[float64](c, "scrollY"), "the page itself stays where it is")
}

func TestTheKeyboardIsEnough(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	pages(t, s, root)
	c := openConsole(t, s)
	c.goTo("/staging")
	c.see("drum-tent")
	press := func(keys ...string) {
		for _, k := range keys {
			c.ok(c.page.Press(k))
		}
	}
	press("?")
	c.see("go to the find field of the page")
	press("Escape")
	c.ok(c.page.Gone("go to the find field of the page"))
	press("/", "0.4.0")
	c.ok(c.page.Gone("0.5.0"))
	press("Escape", "ArrowDown", "Enter")
	c.seeIn("main", "drum-tent@0.4.0")
	c.see("As downloaded")
}
