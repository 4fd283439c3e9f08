// Package finding is what a check has to say to a person: a stable code, how
// much it weighs, the path it is about, what it means and what would mend it.
package finding

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Level is the weight of a finding.
type Level string

// The levels, the heaviest first.
const (
	Block Level = "block" // the deployment will not run unless a person accepts it
	Warn  Level = "warn"  // read this before you go on
	Note  Level = "note"  // good to know
)

func (l Level) weight() int { return slices.Index([]Level{Block, Warn, Note}, l) }

// Finding is one thing a check has to say. Final marks a block that nobody
// can accept, because it would break a guarantee.
type Finding struct {
	Level Level     `json:"level"`
	Code  string    `json:"code"`
	Path  tree.Path `json:"path,omitempty"`
	What  string    `json:"what"`
	Mend  string    `json:"mend,omitempty"` // in words that hold for every face
	Final bool      `json:"final,omitempty"`
	// Remedies are the deeds that would help; each face writes its own command or button.
	Remedies []Remedy `json:"remedies,omitempty"`
	// Sides are, of a conflict, what each side has there; nil elsewhere.
	Sides *Sides `json:"sides,omitempty"`
}

// Sides are the three texts of a conflict. A secret is masked, and what one does not have is empty.
type Sides struct {
	Base   string `json:"base"`   // as it was shipped, or as it was when an editing began
	Mine   string `json:"mine"`   // what the server has
	Theirs string `json:"theirs"` // what the new version, or the edited text, has
}

// Same tells whether two findings say the same of the same.
func (f Finding) Same(o Finding) bool {
	return f.Code == o.Code && f.Path == o.Path && f.What == o.What && f.Level == o.Level
}

// Sort puts findings in the order in which a person decides: blocks first,
// then by code and path.
func Sort(all []Finding) {
	slices.SortStableFunc(all, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.Level.weight(), b.Level.weight()),
			strings.Compare(a.Code, b.Code), strings.Compare(string(a.Path), string(b.Path)))
	})
}

// Accept is a person's word that a block may be passed: by code alone, or for
// one path of it.
type Accept struct {
	Code string    `json:"code"`
	Path tree.Path `json:"path,omitempty"`
	By   string    `json:"by,omitempty"`
}

// ParseAccept reads CODE or CODE=PATH.
func ParseAccept(text string) (Accept, error) {
	code, path, with := strings.Cut(text, "=")
	if code == "" || strings.ContainsAny(code, " /") {
		return Accept{}, fmt.Errorf("%q is not CODE or CODE=PATH", text)
	}
	if !with {
		return Accept{Code: code}, nil
	}
	p, err := tree.ParsePath(path)
	if err != nil {
		return Accept{}, fmt.Errorf("accept %s: %w", code, err)
	}
	return Accept{Code: code, Path: p}, nil
}

// String writes what [ParseAccept] reads.
func (a Accept) String() string {
	if a.Path == tree.Root {
		return a.Code
	}
	return a.Code + "=" + string(a.Path)
}

// Covers tells whether a passes the block f.
func (a Accept) Covers(f Finding) bool {
	return !f.Final && a.Code == f.Code && (a.Path == tree.Root || a.Path == f.Path)
}

// Open are the blocks among all that no accept covers.
func Open(all []Finding, accepts []Accept) []Finding {
	var open []Finding
	for _, f := range all {
		if f.Level == Block && !slices.ContainsFunc(accepts, func(a Accept) bool { return a.Covers(f) }) {
			open = append(open, f)
		}
	}
	return open
}
