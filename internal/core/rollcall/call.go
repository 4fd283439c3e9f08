package rollcall

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// Standing is what a roll call found of one add-on.
type Standing string

// The standings.
const (
	Loaded  Standing = "loaded"
	Failed  Standing = "failed"
	Silent  Standing = "silent"  // nothing was said of it
	Unknown Standing = "unknown" // it loaded, and the ledger does not know it
)

// Expected is an add-on that the ledger has on a server, by the names under which
// the server may speak of it.
type Expected struct {
	Addon   string
	Version string
	Names   []string
	Listed  bool // a load list names it, so that silence tells something
	Off     bool // it is disabled, so that it should not load
	Unasked bool // the console's answer names no such add-ons
	Mute    bool // the server never says anything of its kind
	// Oddities are what looks wrong in it and is known to be harmless.
	Oddities []string
}

// Entry is one line of a roll.
type Entry struct {
	Addon    string   `json:"addon"` // as the ledger calls it; the server's own name where that does not know it
	Standing Standing `json:"standing"`
	Version  string   `json:"version,omitempty"` // that the server says
	Why      string   `json:"why,omitempty"`
	Listed   bool     `json:"listed,omitempty"` // a load list names it
	Needs    []string `json:"needs,omitempty"`
	Lines    []Line   `json:"lines,omitempty"`
	From     []string `json:"from"` // "log", "console"
	Oddities []string `json:"oddities,omitempty"`
}

// Roll is what a roll call found.
type Roll struct {
	Ready   bool    `json:"ready"`
	Entries []Entry `json:"entries"`
	Errors  []Line  `json:"errors,omitempty"` // trouble with no add-on
	Asked   bool    `json:"asked"`            // the console was asked too
	LogRead int     `json:"logRead"`          // lines of the log
}

// Call compares what was heard with what should be there. asked tells whether the
// console answered; what it does not name is not loaded then.
func Call(expected []Expected, log Log, asked bool, console []Heard) Roll {
	out := Roll{Ready: log.Ready, Errors: log.Errors, Asked: asked, LogRead: log.Lines}
	met := map[string]bool{}
	for _, e := range expected {
		inLog, l := named(log.Heard, e.Names)
		inConsole, c := named(console, e.Names)
		entry := Entry{Addon: e.Addon, Standing: Silent, Listed: e.Listed, Oddities: e.Oddities}
		if inLog {
			met[l.Name] = true
			entry.From = append(entry.From, "log")
			entry.Lines, entry.Needs, entry.Why, entry.Version = l.Lines, l.Needs, l.Why, l.Version
			switch {
			case l.Failed:
				entry.Standing = Failed
			case l.Loaded:
				entry.Standing = Loaded
			}
		}
		switch {
		case inConsole:
			met[c.Name] = true
			entry.From = append(entry.From, "console")
			entry.Standing, entry.Why, entry.Needs = Loaded, "", nil
			if l.Failed && l.Why != "" { // named twice, or refused at first
				entry.Why = "the log also says: " + l.Why
			}
			entry.Version = cmp.Or(c.Version, entry.Version)
		case asked && !e.Unasked && entry.Standing == Loaded:
			entry.Standing, entry.Why = Failed, "the log says that it loaded, but the console does not name it any more"
		}
		switch {
		case entry.Standing == Silent && (e.Off || e.Mute):
			continue // as it should be
		case entry.Standing == Silent && !e.Listed:
			entry.Why = "no load list names it, and the server says nothing of it"
		}
		if entry.Standing == Loaded && e.Off {
			entry.Why = "it is disabled, and was loaded all the same"
		}
		if v := entry.Version; entry.Standing == Loaded && v != "" && e.Version != "" && v != e.Version {
			entry.Why = fmt.Sprintf("the server says version %s, and the ledger has %s", v, e.Version)
		}
		out.Entries = append(out.Entries, entry)
	}
	for _, heard := range [][]Heard{console, log.Heard} {
		for _, h := range heard {
			if met[h.Name] {
				continue
			}
			met[h.Name] = true
			entry := Entry{Addon: h.Name, Standing: Unknown, Version: h.Version, Why: h.Why, Needs: h.Needs, Lines: h.Lines}
			if h.Failed {
				entry.Standing = Failed
			}
			out.Entries = append(out.Entries, entry)
		}
	}
	slices.SortStableFunc(out.Entries, func(a, b Entry) int {
		return cmp.Or(cmp.Compare(rank(a.Standing), rank(b.Standing)), strings.Compare(a.Addon, b.Addon))
	})
	return out
}

// rank puts what needs a person first.
func rank(s Standing) int { return slices.Index([]Standing{Failed, Silent, Unknown, Loaded}, s) }

// named finds what was heard under one of the names: as it is written, else in another
// spelling that only one speaks of.
func named(heard []Heard, names []string) (bool, Heard) {
	for _, name := range names {
		for _, h := range heard {
			if h.Name == name {
				return true, h
			}
		}
	}
	for _, name := range names {
		var alike []Heard
		for _, h := range heard {
			if folded(h.Name) == folded(name) {
				alike = append(alike, h)
			}
		}
		if len(alike) == 1 {
			return true, alike[0]
		}
	}
	return false, Heard{}
}

// folded is a name without what titles and file names write differently: case, and what
// stands between words.
func folded(name string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, name)
}

// Entry gives the entry of an add-on.
func (r *Roll) Entry(addon string) (Entry, bool) {
	i := slices.IndexFunc(r.Entries, func(e Entry) bool { return e.Addon == addon })
	if i < 0 {
		return Entry{}, false
	}
	return r.Entries[i], true
}

// Count tells how many add-ons stand so.
func (r *Roll) Count(s Standing) (n int) {
	for _, e := range r.Entries {
		if e.Standing == s {
			n++
		}
	}
	return n
}
