package rulebook

import (
	"slices"

	"go.yaml.in/yaml/v3"
)

// ByHand is something that no file reaches: a person does it, with the exact
// text to copy.
type ByHand struct {
	What, Text string
	Back       string   // what a person does to take it back; empty: the same words, to be taken back
	Stays      bool     // it is never to be taken back
	Kinds      []string // with whose add-ons it goes; all where empty
	Check
}

// Check is how it is told whether something was done by hand, where it can be: File must be
// on the server, and hold something like Match, when it is ticked; a line like Log must be
// in the log once the server has started. Where it is a value that is set, the first group of
// either must be that value.
type Check struct{ File, Match, Log string }

// handWords are the placeholders of what is done for each add-on, besides what its files
// tell.
var handWords = []string{"name", "version", "id"}

// PerAddon tells whether a thing is done anew for each add-on of a kind, because its words
// differ from one to the other.
func (h ByHand) PerAddon(k *Kind) bool {
	return slices.ContainsFunc(Placeholders(h.What+h.Text+h.Back), func(word string) bool {
		return slices.Contains(handWords, word) || k.Told(word)
	})
}

// GoesWith tells whether a thing is done for add-ons of a kind.
func (h ByHand) GoesWith(kind string) bool {
	return len(h.Kinds) == 0 || slices.Contains(h.Kinds, kind)
}

func (r serverReader) byHand(n *yaml.Node, b *Book) {
	if !r.expect(n, yaml.SequenceNode, "by-hand") {
		return
	}
	for _, item := range n.Content {
		var h ByHand
		r.mapping(item, "a thing to do by hand",
			field{"what", true, r.text("what", &h.What)},
			field{"text", false, r.text("text", &h.Text)},
			field{"back", false, r.text("back", &h.Back)},
			field{"stays", false, r.yes("stays", &h.Stays)},
			field{"check", false, func(v *yaml.Node) { h.Check = r.check(v, b) }},
			field{"kinds", false, func(v *yaml.Node) {
				r.texts("kinds", &h.Kinds, checkAny)(v)
				r.later = append(r.later, func() { r.kindsExist(v, h.Kinds, b) })
			}})
		if h.Stays && h.Back != "" {
			r.fault(item, "back says how it is taken back, and stays that it never is")
		}
		r.later = append(r.later, func() { r.handHolds(item, h, b) })
		b.ByHand = append(b.ByHand, h)
	}
}

// handHolds checks the placeholders of a thing to do by hand: each must have a value for
// every kind with which it goes.
func (r serverReader) handHolds(n *yaml.Node, h ByHand, b *Book) {
	for _, word := range Placeholders(h.What + h.Text + h.Back) {
		if _, ok := b.Variable(word); ok || slices.Contains(handWords, word) {
			continue
		}
		for i := range b.Kinds {
			k := &b.Kinds[i]
			if h.GoesWith(k.Name) && !k.Told(word) {
				r.fault(n, "it holds {%s}, which add-ons of kind %s do not tell; %s", word, k.Name, suggest(word, handWords))
				break
			}
		}
	}
}

func (r serverReader) check(v *yaml.Node, b *Book) (c Check) {
	r.mapping(v, "check",
		field{"file", false, r.serverFile(&c.File, b)},
		field{"match", false, func(v *yaml.Node) {
			r.text("match", &c.Match)(v)
			if err := checkRegexp(c.Match); err != nil {
				r.fault(v, "match: %v", err)
			}
		}},
		field{"log", false, r.expression("log", &c.Log, "")})
	switch {
	case c.File == "" && c.Log == "":
		r.fault(v, "check needs file, log or both")
	case c.Match != "" && c.File == "":
		r.fault(v, "match goes with file")
	}
	return c
}

// setByHand reads what a person does so that a variable has another value: words alone, or
// with how it is told whether it was done right.
func (r serverReader) setByHand(v *yaml.Node, dst *Variable, b *Book) {
	if v.Kind != yaml.MappingNode {
		r.text("set-by-hand", &dst.ByHand)(v)
		return
	}
	r.mapping(v, "set-by-hand",
		field{"what", true, r.text("what", &dst.ByHand)},
		field{"check", false, func(v *yaml.Node) { dst.HandCheck = r.check(v, b) }})
}
