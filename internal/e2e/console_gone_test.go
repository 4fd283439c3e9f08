package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed/browser"
)

// With the service gone every page says so, and since when; once it is back they go on by
// themselves, with what changed meanwhile.
func TestAPageSaysThatTheServiceIsGoneAndRecovers(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"a.lf": "a"}))
	c := openConsole(t, s)
	for _, page := range []string{"/servers/lantern/add-ons", "/staging", "/deployments", "/servers/lantern/files"} {
		c.goTo(page)
		c.seeIn("h1", "")
		gone, err := browser.Eval[bool](c.page, `document.querySelector('[data-gone]') !== null`)
		require.NoError(t, err)
		require.False(t, gone, page)
		s.kill()
		c.seeIn("[data-gone]", "The service has not answered since")
		s.up()
		c.ok(c.page.Gone("The service has not answered since"))
	}
	// What happened while the page could not hear of it is shown.
	c.goTo("/staging")
	c.see("0.4.0")
	s.kill()
	c.seeIn("[data-gone]", "What is shown is as it was then")
	s.up()
	s.stage(stall("0.5.0", map[string]string{"a.lf": "b"}))
	c.see("0.5.0")
}
