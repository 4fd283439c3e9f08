package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

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
	s.must("notice", "add", "reader", "--feed")
	var players api.Packlist
	s.get(&players, "packlist", "lantern")
	_, secret, _ := strings.Cut(players.URL, "/pack/")
	return [][2]string{
		{"/pack/" + secret, "You must have"}, {"/servers/lantern/players", "What players need"}, {"/schedules", "Who is told"},
		{"/", "changed outside, as lantern#3 saw"}, {"/servers/lantern", "0.5.0 is staged"}, {"/servers/lantern/files", "stalls/drum-tent/stall.lf"},
		{"/servers/lantern/timeline", "Take back"}, {"/servers/lantern/texts", "Tweaks that hold here"}, {"/servers/lantern/texts?text=fair.conf", "how bright, 1-60"}, {"/servers/lantern/about", "Found out"}, {"/servers/lantern/deployments/1", "every size checked"},
		{"/servers/lantern/deployments/3", "I accept this"}, {"/staging", "drum-tent"}, {"/crates/" + crates[0].Digest, "Left out"},
		{"/deployments", "lantern#1"}, {"/rulebooks", "Lanternfall"}, {"/rulebooks/lanternfall", "Its text"}, {"/make-rulebook", "A server of it"}, {"/nowhere", "There is no such page"},
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
	for _, dark := range []bool{false, true} {
		c.ok(c.page.Dark(dark))
		for _, p := range list {
			c.goTo(p[0])
			c.see(p[1])
			_, err := browser.Eval[any](c.page, string(axe)+"; undefined")
			require.NoError(t, err)
			found, err := browser.Eval[[]broken](c.page, check)
			require.NoError(t, err)
			require.Empty(t, found, "%s, dark %v", p[0], dark)
		}
	}
}

func TestNoPageIsWiderThanANarrowScreen(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	list := pages(t, s, root)
	c := openConsole(t, s)
	c.ok(c.page.Size(390, 844))
	for _, p := range list {
		c.goTo(p[0])
		c.see(p[1])
		wide, err := browser.Eval[int](c.page, "document.documentElement.scrollWidth")
		require.NoError(t, err)
		if wide > 390 {
			over, err := browser.Eval[[]string](c.page, "[...document.querySelectorAll('main *')].filter(e => e.getBoundingClientRect().right > 390).map(e => e.outerHTML.slice(0, 160))")
			require.NoError(t, err)
			t.Errorf("%s is %d wide: %q", p[0], wide, over)
		}
	}
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
