package e2e

import (
	"fmt"
	"strings"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed/browser"
)

// hand is a person at the console, by mouse or by keyboard alone. It counts what it does: clicks, or
// keys that are pressed; letters that are typed into a field are counted by neither.
type hand struct {
	console
	keys bool
	did  *int
}

func handAt(c console, keys bool) hand { return hand{c, keys, new(int)} }

// count gives what was done since it was asked last.
func (h hand) count() int {
	n := *h.did
	*h.did = 0
	return n
}

func (h hand) key(name string) {
	h.Helper()
	*h.did++
	h.ok(h.page.Press(name))
}

// to goes to a page: by the column at the left, or by the palette.
func (h hand) to(place string) {
	h.Helper()
	if h.keys {
		*h.did++
		h.palette()
		h.seeIn("[role=dialog]", "Desk")
		h.ok(h.page.Press(place))
		_, err := browser.Until[bool](h.page, "the palette finds "+place, fmt.Sprintf(`document.querySelector('[role=option][aria-selected=true]')?.innerText.toLowerCase().includes(%q) || null`, strings.ToLower(place)))
		h.ok(err)
		h.key("Enter")
		return
	}
	server, tab, part := strings.Cut(place, ": ")
	*h.did++
	switch {
	case strings.Contains(place, "@"): // a crate, on the page on which it was staged
		h.clickIn("main", place)
		return
	case !part && strings.ToLower(place) != place: // a page
		h.clickIn("nav[aria-label=Yard]", place)
		return
	}
	h.link("nav[aria-label=Servers]", "/servers/"+server)
	if part {
		*h.did++
		h.link("nav[aria-label='Of this server']", "/servers/"+server+"/"+map[string]string{"files": "files", "timeline": "timeline", "stop": "running"}[tab])
	}
}

// link clicks the link that leads somewhere, whatever figures it has beside its words.
func (h hand) link(within, href string) {
	h.Helper()
	h.ok(h.page.ClickOne(fmt.Sprintf("%s a[href='%s']", within, href)))
}

// do presses a button, follows a link, or ticks: what has these words.
func (h hand) do(words string) { h.Helper(); h.doIn("body", words) }

func (h hand) doIn(within, words string) {
	h.Helper()
	if !h.keys {
		*h.did++
		h.clickIn(within, words)
		return
	}
	kind := h.reach(within, words)
	switch kind {
	case "checkbox":
		h.key("Space")
	default:
		h.key("Enter")
	}
}

// reach brings the focus to what has these words, by Tab alone; for one of a few, by arrow keys.
func (h hand) reach(within, words string) (kind string) {
	h.Helper()
	// What is to be reached has to be there first.
	_, err := browser.Until[bool](h.page, fmt.Sprintf("something called %q", words), fmt.Sprintf(`focus.there(%q, %q)`, within, words))
	h.ok(err)
	for range 200 {
		at, err := browser.Eval[string](h.page, fmt.Sprintf(`focus.on(%q, %q)`, within, words))
		h.ok(err)
		switch at {
		case "":
			h.key("Tab")
		case "group": // one of its others has the focus
			h.key("ArrowDown")
		default:
			return at
		}
	}
	focus, _ := browser.Eval[string](h.page, `document.activeElement.outerHTML.slice(0, 200)`)
	require.Fail(h, "the keyboard does not reach it", "%q; the focus is on %s", words, focus)
	return ""
}

// write fills a field.
func (h hand) write(label, text string) {
	h.Helper()
	if !h.keys {
		*h.did++
		h.fill(label, text)
		return
	}
	h.reach("body", label)
	_, err := browser.Eval[bool](h.page, "document.activeElement.select?.(), true")
	h.ok(err)
	h.ok(h.page.Press(text))
}

// take chooses one of a field's options.
func (h hand) take(label, value string) {
	h.Helper()
	if h.keys {
		h.reach("body", label)
	}
	*h.did++
	h.pick(label, value)
}

// give hands files to a file field: what a person does in the window of the system counts as one.
func (h hand) give(selector string, paths ...string) {
	h.Helper()
	*h.did++
	h.upload(selector, paths...)
}

// looking finds what has the focus, as a person names it.
const looking = `var focus = (() => {
	const plain = (s) => (s ?? '').replace(/\s+/g, ' ').trim();
	const names = (e) => {
		const l = e.labels?.[0] ?? e.closest('label');
		return [e.getAttribute('aria-label'), e.innerText, (l?.querySelector('.label') ?? l)?.innerText, l?.innerText].map(plain).filter(Boolean).map((n) => n.toLowerCase());
	};
	const role = (e) => e.getAttribute('role') ?? e.tagName.toLowerCase();
	const meant = (within, words) => [...document.querySelectorAll('a, button, input, select, textarea, [role=radio], [role=menuitem]')]
		.filter((e) => e.getClientRects().length && !e.disabled && e.closest(within) && names(e).includes(words.toLowerCase()));
	return {
		there: (within, words) => meant(within, words).length > 0 || null,
		on(within, words) {
			const all = meant(within, words), at = document.activeElement;
			if (all.includes(at)) return role(at);
			const group = at.closest('[role=radiogroup]');
			return group && all.some((e) => group.contains(e)) ? 'group' : '';
		}
	};
})()`
