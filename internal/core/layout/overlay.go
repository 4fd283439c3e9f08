package layout

import (
	"fmt"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// base tells which add-on an overlay changes: from its own texts, or as a
// person said. What it changes it also needs.
func (l *laying) base(k *rulebook.Kind, r root, c *Crate) {
	if k.Overlays == nil {
		return
	}
	c.Overlay = true
	from := ""
	c.Base, from = l.readings().read(k.Overlays.Base, "base", r, c)
	if fix := l.fixes[c.Derived]; fix.Base != "" && fix.Base != c.Base {
		c.corrected(CorrectBase, "changes %s, as you said for %s", fix.Base, fix.From)
		c.Base, from = fix.Base, "you"
	}
	switch {
	case c.Base == "" && slices.ContainsFunc(k.Rules, rulebook.Rule.NeedsBase):
		c.find(finding.Finding{Level: finding.Block, Code: "no-base", Final: true,
			What: fmt.Sprintf("%s changes another add-on, and nothing in the archive tells which", c.Label()),
			Mend: "Say which, for this and later versions.", Remedies: []finding.Remedy{finding.NameCrate.With("base")}})
	case c.Base != "" && !slices.ContainsFunc(c.Facts, func(f Fact) bool { return f.Kind == rulebook.Needs && Key(f.Name) == Key(c.Base) }):
		c.Facts = append(c.Facts, Fact{Kind: rulebook.Needs, Name: c.Base, From: from})
	}
}

// Listed makes the crate of an add-on that has no download: an id that the
// server's list holds. Its version is known only once the server says it. The
// error says which kinds there are for such ids.
func Listed(b *rulebook.Book, id string) (*Crate, error) {
	if _, ok := tree.Unseen(id); !ok {
		return nil, fmt.Errorf("%q cannot be the id of an add-on: it holds a character that nobody sees", id)
	}
	if p, err := tree.ParsePath(id); err != nil || p.Depth() != 1 {
		return nil, fmt.Errorf("%q cannot be the id of an add-on", id)
	}
	kinds := ""
	for i := range b.Kinds {
		k := &b.Kinds[i]
		if k.Listed == "" {
			continue
		}
		if k.Takes(id) {
			return &Crate{Rulebook: b.Name, Kind: k.Name, ID: id, Name: id, Version: Unmarked, NameFrom: "the id itself", Derived: Key(id),
				Why: "an id in a list, without a download; the server fetches it itself", Files: []File{}, Left: []Left{}}, nil
		}
		kinds += fmt.Sprintf("; kind %s takes ids like %s", k.Name, k.Listed)
	}
	if kinds == "" {
		kinds = "; it knows no add-ons without a download"
	}
	return nil, fmt.Errorf("rulebook %s does not take %q for the id of an add-on%s", b.Name, id, kinds)
}
