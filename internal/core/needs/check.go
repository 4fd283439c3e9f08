package needs

import (
	"cmp"
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
)

// Check tells what is wrong with a set of items, of which no two are the same add-on, sorted
// by add-on. Nothing is told of what is disabled: it needs nothing.
func Check(set []*Item) []Problem {
	var out []Problem
	there := index(set)
	for _, i := range set {
		out = append(out, there.problems(i)...)
	}
	out = append(out, circles(set, there)...)
	slices.SortStableFunc(out, func(a, b Problem) int { return strings.Compare(a.Of.Key, b.Of.Key) })
	return out
}

// byName finds items by their keys and by their names.
type byName map[string]*Item

func index(set []*Item) byName {
	out := byName{}
	for _, i := range set {
		if name := layout.Key(i.Name); out[name] == nil {
			out[name] = i
		}
	}
	for _, i := range set { // a key is worth more than a name
		out[i.Key] = i
	}
	return out
}

// problems are those of one item, without circles.
func (b byName) problems(i *Item) (out []Problem) {
	if i.Off {
		return nil
	}
	for _, w := range i.Needs {
		if sort, with := b.need(i, w); sort != "" {
			out = append(out, Problem{Sort: sort, Of: i, Want: w, With: with})
		}
	}
	for _, w := range i.Conflicts {
		if with := b.clash(i, w); with != nil {
			out = append(out, Problem{Sort: Conflict, Of: i, Want: w, With: with})
		}
	}
	for _, w := range i.Replaces {
		if with := b.clash(i, w); with != nil {
			out = append(out, Problem{Sort: Replaced, Of: i, Want: w, With: with})
		}
	}
	for _, w := range i.Recommends {
		if b[w.key] == nil {
			out = append(out, Problem{Sort: Recommended, Of: i, Want: w})
		}
	}
	return out
}

// need tells what is wrong with one need of an item; nothing where it has what it needs, or
// where that cannot be told.
func (b byName) need(i *Item, w Want) (Sort, *Item) {
	with := b[w.key]
	if with == nil {
		return Missing, nil
	}
	if with == i {
		return "", nil
	}
	if ok, sure := w.takes(with.Version); sure && !ok {
		return Unfit, with
	}
	if with.Off {
		return Disabled, with
	}
	return "", nil
}

// clash gives what is there and, for certain, does not go together with an item.
func (b byName) clash(i *Item, w Want) *Item {
	with := b[w.key]
	if with == nil || with == i || with.Key == i.Key || with.Off {
		return nil
	}
	if ok, sure := w.takes(with.Version); !ok || !sure {
		return nil
	}
	return with
}

// circles finds rings of needs, each once: one from each knot of items that need one another.
func circles(set []*Item, there byName) (out []Problem) {
	const on, done = 1, 2
	state := map[*Item]int{}
	var path []*Item
	told := map[*Item]bool{}
	var walk func(i *Item)
	walk = func(i *Item) {
		state[i] = on
		path = append(path, i)
		for _, w := range i.Needs {
			next := there[w.key]
			switch {
			case next == nil || next == i || next.Off || i.Off:
			case state[next] == on:
				if ring := slices.Clone(path[slices.Index(path, next):]); !slices.ContainsFunc(ring, func(r *Item) bool { return told[r] }) {
					for _, r := range ring {
						told[r] = true
					}
					out = append(out, Problem{Sort: Circle, Of: ring[0], Want: MakeWant(ring[1%len(ring)].Name, ""), With: ring[1%len(ring)], Ring: ring})
				}
			case state[next] == 0:
				walk(next)
			}
		}
		path = path[:len(path)-1]
		state[i] = done
	}
	sorted := slices.Clone(set)
	slices.SortFunc(sorted, func(a, b *Item) int { return cmp.Or(strings.Compare(a.Key, b.Key), strings.Compare(a.ID, b.ID)) })
	for _, i := range sorted {
		if state[i] == 0 {
			walk(i)
		}
	}
	return out
}

// Needing gives those of a set that need one of some add-ons, whatever the version: what is told
// where these are to go. Each comes with what it needs. Those that go themselves are not among them.
func Needing(set []*Item, going func(key string) bool) (out []Problem) {
	there := index(set)
	for _, i := range set {
		if i.Off || going(i.Key) {
			continue
		}
		for _, w := range i.Needs {
			if with := there[w.key]; with != nil && with != i && going(with.Key) {
				out = append(out, Problem{Sort: Missing, Of: i, Want: w, With: with})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Problem) int { return strings.Compare(a.Of.Key, b.Of.Key) })
	return out
}
