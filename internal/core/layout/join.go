package layout

import (
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
)

// Join makes one crate of two downloads of one add-on: the name and version of
// the first, the files of both. The error says why they cannot be one.
func Join(a, b *Crate) (*Crate, error) {
	if a.Rulebook != b.Rulebook {
		return nil, fmt.Errorf("%s is of rulebook %s and %s of %s", a.Label(), a.Rulebook, b.Label(), b.Rulebook)
	}
	type spot struct{ place, path string }
	there := map[spot]File{}
	for _, f := range a.Files {
		there[spot{f.Place, string(f.Target())}] = f
	}
	c := *a
	c.Findings = nil
	c.Files, c.Left = slices.Clone(a.Files), slices.Concat(a.Left, b.Left)
	c.Why = fmt.Sprintf("%s, joined with %s (%s)", a.Why, b.Label(), b.Why)
	for _, f := range b.Files {
		same, twice := there[spot{f.Place, string(f.Target())}]
		switch {
		case !twice:
			f.Reason = "from " + b.Label() + ": " + f.Reason
			c.Files = append(c.Files, f)
		case same.Digest != f.Digest:
			return nil, fmt.Errorf("both hold %s in %s, with other bytes", f.Target(), f.Place)
		}
	}
	for _, f := range b.Facts {
		if !slices.Contains(c.Facts, f) {
			c.Facts = append(slices.Clone(c.Facts), f)
		}
	}
	c.Says = slices.Concat(a.Says, b.Says)
	slices.SortFunc(c.Files, byTarget)
	slices.SortFunc(c.Left, bySource)
	return &c, nil
}

// Joined carries over what was found in the parts, without what only one of
// them could not know.
func Joined(of ...[]finding.Finding) (out []finding.Finding) {
	for _, list := range of {
		for _, f := range list {
			if f.Code != "no-version" && !slices.ContainsFunc(out, func(o finding.Finding) bool { return o.Same(f) }) && !strings.HasPrefix(f.Code, "other-bytes") {
				out = append(out, f)
			}
		}
	}
	finding.Sort(out)
	return out
}
