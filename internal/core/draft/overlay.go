package draft

import (
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

func (w Wanted) claim(f Target, r Role) Claim {
	return Claim{Addon: w.Addon, Label: w.Label(), Crate: w.Crate, Role: r, Brings: Bytes{Digest: f.Digest, Size: f.Size}}
}

// overlay adds one file of a crate that may change other add-ons' files. It is
// asked for after everything that does not.
func (g *goals) overlay(req *Request, w Wanted, f Target, over map[string][]string) {
	below := g.below(req, f.Path)
	if len(below) == 0 {
		f.Overlay = false
		g.want(req, w, f) // a file that the other add-on has not
		return
	}
	after := tree.State{Being: tree.Content, Digest: f.Digest, Size: f.Size}
	for _, c := range below {
		if c.Role == Overlays && c.Brings != (Bytes{Digest: f.Digest, Size: f.Size}) && (f.Merged == "" || c.Brings.Digest != f.Over) {
			g.block("two-claims", f.Path, "Leave one of them out.", "%s and %s both change %s, with different bytes", c.Label, w.Label(), f.Path)
			return
		}
	}
	g.changedBelow(req, w, f.Path, below[0])
	n := &goal{path: f.Path, after: after, exec: f.Exec, claims: append(slices.Clone(below), w.claim(f, Overlays)),
		reason: fmt.Sprintf("%s of %s is changed by %s", f.Path.Base(), below[0].Label, w.Label())}
	g.goals[f.Path] = n
	if f.Merged == "" {
		over[below[0].Label] = append(over[below[0].Label], string(f.Path))
		return
	}
	n.reason = fmt.Sprintf("%s, merged with %s: %s", below[0].Label, w.Label(), f.Merged)
	g.laidOver(w, below[0].Label, f.Path, fmt.Sprintf("%s is merged into %s of %s: %s.", w.Label(), f.Path, below[0].Label, f.Merged))
}

// changedBelow tells where what is laid over a file replaces what its owner brings anew: an
// update of the owner does not show there.
func (g *goals) changedBelow(req *Request, w Wanted, p tree.Path, owner Claim) {
	for _, was := range req.Ledger[p].Claims {
		if was.Addon == owner.Addon && was.Role != Overlays && !was.Brings.Digest.IsZero() && was.Brings != owner.Brings {
			g.findings = append(g.findings, finding.Finding{Level: finding.Warn, Code: "base-changed", Path: p,
				What: fmt.Sprintf("%s of %s is another one than that of %s, and %s replaces it still: what is new in it does not show.", p, owner.Label, was.Label, w.Label()),
				Mend: "Look for a version of " + w.Name + " for it, or compare the two and put what is new into yours."})
		}
	}
}

// overlays adds everything that a crate lays over others, and says once for
// each of them which of its files are replaced; every step names its own.
func (g *goals) overlays(req *Request, w Wanted) {
	over := map[string][]string{} // replaced paths, by whose they are
	for _, f := range w.Files {
		if f.Overlay {
			g.overlay(req, w, f, over)
		}
	}
	for _, label := range slices.Sorted(maps.Keys(over)) {
		paths := over[label]
		said := fmt.Sprintf("%s replaces %s of %s.", w.Label(), paths[0], label)
		if n := len(paths); n > 1 {
			said = fmt.Sprintf("%s replaces %s of %s: %s.", w.Label(), words.Count(n, "file"), label, words.Few(paths))
		}
		g.laidOver(w, label, tree.Path(paths[0]), said)
	}
}

func (g *goals) laidOver(w Wanted, label string, p tree.Path, said string) {
	g.findings = append(g.findings, finding.Finding{Level: finding.Warn, Code: "laid-over", Path: p, What: said,
		Mend: fmt.Sprintf("What %s brings comes back when %s goes.", label, w.Name)})
}

// below gives the claims that stay on a path under a new overlay, the owner's
// first: of what is wanted, and of what the server has and keeps.
func (g *goals) below(req *Request, p tree.Path) []Claim {
	if n, wanted := g.goals[p]; wanted {
		return n.claims
	}
	var out []Claim
	for _, c := range req.Ledger[p].Claims {
		if !removes(req, c.Addon) && !replaces(req, c.Addon) {
			if c.Brings.Digest.IsZero() { // of early records, in which nothing was overlaid
				c.Brings = Bytes{Digest: req.Ledger[p].State.Digest, Size: req.Ledger[p].State.Size}
			}
			out = append(out, c)
		}
	}
	slices.SortStableFunc(out, func(a, b Claim) int { return rank(a) - rank(b) })
	return out
}

func rank(c Claim) int { return slices.Index([]Role{Owns, Shares, Overlays}, c.Role) }

// keepClaims adds the goal of a path that loses a claim and keeps others: the bytes
// are those of what overlays it still, or else those of its owner.
func (g *goals) keepClaims(p tree.Path, row Row, stay []Claim) {
	n := &goal{path: p, after: row.State, claims: stay, reason: "shared with " + stay[0].Label + ", so it stays"}
	g.goals[p] = n
	slices.SortStableFunc(stay, func(a, b Claim) int { return rank(a) - rank(b) })
	if stay[0].Role == Overlays {
		g.block("overlaid", p, "Remove it too, or keep both.", "%s changes %s of an add-on that goes", stay[0].Label, p)
		return
	}
	top := stay[len(stay)-1]
	if b := top.Brings; !b.Digest.IsZero() && b.Digest != row.State.Digest {
		n.after.Digest, n.after.Size = b.Digest, b.Size
		n.reason = "the bytes of " + top.Label + " are back"
	}
}
