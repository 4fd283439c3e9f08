package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed/browser"
)

// A list of 2,000 files is scrolled faster than anybody reads: its rows go by as one line each. Where
// it stops they are whole, each as high as it has to be, and can be pressed.
func TestALongListThatGoesByIsWholeWhereItStops(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	wares := map[string]string{}
	for i := range 2000 {
		wares[fmt.Sprintf("shelf/w%04d%s.txt", i, strings.Repeat("-of-a-long-name", i%3*3))] = "x"
	}
	s.stage(stall("1.0", wares))
	c := openConsole(t, s)
	c.goTo("/crates/" + digestOf(s, "drum-tent@1.0"))
	_, err := browser.Until[bool](c.page, "a row that opens", `(b => b && (b.click(), true))(document.querySelector('[data-map] [aria-expanded=false]')) || null`)
	require.NoError(t, err)
	_, err = browser.Until[bool](c.page, "all rows", `Number(document.querySelector('[data-rows]')?.dataset.rows) > 2000 || null`)
	require.NoError(t, err)

	passed, err := browser.Eval[int](c.page, `new Promise((done) => { let n = 0, brief = 0;
		const frame = () => { brief = Math.max(brief, document.querySelectorAll('[data-rows] > .brief').length); scrollBy(0, 700);
			if (++n < 40) requestAnimationFrame(frame); else done(brief); };
		requestAnimationFrame(frame); })`)
	require.NoError(t, err)
	require.Greater(t, passed, 5, "rows go by as one line")
	stands, err := browser.Until[string](c.page, "rows that are whole, one below the other", `(() => {
		const rows = [...document.querySelectorAll('[data-rows] > div')].map((r) => ({ at: r.getBoundingClientRect(), whole: !!r.querySelector('button[aria-label^="Copy "]') })).sort((a, b) => a.at.top - b.at.top);
		if (rows.length < 10 || rows.some((r) => !r.whole)) return null;
		if (rows.some((r, i) => i && Math.abs(r.at.top - rows[i - 1].at.bottom) > 1)) return null;
		return rows[0].at.top <= 0 && rows.at(-1).at.bottom >= innerHeight ? 'the window is full' : null; })()`)
	require.NoError(t, err)
	require.Equal(t, "the window is full", stands)
	high, err := browser.Eval[int](c.page, `new Set([...document.querySelectorAll('[data-rows] > div')].map((r) => Math.round(r.offsetHeight))).size`)
	require.NoError(t, err)
	require.Greater(t, high, 1, "long names take more than one line")
}

// A button that comes with what a page still waits for moves none that somebody is about to press.
func TestAButtonThatComesLateMovesNoOther(t *testing.T) {
	t.Parallel()
	s := start(t)
	c := openConsole(t, s)
	c.goTo("/staging")
	c.see("From an address…")
	at := func() string {
		at, err := browser.Eval[string](c.page, `JSON.stringify([...document.querySelectorAll('main header button')].find((b) => b.innerText.trim() === 'From an address…').getBoundingClientRect())`)
		require.NoError(t, err)
		return at
	}
	before := at()
	c.ok(c.page.Gone("Without a download…"))
	s.must("rulebook", "add", books+"lanternfall.yaml")
	c.see("Without a download…")
	require.Equal(t, before, at())
}
