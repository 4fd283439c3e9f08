package draft

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// sortChanges sorts the draft's changes, of which there will be no more, and tells the
// content changes where theirs lie.
func (m *maker) sortChanges() {
	order := make([]int, len(m.d.Changes))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return strings.Compare(string(m.d.Changes[a].Path), string(m.d.Changes[b].Path)) })
	sorted, now := make([]Change, len(order)), make([]int, len(order))
	for i, at := range order {
		sorted[i], now[at] = m.d.Changes[at], i
	}
	if m.d.Changes != nil {
		m.d.Changes = sorted
	}
	for i := range m.changes {
		c := &m.changes[i]
		c.at = now[c.at]
		c.Change = &m.d.Changes[c.at]
	}
	slices.SortFunc(m.changes, func(a, b change) int { return a.at - b.at })
}

// beginMotions makes the list of motions ready. Those of earlier legs are about changes
// that have other places now.
func (m *maker) beginMotions() {
	earlier := m.d.Motions
	m.d.Motions = Motions{}
	m.d.Motions.Begin(m.d.Changes, earlier.Len()+m.foreseen())
	for before := range earlier.All() {
		m.d.Motions.Add(before)
	}
}

// foreseen is about how many motions there will be: a long list that grows by itself is
// in memory twice each time.
func (m *maker) foreseen() int {
	n := len(m.folders) + len(m.dropped)
	for _, c := range m.changes {
		if c.keep != "" {
			n++
		}
		if c.After.Being == tree.Content {
			n++
			if !m.goesAlong(c.Path, m.wholeIn) {
				n++
			}
		}
		if c.Before.Being == tree.Content {
			n++
			if !m.goesAlong(c.Path, m.wholeOut) {
				n++
			}
		}
	}
	return n
}
