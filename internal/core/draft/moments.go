package draft

import (
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Moment is how the paths of a server stood at one time, by what its deployments did. A path that
// no deployment has ever changed is not in it.
type Moment map[tree.Path]Stood

// Stood is how one path stood.
type Stood struct {
	State  tree.State
	Claims []Claim
	Listed []Listing
}

// MomentAfter tells how things stood after the event of that number, 0 for before the first. What a
// later event found at a path stood there before it, as far as anybody knows.
func MomentAfter(all []Event, seq int64) Moment {
	m := Moment{}
	for _, e := range all { // in their order
		p, c := e.Change.Path, e.Change
		if e.Seq <= seq {
			m[p] = Stood{State: c.After, Claims: c.ClaimsAfter, Listed: c.ListedAfter}
		} else if _, known := m[p]; !known {
			m[p] = Stood{State: c.Before, Claims: c.ClaimsBefore, Listed: c.ListedBefore}
		}
	}
	return m
}

// Between is what differs between two moments of one server.
type Between struct {
	Addons []AddonTurn // by their keys
	Paths  []PathTurn  // by their paths; folders are not among them
}

// AddonTurn is an add-on that stood in another version, or was off, or not there at all.
type AddonTurn struct {
	Addon   string // the key
	Was, Is string // name@version, with ", disabled" behind it where a load list has it off; empty: not there
}

// PathTurn is a path that stood otherwise.
type PathTurn struct {
	Path    tree.Path
	Was, Is tree.State
	Of      string // whose it was, or is: name@version
}

// Compare tells what differs between two moments.
func Compare(was, is Moment) (b Between) {
	before, after := was.addons(), is.addons()
	for _, key := range slices.Sorted(maps.Keys(union(before, after))) {
		if before[key] != after[key] {
			b.Addons = append(b.Addons, AddonTurn{Addon: key, Was: before[key], Is: after[key]})
		}
	}
	for _, p := range slices.Sorted(maps.Keys(union(was, is))) {
		x, y := was[p], is[p]
		content := x.State.Being == tree.Content || y.State.Being == tree.Content
		if !content || x.State.Being == y.State.Being && x.State.SameBytes(y.State) {
			continue
		}
		of := labels(y.Claims)
		if of == "" {
			of = labels(x.Claims)
		}
		b.Paths = append(b.Paths, PathTurn{Path: p, Was: x.State, Is: y.State, Of: of})
	}
	return b
}

// addons are the add-ons that were there, by their keys, each as people call it.
func (m Moment) addons() map[string]string {
	said, off := map[string]map[string]bool{}, map[string]bool{}
	for _, s := range m {
		for _, c := range s.Claims {
			if said[c.Addon] == nil {
				said[c.Addon] = map[string]bool{}
			}
			said[c.Addon][c.Label] = true
		}
		for _, l := range s.Listed {
			off[l.Addon] = off[l.Addon] || l.Off
		}
	}
	out := map[string]string{}
	for key, labels := range said {
		out[key] = strings.Join(slices.Sorted(maps.Keys(labels)), ", ")
		if off[key] {
			out[key] += ", disabled"
		}
	}
	return out
}

func labels(claims []Claim) string {
	var out []string
	for _, c := range claims {
		if !slices.Contains(out, c.Label) {
			out = append(out, c.Label)
		}
	}
	return strings.Join(out, ", ")
}

func union[K comparable, V any](a, b map[K]V) map[K]V {
	out := maps.Clone(a)
	maps.Copy(out, b)
	return out
}
