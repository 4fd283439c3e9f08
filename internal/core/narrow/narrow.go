// Package narrow finds the one add-on of several that does something wrong, by halves: some are
// off, a person says whether it still happens, and the next half is off.
package narrow

import (
	"slices"
)

// Search is a search among suspects. It can be written down and taken up again.
type Search struct {
	// Suspects are those that it may still be, in an order in which whoever needs another one
	// stands in front of it.
	Suspects []string `json:"suspects"`
	// Needs are, by add-on, those that it needs: who needs one that is off is off too.
	Needs map[string][]string `json:"needs,omitempty"`
	Off   []string            `json:"off,omitempty"` // what is off now
	Was   []string            `json:"was,omitempty"` // what was off for the question before
	Tried int                 `json:"tried"`         // questions that were answered
	// Alone is set once one suspect is left and was off alone, or several can only be off together.
	Alone bool `json:"alone,omitempty"`
	// ByStart is set where what is wrong is that the server does not come up: that answers itself.
	ByStart bool `json:"byStart,omitempty"`
}

// Begin begins a search among suspects. needs are of every add-on that is there, suspects and
// others.
func Begin(suspects []string, needs map[string][]string) *Search {
	s := &Search{Needs: needs}
	seen := map[string]bool{}
	var visit func(a string)
	// Depth first over who needs whom, behind one another: a circle is cut where it closes.
	visit = func(a string) {
		if seen[a] {
			return
		}
		seen[a] = true
		for _, n := range needs[a] {
			visit(n)
		}
		if slices.Contains(suspects, a) {
			s.Suspects = append(s.Suspects, a)
		}
	}
	sorted := slices.Clone(suspects)
	slices.Sort(sorted)
	for _, a := range sorted {
		visit(a)
	}
	slices.Reverse(s.Suspects) // what is needed came first
	return s
}

// Next says what is to be off now; done is set where there is nothing more to ask: then Suspects
// says what was found.
func (s *Search) Next() (off []string, done bool) {
	switch {
	case len(s.Suspects) == 0 || s.Alone:
		return nil, true
	case len(s.Suspects) == 1:
		s.Off = s.closed(s.Suspects)
	default:
		s.Off = s.closed(s.Suspects[:(len(s.Suspects)+1)/2])
	}
	return s.Off, false
}

// Tell says whether it still happens with what is off. Of several that need each other in a
// circle nobody can tell which it is: they stay suspects together.
func (s *Search) Tell(still bool) {
	s.Tried++
	s.Was = s.Off
	alone := len(s.Suspects) == 1
	before := len(s.Suspects)
	s.Suspects = slices.DeleteFunc(s.Suspects, func(a string) bool { return slices.Contains(s.Off, a) == still })
	s.Alone = alone || len(s.Suspects) == before
}

// closed gives some add-ons and all that need any of them, whoever they are.
func (s *Search) closed(some []string) []string {
	off := slices.Clone(some)
	for i := 0; i < len(off); i++ {
		for a, needs := range s.Needs {
			if slices.Contains(needs, off[i]) && !slices.Contains(off, a) {
				off = append(off, a)
			}
		}
	}
	slices.Sort(off)
	return off
}

// Most is how many questions there are at most for so many suspects.
func Most(suspects int) int {
	n := 1 // the last one is off alone
	for suspects > 1 {
		suspects = (suspects + 1) / 2
		n++
	}
	return n
}
