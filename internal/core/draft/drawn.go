package draft

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
)

// Source is a value of a text that the value of a tweak is made from, written {PATH:/VALUE-PATH}.
type Source struct {
	Path tree.Path // with !/ where it is inside a packed file
	At   string
}

var sourceWord = regexp.MustCompile(`\{([^{}:]+):(/[^{}]*)\}`)

// Sources lists the values of texts that something is made from.
func Sources(from string) (out []Source) {
	for _, m := range sourceWord.FindAllStringSubmatch(from, -1) {
		out = append(out, Source{tree.Path(m[1]), m[2]})
	}
	return out
}

// file is the file on the server that holds the value.
func (s Source) file() tree.Path {
	outer, _, _ := strings.Cut(string(s.Path), "!/")
	return tree.Path(outer)
}

func (s Source) String() string { return fmt.Sprintf("%s of %s", s.At, s.Path) }

// drawing plans to look at every text that the value of a tweak comes from: of those that are
// wished, and of those that hold, since the value may be another one by now.
func (g *goals) drawing(req *Request) {
	if len(req.Back) > 0 {
		return // what a rollback brings back is what was there
	}
	g.drawn = map[tree.Path]bool{}
	see := func(p tree.Path, k Tweaked) {
		for _, s := range Sources(k.From) {
			g.text(req, p)
			g.drawn[s.file()] = true
		}
	}
	for _, p := range TweakedTexts(req.Ledger) {
		for _, k := range req.Ledger[p].Tweaks {
			see(p, k)
		}
	}
	for _, w := range req.Tweaks {
		see(w.Path, w.Tweaked)
	}
}

// inTurn gives the texts that are to be edited, those from which others draw a value in front of
// these. Where two draw from each other, the rest comes as it is named, and loop is true.
func (g *goals) inTurn() (out []tree.Path, loop bool) {
	left := slices.Sorted(maps.Keys(g.texts))
	for len(left) > 0 {
		waits := func(p tree.Path) bool {
			for _, k := range g.texts[p].tweaks {
				for _, s := range Sources(k.From) {
					if s.file() != p && slices.Contains(left, s.file()) {
						return true
					}
				}
			}
			return false
		}
		i := slices.IndexFunc(left, func(p tree.Path) bool { return !waits(p) })
		if i < 0 {
			return append(out, left...), true
		}
		out = append(out, left[i])
		left = slices.Delete(left, i, i+1)
	}
	return out, false
}

// draw gives the tweaks of a text the values that they draw from others. It is false where one
// cannot be had that is wished now.
func (m *decider) draw(e *edited) bool {
	for i := range e.tweaks {
		k := &e.tweaks[i]
		if len(Sources(k.From)) == 0 || k.Off || len(m.req.Back) > 0 {
			continue
		}
		wished := len(Sources(k.Tweak.Value)) > 0
		from := k.Tweak.Value
		if !wished {
			if from = m.req.Templates[k.ID]; from == "" {
				continue
			}
		}
		value, err := m.fill(from)
		switch {
		case err != nil && wished:
			m.refuse("source-missing", e.path, "Name a value that is there.", "%s (%s) cannot have its value: %v.", k.ID, k.Does(), err)
			return false
		case err != nil:
			m.report(finding.Warn, "source-gone", e.path, "Set it to a value of its own, or take the tweak back.", "%s (%s) keeps the value that it has: %v.", k.ID, k.Does(), err).By(finding.Untweak.With(k.ID))
			continue
		}
		e.drawn(k, value, wished)
	}
	return true
}

// drawn writes the value of a tweak.
func (e *edited) drawn(k *Tweaked, value string, wished bool) {
	if k.Tweak.Value == value {
		return
	}
	was := *k
	k.Tweak.Value = value
	k.ID = TweakID(e.path, k.Tweak)
	if wished {
		for i := range e.edits {
			if e.edits[i].Tweak == was.ID {
				op := k.op()
				e.edits[i].Op, e.edits[i].Tweak = op, k.ID
			}
		}
		return
	}
	if k.Undo != nil { // so that the new one leads back to what was there before any of them
		e.edits = append(e.edits, Edit{Op: *k.Undo, Addon: k.Addon, Why: "in place of " + was.ID})
	}
	k.Undo = nil
	if k.Tweak.Hidden {
		value = "otherwise"
	}
	e.edits = append(e.edits, Edit{Op: k.op(), Addon: k.Addon, Why: fmt.Sprintf("%s says %s now", k.From, value), Tweak: k.ID})
}

// fill gives what a value is made from with every value of a text filled in.
func (m *decider) fill(from string) (out string, err error) {
	out = sourceWord.ReplaceAllStringFunc(from, func(word string) string {
		s := Sources(word)[0]
		value, e := m.valueOf(s)
		if e != nil && err == nil {
			err = e
		}
		return value
	})
	return out, err
}

// valueOf reads a value as it is once this deployment is done.
func (m *decider) valueOf(s Source) (string, error) {
	raw, there := m.textAfter(s.file())
	if !there {
		return "", fmt.Errorf("%s is not on the server, and %s was to give it", s.file(), s)
	}
	_, inside, _ := strings.Cut(string(s.Path), "!/")
	source := plainText(raw, inside)
	if source == nil {
		return "", fmt.Errorf("%s is no text", s.Path)
	}
	d, err := text.Parse(source, m.format(s.Path, source))
	if err != nil {
		return "", fmt.Errorf("%s cannot be read: %w", s.Path, err)
	}
	n, err := d.Find(s.At)
	if err != nil {
		return "", fmt.Errorf("%s has no value at %s", s.Path, s.At)
	}
	if n.Kind != text.Scalar {
		return "", fmt.Errorf("what stands at %s is a %s, not one value", s, n.Kind)
	}
	return n.Value, nil
}

// textAfter gives a text as it is once what was decided so far is done.
func (m *decider) textAfter(p tree.Path) (raw []byte, there bool) {
	for _, x := range m.edits {
		if x.Path == p {
			return x.after, x.After.Being == tree.Content
		}
	}
	for _, c := range m.all {
		if c.Path == p && !c.Before.Same(c.After) && c.After.Being == tree.Content {
			raw, there = m.req.Shipped[c.After.Digest]
			return raw, there
		}
	}
	if m.going[p] {
		return nil, false
	}
	raw, there = m.obs.Texts[p]
	return raw, there && m.obs.At(p).State.Being == tree.Content
}
