package main

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"restlesscrate/bench/program"
	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed/browser"
)

// paces are how far a page is scrolled for each frame, in pixels: as a wheel that is turned fast does,
// and as a scrollbar that is dragged.
var paces = []int{80, 240}

// settled is how long a page that was just opened is left to itself.
const settled = 500 * time.Millisecond

// scrolled opens every row of a crate's map and scrolls through it, and through a plain page with as many
// lines, which is the peer: how many frames a second each has, at first and then.
func scrolled(p *browser.Page, crate string, lines int) (string, error) {
	var out strings.Builder
	out.WriteString("\n| scrolled, all rows of the map open | frames a second in the first two seconds | the longest, ms | in the next two | the longest, ms |\n|---|---|---|---|---|\n")
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
			time.Sleep(settled)
			// The browser makes machine code of what a page does often: the first scrolling is slower.
			first, err := frames(p, px, 2*time.Second)
			if err != nil {
				return "", err
			}
			next, err := frames(p, px, 2*time.Second)
			if err != nil {
				return "", err
			}
			fmt.Fprintf(&out, "| %s, %d pixels a frame | %.0f | %.0f | %.0f | %.0f |\n", at.name, px, first[0], first[1], next[0], next[1])
		}
	}
	return out.String(), nil
}

// frames tells how many frames a second a page has for so long, scrolled by so many pixels for each, and
// how many milliseconds the longest took.
func frames(p *browser.Page, px int, long time.Duration) ([2]float64, error) {
	return browser.Eval[[2]float64](p, fmt.Sprintf(`new Promise((done) => { let n = 0, most = 0, began = performance.now(), last = began;
		const frame = (now) => { most = Math.max(most, now - last); last = now; n++; scrollBy(0, %d);
			if (now - began < %d) requestAnimationFrame(frame); else done([n / (now - began) * 1000, most]); };
		requestAnimationFrame(frame); })`, px, long.Milliseconds()))
}

// reported runs the removal of all files and watches it: the page of a run has to stay as quick as it is
// at rest, which is the peer.
func reported(p *browser.Page, s *program.Service) (string, error) {
	out, err := s.Restless("remove", "crowded", "crowd-main", "--draft", "--json")
	if err != nil {
		return "", err
	}
	var draft api.Deployment
	if err := json.Unmarshal(out, &draft); err != nil {
		return "", err
	}
	if err := p.Go(fmt.Sprintf("%s/servers/crowded/deployments/%d", s.URL, draft.Number)); err != nil {
		return "", err
	}
	if err := p.See("Run it"); err != nil {
		return "", err
	}
	time.Sleep(settled)
	rest, err := frames(p, 0, time.Second)
	if err != nil {
		return "", err
	}
	if err := p.Click("Run it"); err != nil {
		return "", err
	}
	if err := p.SeeAny("main", "motions", "looked at again"); err != nil { // it may be over by now
		return "", err
	}
	run, err := frames(p, 0, time.Second)
	if err != nil {
		return "", err
	}
	still, err := browser.Eval[bool](p, "!!document.querySelector('[data-progress]')")
	if err == nil && !still {
		return "\nA run of so few files is over before it can be measured.\n", nil
	}
	return fmt.Sprintf("\n| a deployment's page for a second | frames a second | the longest, ms |\n|---|---|---|\n| a draft, at rest (the peer) | %.0f | %.0f |\n| it runs and reports | %.0f | %.0f |\n", rest[0], rest[1], run[0], run[1]), err
}

// unfold opens the rows of a crate's map.
func unfold(p *browser.Page) error {
	if _, err := browser.Until[bool](p, "a row that opens", `(b => b && (b.click(), true))(document.querySelector('[data-map] [aria-expanded=false]')) || null`); err != nil {
		return err
	}
	_, err := browser.Until[bool](p, "many rows", `Number(document.querySelector('[data-rows]')?.dataset.rows) > 1000 || null`)
	return err
}
