package draft

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
)

// goal is what a request wants at one path.
type goal struct {
	path   tree.Path
	after  tree.State
	exec   bool
	claims []Claim
	reason string
	back   *Return  // set for a rollback
	adopt  bool     // the ledger takes it in as it is
	settle Settling // set where something that differs is settled
	swap   bool     // it is known which tweaks hold afterwards, such as a person's own file there
	tweaks []Tweaked
}

// goals are all goals of a request with the findings that gathering gave.
type goals struct {
	goals    map[tree.Path]*goal
	texts    map[tree.Path]*edited
	merged   map[tree.Path]shipped // wanted texts that are merged with what stands on the server
	drawn    map[tree.Path]bool    // texts that values of tweaks come from
	findings []finding.Finding
	coming   map[tree.Path][]tree.Path // what comes, by its folder, once that was asked
}

func (g *goals) block(code string, p tree.Path, mend, format string, args ...any) {
	g.findings = append(g.findings, finding.Finding{Level: finding.Block, Code: code, Path: p, Final: true,
		What: fmt.Sprintf(format, args...), Mend: mend})
}

// gather turns wanted crates, removals and returns into one goal per path.
func gather(req *Request) *goals {
	g := &goals{goals: map[tree.Path]*goal{}, texts: map[tree.Path]*edited{}}
	for _, r := range req.Back {
		g.goals[r.Path] = &goal{path: r.Path, after: r.To, claims: r.Claims, reason: r.Why, back: &r}
	}
	leaving := map[string]string{} // add-on key -> why its old files go
	for _, w := range req.Wanted {
		if _, twice := leaving[w.Addon]; twice {
			g.block("two-versions", tree.Root, "Choose one of them.", "%s is asked for in two versions", w.Name)
		}
		leaving[w.Addon] = cmp.Or(w.Why, "no longer part of "+w.Label())
		for _, f := range w.Files {
			if !f.Overlay {
				g.want(req, w, f)
			}
		}
	}
	for _, w := range req.Wanted {
		g.overlays(req, w)
		for _, p := range w.Folders {
			g.wantFolder(req, w, p)
		}
	}
	for _, r := range req.Remove {
		leaving[r.Addon] = "belongs to " + r.Name + ", which goes"
	}
	for _, p := range slices.Sorted(maps.Keys(req.Ledger)) {
		g.leave(p, req.Ledger[p], leaving)
	}
	g.settles(req)
	g.listings(req)
	g.sets(req)
	g.swaps(req)
	g.drawing(req)
	g.merges(req)
	g.returns(req)
	return g
}

// want adds a goal for one file of a wanted crate.
func (g *goals) want(req *Request, w Wanted, f Target) {
	claim := w.claim(f, Owns)
	after := tree.State{Being: tree.Content, Digest: f.Digest, Size: f.Size}
	if other, twice := g.goals[f.Path]; twice {
		if !other.after.SameBytes(after) {
			g.block("two-claims", f.Path, "Leave one of them out.", "%s and %s bring different bytes for %s", other.claims[len(other.claims)-1].Label, w.Label(), f.Path)
			return
		}
		claim.Role = Shares
		other.claims = append(other.claims, claim)
		return
	}
	n := &goal{path: f.Path, after: after, adopt: w.Adopt, exec: f.Exec, reason: cmp.Or(w.Why, "new with "+w.Label())}
	for _, c := range req.Ledger[f.Path].Claims {
		n.reason = w.Label() + " brings other bytes than " + c.Label
		switch {
		case c.Crate == w.Crate:
			n.reason = "back to the bytes of " + w.Label()
		case c.Label == w.Label():
			n.reason = "this " + w.Label() + " brings other bytes than the one that is there"
		}
		if c.Addon == w.Addon || removes(req, c.Addon) || replaces(req, c.Addon) {
			continue
		}
		n.claims = append(n.claims, c)
		if c.Role == Overlays {
			// The service asks for what overlays a wanted add-on again.
			g.block("overlaid", f.Path, "Deploy or remove the two together.", "%s of %s is changed by %s, which is not part of this deployment", f.Path, w.Label(), c.Label)
			continue
		}
		if !req.Ledger[f.Path].State.SameBytes(after) {
			g.block("anothers-file", f.Path, "Remove the other add-on first, or leave this one.", "%s belongs to %s, and %s brings other bytes for it", f.Path, c.Label, w.Label())
		}
		claim.Role = Shares
	}
	n.claims = append(n.claims, claim)
	g.goals[f.Path] = n
}

// leave adds a goal for a ledger path that loses a claim.
func (g *goals) leave(p tree.Path, row Row, leaving map[string]string) {
	if _, wanted := g.goals[p]; wanted {
		return
	}
	var stay []Claim
	why := ""
	for _, c := range row.Claims {
		if w, goes := leaving[c.Addon]; goes {
			why = w
			continue
		}
		stay = append(stay, c)
	}
	switch {
	case why == "":
	case len(stay) > 0:
		if by, next := g.newer(p, row, leaving); next != "" {
			g.goals[p] = &goal{path: p, after: tree.Nothing, reason: "another version of the same, " + string(next) + ", comes with " + by}
			g.findings = append(g.findings, finding.Finding{Level: finding.Block, Code: "shared-goes", Path: p,
				What: fmt.Sprintf("%s belongs to %s too, and %s brings %s, another version of the same. Two versions would lie side by side.", p, stay[0].Label, by, next.Base()),
				Mend: fmt.Sprintf("Accept this to take the old one away from %s as well. Or update that one instead.", stay[0].Label)})
			return
		}
		g.keepClaims(p, row, stay)
	default:
		g.goals[p] = &goal{path: p, after: tree.Nothing, reason: why}
	}
}

// newer finds a file that comes into the folder of a path that an add-on leaves, and that is
// the same one in another version by its name; by is the label of what brings it.
func (g *goals) newer(p tree.Path, row Row, leaving map[string]string) (by string, next tree.Path) {
	name, _ := version.Split(strings.TrimSuffix(p.Base(), path.Ext(p.Base())))
	if g.coming == nil { // what comes is known before anything leaves
		g.coming = map[tree.Path][]tree.Path{}
		for _, q := range slices.Sorted(maps.Keys(g.goals)) {
			g.coming[q.Dir()] = append(g.coming[q.Dir()], q)
		}
	}
	for _, q := range g.coming[p.Dir()] {
		n := g.goals[q]
		if q == p || path.Ext(q.Base()) != path.Ext(p.Base()) || n.after.Being != tree.Content || n.back != nil {
			continue
		}
		other, ver := version.Split(strings.TrimSuffix(q.Base(), path.Ext(q.Base())))
		if ver == "" || tree.Fold(other) != tree.Fold(name) {
			continue
		}
		for _, c := range n.claims {
			if _, leaves := leaving[c.Addon]; leaves && slices.ContainsFunc(row.Claims, func(o Claim) bool { return o.Addon == c.Addon }) {
				return c.Label, q
			}
		}
	}
	return "", ""
}

func removes(req *Request, addon string) bool {
	return slices.ContainsFunc(req.Remove, func(r Removal) bool { return r.Addon == addon })
}

func replaces(req *Request, addon string) bool {
	return slices.ContainsFunc(req.Wanted, func(w Wanted) bool { return w.Addon == addon })
}

func sameClaims(a, b []Claim) bool {
	order := func(x, y Claim) int { return strings.Compare(x.Addon, y.Addon) }
	a, b = slices.SortedFunc(slices.Values(a), order), slices.SortedFunc(slices.Values(b), order)
	return slices.Equal(a, b)
}
