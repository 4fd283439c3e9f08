package draft

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// sortChanges sorts the draft's changes, of which there will be no more, and tells the
// content changes where theirs lie.
func (m *emitting) sortChanges() {
	order := make([]int32, len(m.d.Changes))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int { return strings.Compare(string(m.d.Changes[a].Path), string(m.d.Changes[b].Path)) })
	now := make([]int, len(order))
	for i, at := range order {
		now[at] = i
	}
	inOrder(m.d.Changes, order)
	for i := range m.changes {
		c := &m.changes[i]
		c.at = now[c.at]
		c.Change = &m.d.Changes[c.at]
	}
	slices.SortFunc(m.changes, func(a, b change) int { return a.at - b.at })
}

// inOrder moves the entries of a list so that the one that was at order[i] is at i, without
// a second list. It uses order up.
func inOrder[T any](list []T, order []int32) {
	for i := range order {
		first, at := list[i], i
		for from := int(order[at]); from != i && from >= 0; from = int(order[at]) {
			list[at], order[at] = list[from], -1
			at = from
		}
		if at != i {
			list[at], order[at] = first, -1
		}
	}
}

// beginMotions makes the list of motions ready. Those of earlier legs are about changes
// that have other places now.
func (m *emitting) beginMotions() {
	earlier := m.d.Motions
	m.d.Motions = Motions{}
	m.d.Motions.Begin(m.d.Changes, earlier.Len()+m.foreseen())
	for before := range earlier.All() {
		m.d.Motions.Add(before)
	}
}

// foreseen estimates the number of motions, so that the list is allocated once: a list that
// grows is copied, and for a moment in memory twice.
func (m *emitting) foreseen() int {
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
