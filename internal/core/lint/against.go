package lint

import (
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/words"
)

// against compares a text with what its author shipped: a name that is nearly one of the
// author's, and a value of another type.
func (c *checking) against() {
	enc, is := text.EncodingOf(c.in.Shipped)
	if !is {
		return
	}
	source, err := enc.Decode(c.in.Shipped)
	if err != nil {
		return
	}
	base, err := text.Parse(source, c.in.Format)
	if err != nil {
		return
	}
	c.compare(c.doc.Root, base.Root, base)
}

func (c *checking) compare(mine, theirs *text.Node, base *text.Doc) {
	if mine.Kind != theirs.Kind {
		return
	}
	if mine.Kind != text.Map {
		return
	}
	byKey, count := map[string]*text.Node{}, map[string]int{}
	var missing []string // the author's names that the server's text has not
	have := map[string]bool{}
	for _, i := range mine.Items {
		have[i.Key] = true
	}
	for _, i := range theirs.Items {
		byKey[i.Key] = i
		count[i.Key]++
		if !have[i.Key] {
			missing = append(missing, i.Key)
		}
	}
	for _, i := range mine.Items {
		theirs, known := byKey[i.Key]
		switch {
		case count[i.Key] > 1: // which of them it was, a name that stands for several does not say
		case !known:
			if near := words.Nearest(i.Key, missing); near != "" && byKey[near].Kind == i.Kind {
				c.say(finding.Warn, "unknown-key", c.doc.Line(i), c.doc.Path(i), "Write "+near+", if that is meant.", "the author's text has no %s, and it has %s, which is missing here.", i.Key, near)
			}
		case i.Kind == text.Scalar && theirs.Kind == text.Scalar:
			if typed(c.in.Format) && i.Type != theirs.Type && surely(i.Type) && surely(theirs.Type) {
				c.say(finding.Warn, "other-type", c.doc.Line(i), c.doc.Path(i), "Write it as the author's text does, unless you know better.", "%s is a %s here (%s), and a %s in the author's text (%s).",
					c.doc.Path(i), i.Type, c.doc.Raw(i), theirs.Type, strings.TrimSpace(base.Raw(theirs)))
			}
		default:
			c.compare(i, theirs, base)
		}
	}
}

// typed tells whether a format tells numbers from texts.
func typed(f text.Format) bool {
	switch f {
	case text.YAML, text.JSON, text.Tolerant, text.TOML, text.Script:
		return true
	}
	return false
}

// surely tells whether a type is one that a program would insist on.
func surely(t text.Type) bool { return t == text.Text || t == text.Number || t == text.Bool }
