// Package retention says which downloads may go from the stockroom. It decides by what is
// known of each; whether bytes are still needed by something else is looked at by whoever
// frees them.
package retention

import (
	"cmp"
	"fmt"
	"slices"
)

// Policy says what may go. One that says nothing lets nothing go.
type Policy struct {
	OlderThan int64    `json:"olderThan,omitempty"` // milliseconds since it was staged
	Versions  int      `json:"versions,omitempty"`  // so many of the newest of an add-on stay
	Below     int64    `json:"below,omitempty"`     // bytes: the oldest go until no more than these are left
	Only      []string `json:"only,omitempty"`      // digests of archives: these, and no others, whatever their age
}

// Says tells whether a policy says anything.
func (p Policy) Says() bool {
	return p.OlderThan > 0 || p.Versions > 0 || p.Below > 0 || len(p.Only) > 0
}

// Archive is a download as far as it matters here.
type Archive struct {
	Digest, Filename string
	Size             int64
	Age              int64    // milliseconds
	Servers          []string // on which something of it stands
	Newer            int      // how many newer versions of its add-on are staged: the least of its crates
	Wanted           string   // why it stays whatever a policy says; empty where nothing wants it
}

// Kept is an archive that stays, and why.
type Kept struct {
	Archive
	Why string
}

// Choose says which archives may go, the oldest first, and why the others stay. total is how
// much the stockroom holds, in bytes.
func (p Policy) Choose(list []Archive, total int64) (gone []Archive, kept []Kept) {
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b Archive) int { return cmp.Compare(b.Age, a.Age) })
	for _, a := range list {
		if why := p.stays(a, total); why != "" {
			kept = append(kept, Kept{a, why})
			continue
		}
		gone = append(gone, a)
		total -= a.Size
	}
	return gone, kept
}

// stays says why an archive stays; empty where it may go.
func (p Policy) stays(a Archive, total int64) string {
	switch {
	case !p.Says():
		return "nothing says what may go"
	case len(p.Only) > 0 && !slices.Contains(p.Only, a.Digest):
		return "it was not named"
	case len(a.Servers) > 0:
		return "it is on " + few(a.Servers)
	case a.Wanted != "":
		return a.Wanted
	case len(p.Only) > 0:
		return ""
	case p.OlderThan > 0 && a.Age < p.OlderThan:
		return "it is younger"
	case p.Versions > 0 && a.Newer < p.Versions:
		return fmt.Sprintf("it is of the newest %d of its add-on", p.Versions)
	case p.Below > 0 && total <= p.Below:
		return "there is room for it"
	}
	return ""
}

func few(names []string) string {
	if len(names) > 2 {
		return fmt.Sprintf("%s and %d more", names[0], len(names)-1)
	}
	if len(names) == 2 {
		return names[0] + " and " + names[1]
	}
	return names[0]
}
