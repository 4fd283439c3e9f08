package model

import (
	"maps"
	"slices"
	"time"
)

// Fact is something that is true of a server, as the server itself told it.
type Fact struct {
	Name  string    `json:"name"`
	Value string    `json:"value"`
	From  string    `json:"from"` // where it was read, in words
	At    time.Time `json:"-"`    // when it was read last; records keep it apart
}

// KnownFact is a fact as the service goes by it: what a person says counts before what the
// server tells.
type KnownFact struct {
	Fact
	ByHand bool // a person said so; At is then when, zero where an earlier version took it down
	// Told is what the server tells where that is something else than what a person said.
	Told *Fact
	// Before tells that it was read before the server was last started: it may be otherwise now.
	Before bool
}

// FactList is all that is known of a server, by name.
func (s Server) FactList() (out []KnownFact) {
	told := map[string]Fact{}
	for _, f := range s.Told {
		told[f.Name] = f
	}
	for name, value := range s.Facts {
		if value == "" {
			continue // it was taken back
		}
		k := KnownFact{Fact: Fact{Name: name, Value: value, From: "set by hand", At: s.FactsAt[name]}, ByHand: true}
		if t, ok := told[name]; ok && t.Value != value {
			k.Told = &t
		}
		delete(told, name)
		out = append(out, k)
	}
	for _, f := range told {
		out = append(out, KnownFact{Fact: f, Before: f.At.Before(s.StartedAt)})
	}
	slices.SortFunc(out, func(a, b KnownFact) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
	return out
}

// Known gives the values of all that is known of a server.
func (s Server) Known() map[string]string {
	out := make(map[string]string, len(s.Facts)+len(s.Told))
	for _, f := range s.Told {
		out[f.Name] = f.Value
	}
	for name, value := range s.Facts {
		if value != "" {
			out[name] = value
		}
	}
	return out
}

// Tells takes in what a server told at a moment. Facts that were looked for and are told no
// more are forgotten.
func (s *Server) Tells(told []Fact, looked map[string]bool) {
	s.Told = slices.DeleteFunc(slices.Clone(s.Told), func(f Fact) bool { return looked[f.Name] })
	for _, f := range told {
		s.Told = append(slices.DeleteFunc(s.Told, func(o Fact) bool { return o.Name == f.Name }), f)
	}
	slices.SortFunc(s.Told, func(a, b Fact) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
}

// SaysFacts takes in what a person says at a moment; an empty value takes back what was said.
func (s *Server) SaysFacts(said map[string]string, at time.Time) {
	facts, since := map[string]string{}, map[string]time.Time{}
	maps.Copy(facts, s.Facts)
	maps.Copy(since, s.FactsAt)
	for name, value := range said {
		if value == "" {
			delete(facts, name)
			delete(since, name)
			continue
		}
		facts[name], since[name] = value, at
	}
	s.Facts, s.FactsAt = facts, since
}
