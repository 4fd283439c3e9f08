package browser

import (
	"fmt"
	"time"

	"github.com/chromedp/chromedp"
)

// Click waits for something with these words that can be clicked, and clicks its middle. What
// lies under a sheet cannot be clicked. Where the page pushed it away from under the mouse, it is
// clicked again, as a person would.
func (p *Page) Click(words string) error { return p.ClickIn("body", words) }

// ClickIn is Click within what a CSS selector matches.
func (p *Page) ClickIn(within, words string) error {
	return p.click(fmt.Sprintf("click %q", words), fmt.Sprintf("eyes.button(%s, %s)", quote(within), quote(words)))
}

// ClickOne is Click of what a CSS selector matches first, whatever words it has.
func (p *Page) ClickOne(selector string) error {
	return p.click("click "+selector, fmt.Sprintf("eyes.one(%s)", quote(selector)))
}

func (p *Page) click(what, aim string) error { return p.mouse(what, aim, "eyes.met()") }

// Fill waits for the field with this label and types over what is in it.
func (p *Page) Fill(label, text string) error {
	err := p.mouse(fmt.Sprintf("fill %q", label), fmt.Sprintf("eyes.field(%s)", quote(label)), fmt.Sprintf("eyes.begin(%s)", quote(label)))
	if err != nil {
		return err
	}
	return p.do(chromedp.KeyEvent(text))
}

// mouse clicks where aim says until the page says that the click came where it should.
func (p *Page) mouse(what, aim, came string) error {
	for deadline := time.Now().Add(patience); ; {
		at, err := steady(p, what, aim)
		if err != nil {
			return err
		}
		if err := p.do(chromedp.MouseClickXY(at.X, at.Y)); err != nil {
			return err
		}
		// A click may have left the page: the next one is waited for.
		if said, err := until[string](p, what, came); err != nil || said == "yes" {
			return err
		}
		if time.Now().After(deadline) {
			return fmt.Errorf("%s: every click met something else", what)
		}
	}
}

type point struct{ X, Y float64 }

// steady waits until something stays where it is: what a page still waits for may push it away
// from under the mouse.
func steady(p *Page, what, expression string) (point, error) {
	before, err := until[point](p, what, expression)
	for same := 0; err == nil && same < 2; {
		time.Sleep(between)
		at, again := until[point](p, what, expression)
		if at == before {
			same++
		} else {
			same = 0
		}
		before, err = at, again
	}
	return before, err
}
