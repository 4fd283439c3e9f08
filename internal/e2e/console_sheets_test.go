package e2e

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed/browser"
)

func evaluated[T any](c console, script string) T {
	c.Helper()
	v, err := browser.Eval[T](c.page, script)
	require.NoError(c, err)
	return v
}

func TestWhatIsTypedIntoASheetIsNotLost(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	c := openConsole(t, s)
	c.goTo("/")
	c.click("Add a server…")
	c.see("Nothing on it is touched")

	// Nothing typed: Back closes it and stays on the page.
	evaluated[bool](c, `(history.back(), true)`)
	c.ok(c.page.Gone("Nothing on it is touched"))
	require.Equal(t, "/", evaluated[string](c, `location.pathname`))

	c.click("Add a server…")
	c.fill("Name", "far")
	c.fill("Host", "far.example")
	c.fill("User", "ann")
	c.fill("Port", "abc")
	c.clickIn("form", "Add it")
	require.Equal(t, "Port", evaluated[string](c, `document.querySelector('form :invalid')?.closest('label')?.querySelector('.label')?.textContent ?? ''`), "the error is at its field")
	c.fill("Port", "2222")
	require.Equal(t, "Password", evaluated[string](c, `document.querySelector('form :invalid')?.closest('label')?.querySelector('.label')?.textContent ?? ''`), "what it signs in with is asked for")
	c.fill("Password", "tide")

	// A click beside it, Escape and Back lose nothing unasked.
	evaluated[bool](c, `(document.elementFromPoint(5, 400).dispatchEvent(new PointerEvent('pointerdown', {bubbles: true, clientX: 5, clientY: 400})), true)`)
	require.Equal(t, "far", evaluated[string](c, `document.querySelector('form input').value`))
	c.ok(c.page.Press("Escape"))
	c.seeIn("[data-losing]", "What you have typed here would be lost.")
	c.click("Go on here")
	evaluated[bool](c, `(history.back(), true)`)
	c.seeIn("[data-losing]", "What you have typed here would be lost.")
	require.Equal(t, "far", evaluated[string](c, `document.querySelector('form input').value`))
	c.click("Close it all the same")
	c.ok(c.page.Gone("Nothing on it is touched"))
	c.click("Add a server…")
	require.Equal(t, "", evaluated[string](c, `document.querySelector('form input[type=password]').value`), "a password does not stay")
}

func TestSigningInGoesWhereAPersonWasGoing(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	c := openConsole(t, s)
	link := func() string {
		status, raw := s.call("POST", "/api/v1/signin-links", s.token(), "")
		require.Equal(t, 200, status, raw)
		var l api.SignInLink
		require.NoError(t, json.Unmarshal([]byte(raw), &l))
		return l.URL
	}
	// signOut is done when it returns, on a page that has no calls of its own under way:
	// the answer to one would send the page to the sign-in just then.
	signOut := func() {
		c.goTo("/api/v1/servers")
		require.Equal(t, 204, evaluated[int](c, `(x => (x.open('DELETE', '/api/v1/session', false), x.send(), x.status))(new XMLHttpRequest())`))
	}
	spent := link()
	c.ok(c.page.Go(spent))
	c.see("Servers")
	c.ok(c.page.Go(spent)) // no error for who is signed in
	c.see("Servers")
	require.Equal(t, "/", evaluated[string](c, `location.pathname`))

	signOut()
	c.goTo("/servers/lantern/files")
	c.see("Token")
	require.Equal(t, "?to="+"%2Fservers%2Flantern%2Ffiles", evaluated[string](c, `location.search`))
	c.ok(c.page.Go(spent))
	c.see("this link or token does not work")
	c.see("restless sign-in")
	c.goTo("/sign-in?to=%2Fservers%2Flantern%2Ffiles")
	c.fill("Token", s.token())
	c.clickIn("form", "Sign in")
	c.seeIn("h1", "lantern")
	require.Equal(t, "/servers/lantern/files", evaluated[string](c, `location.pathname`))
	signOut()
	c.goTo(fmt.Sprintf("/sign-in?to=%s", "https%3A%2F%2Felsewhere.example%2F"))
	c.fill("Token", s.token())
	c.clickIn("form", "Sign in")
	c.seeIn("h1", "What needs you")
	require.Equal(t, "/", evaluated[string](c, `location.pathname`), "never to another site")
}
