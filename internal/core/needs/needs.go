// Package needs looks whether add-ons have what they need of one another, and finds what has to
// come along where they do not. It is pure: it is given what is installed, what is wanted and
// what could be had, and touches nothing.
package needs

import (
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/version"
)

// Item is one version of an add-on, as far as others are concerned. Items are compared by
// their IDs.
type Item struct {
	ID      string // of the crate; no two have the same
	Key     string // of the add-on
	Name    string // as people write it
	Version string // may be [layout.Unmarked]
	Off     bool   // it is there and disabled, so it does nothing for others

	Needs, Recommends, Conflicts, Replaces []Want
}

// Want is another add-on that an item speaks of, by its name or its key.
type Want struct {
	Name  string
	Range string // as it is written; empty for any version

	key    string
	in     version.Range
	ranged bool // Range can be read
}

// Label is name@version.
func (i *Item) Label() string { return i.Name + "@" + i.Version }

// String is the name with the range.
func (w Want) String() string { return strings.TrimSpace(w.Name + " " + w.Range) }

// Speaks fills in what an item tells of others, from the facts of its crate. What is about the
// game or its loaders by one of their names is no add-on; besides tells those.
func (i *Item) Speaks(facts []layout.Fact, besides func(name string) bool) {
	for _, f := range facts {
		into := map[rulebook.FactKind]*[]Want{rulebook.Needs: &i.Needs, rulebook.Recommends: &i.Recommends,
			rulebook.Conflicts: &i.Conflicts, rulebook.Replaces: &i.Replaces}[f.Kind]
		if into == nil || f.Name == "" || besides(f.Name) {
			continue
		}
		*into = append(*into, MakeWant(f.Name, f.Range))
	}
}

// MakeWant makes a want of a name and a range as they are written.
func MakeWant(name, rng string) Want {
	w := Want{Name: name, Range: rng, key: layout.Key(name)}
	if rng != "" {
		r, err := version.ParseRange(rng)
		w.in, w.ranged = r, err == nil
	}
	return w
}

// Takes tells whether a version will do, or may: one that is not known may.
func (w Want) Takes(v string) bool {
	ok, _ := w.takes(v)
	return ok
}

// takes tells whether a version will do; sure is false where that cannot be told, because the
// version is not known or the range cannot be read.
func (w Want) takes(v string) (ok, sure bool) {
	switch {
	case w.Range == "":
		return true, true
	case !w.ranged || v == "" || v == layout.Unmarked:
		return true, false
	}
	return w.in.Contains(v), true
}

// Sort is what is wrong.
type Sort string

// What can be wrong, and what is only worth knowing.
const (
	Missing     Sort = "missing"     // what it needs is not there
	Unfit       Sort = "unfit"       // what it needs is there in a version that will not do
	Disabled    Sort = "disabled"    // what it needs is there and disabled
	Conflict    Sort = "conflict"    // it says that it does not go together with what is there
	Replaced    Sort = "replaced"    // it takes the place of what is there
	Circle      Sort = "circle"      // it needs what needs it
	Recommended Sort = "recommended" // what it recommends is not there
)

// Problem is one of them.
type Problem struct {
	Sort Sort
	Of   *Item
	Want Want
	With *Item   // what is there; nil where nothing is
	Old  bool    // it was so before the change too
	Ring []*Item // of a circle, in the order in which each needs the next; the first is Of
}

// Same tells whether two problems say the same, whatever the versions are.
func (p Problem) Same(o Problem) bool {
	return p.Sort == o.Sort && p.Of.Key == o.Of.Key && p.Want.key == o.Want.key
}
