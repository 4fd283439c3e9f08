package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// All windows of a browser share one stream of what has changed: each shows at once what
// somebody did elsewhere, and where the window that listened is closed, another listens.
func TestTheWindowsOfABrowserShareOneStream(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.kill()
	s.more = []string{"--verbose"} // every call is told when it ends, streams too
	s.up()
	c := openConsole(t, s)
	c.goTo("/")
	c.see("Servers")
	another := func() (console, func()) {
		tab, closeIt, err := c.page.Another(1280, 800)
		require.NoError(t, err)
		o := console{t, tab, c.base}
		o.goTo("/")
		o.see("Servers")
		return o, closeIt
	}
	ended := func() int { return strings.Count(s.log.String(), "path=/api/v1/changes ") }
	s.must("rulebook", "add", books+"lanternfall.yaml")
	add := func(name string) {
		s.must("server", "add", name, "--rulebook", "lanternfall", "--folder", t.TempDir())
	}

	second, closeSecond := another()
	third, _ := another()
	add("saltpan")
	for _, o := range []console{c, second, third} {
		o.see("saltpan")
	}
	closeSecond() // it only waited for its turn to listen
	add("reedbank")
	c.see("reedbank")
	third.see("reedbank")
	require.Zero(t, ended(), "one has listened all the while")

	c.goTo("/signed-out-of-nothing") // another page in its place: the stream ends with it
	testbed.Eventually(t, "its stream has ended", func() bool { return ended() == 1 })
	add("mudflat")
	third.see("mudflat")
}
