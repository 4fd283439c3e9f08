package survey

import (
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Result ends the survey. What was not read by now is changed, as far as its size tells.
func (c *Comparing) Result() Result {
	for p, s := range c.doubt {
		row := c.ledger[p]
		c.items = append(c.items, Item{Kind: Changed, Path: p, Was: row.State, Is: s.state, Owner: ownerOf(row), Modified: s.modified})
	}
	c.missing()
	for _, i := range c.within {
		if i.Kind == Unknown && (i.Files > 0 || !c.counted[i.Path]) {
			c.items = append(c.items, *i)
		}
	}
	slices.SortFunc(c.items, func(a, b Item) int { return strings.Compare(string(a.Path), string(b.Path)) })
	for _, i := range c.items {
		switch i.Kind {
		case Changed:
			c.counts.Changed++
			c.counts.Missing += i.Files
		case Missing:
			c.counts.Missing += max(1, i.Files)
		}
	}
	return Result{Items: append([]Item{}, c.items...), Counts: c.counts}
}

// missing tells of what is recorded and was not seen. What was in a folder that is gone itself is
// one thing with it.
func (c *Comparing) missing() {
	gone := map[tree.Path]*Item{}
	for _, p := range slices.Sorted(maps.Keys(c.ledger)) {
		row := c.ledger[p]
		if c.seen[p] || row.State.Being != tree.Content && row.State.Being != tree.Folder || c.changed(p) {
			continue
		}
		top := p
		for _, up := range p.Ancestors() {
			if !c.seen[up] {
				top = up
				break
			}
		}
		i := gone[top]
		if at := slices.IndexFunc(c.items, func(o Item) bool { return o.Kind == Changed && o.Path == top }); at >= 0 {
			i = &c.items[at]
		}
		if i == nil {
			i = &Item{Kind: Missing, Path: top, Was: c.ledger[top].State, Is: tree.Nothing, Owner: ownerOf(row)}
			if top != p {
				i.Was = tree.State{Being: tree.Folder}
			}
			gone[top] = i
		}
		if row.State.Being == tree.Content && top != p {
			i.Files++
			i.Bytes += row.State.Size
			if o := ownerOf(row); i.Owner == "" {
				i.Owner = o
			}
		}
	}
	for _, i := range gone {
		c.items = append(c.items, *i)
	}
}

// changed tells whether something else stands at a path than is recorded, which is told already.
func (c *Comparing) changed(p tree.Path) bool {
	return slices.ContainsFunc(c.items, func(i Item) bool { return i.Kind == Changed && i.Path == p })
}
