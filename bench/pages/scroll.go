package main

import (
	"fmt"
	"strings"

	"restlesscrate/internal/testbed/browser"
)

// paces are how far a page is scrolled for each frame, in pixels: as a wheel that is turned fast does,
// and as a scrollbar that is dragged.
var paces = []int{80, 240}

// scrolled opens every row of a crate's map and scrolls through it, and through a plain page with as many
// lines, which is the peer: how many frames a second each has.
func scrolled(p *browser.Page, crate string, lines int) (string, error) {
	var out strings.Builder
	out.WriteString("\n| scrolled for two seconds, all rows of the map open | frames a second | the longest, ms |\n|---|---|---|\n")
	plain := "data:text/html,<pre>" + strings.Repeat("a line that says something<br>", min(lines, 20_000))
	for _, px := range paces {
		for _, at := range []struct{ name, url string }{{"a plain page (the peer)", plain}, {"the crate's map", crate}} {
			if err := p.Go(at.url); err != nil {
				return "", err
			}
			if at.url == crate {
				if err := unfold(p); err != nil {
					return "", err
				}
			}
			got, err := browser.Eval[[2]float64](p, fmt.Sprintf(`new Promise((rest) => setTimeout(rest, 500)).then(() => new Promise((done) => { let n = 0, most = 0, began = performance.now(), last = began;
				const frame = (now) => { most = Math.max(most, now - last); last = now; n++; scrollBy(0, %d);
					if (now - began < 2000) requestAnimationFrame(frame); else done([n / (now - began) * 1000, most]); };
				requestAnimationFrame(frame); }))`, px))
			if err != nil {
				return "", err
			}
			fmt.Fprintf(&out, "| %s, %d pixels a frame | %.0f | %.0f |\n", at.name, px, got[0], got[1])
		}
	}
	return out.String(), nil
}

// unfold opens the rows of a crate's map.
func unfold(p *browser.Page) error {
	if _, err := browser.Until[bool](p, "a row that opens", `(b => b && (b.click(), true))(document.querySelector('[data-map] [aria-expanded=false]')) || null`); err != nil {
		return err
	}
	_, err := browser.Until[bool](p, "many rows", `Number(document.querySelector('[data-rows]')?.dataset.rows) > 1000 || null`)
	return err
}
