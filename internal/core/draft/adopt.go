package draft

import (
	"cmp"
	"fmt"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// takenIn is what the ledger takes in of one add-on that lies on a server already.
type takenIn struct {
	label            string
	files            int
	bytes            int64
	missing, differs []tree.Path
}

// adopt has the ledger take in one path of an add-on as it lies there. Nothing is done to it.
func (m *decider) adopt(g *goal, seen Seen, row Row) {
	claim := g.claims[len(g.claims)-1]
	if m.taken == nil {
		m.taken = map[string]*takenIn{}
	}
	t := m.taken[claim.Addon]
	if t == nil {
		t = &takenIn{label: claim.Label}
		m.taken[claim.Addon] = t
	}
	now := m.modes(seen.State)
	switch {
	case g.after.Being == tree.Folder && now.Being == tree.Folder:
		if !sameClaims(row.Claims, g.claims) {
			m.ownFolder(g.path, now, row.Claims, g.claims)
		}
		return
	case now.Being != tree.Content || g.after.Being != tree.Content:
		if g.after.Being == tree.Content {
			t.missing = append(t.missing, g.path)
		}
		return
	case now.Digest != g.after.Digest:
		t.differs = append(t.differs, g.path)
	}
	t.files++
	t.bytes += now.Size
	if slices.ContainsFunc(row.Claims, func(c Claim) bool { return c.Addon == claim.Addon }) {
		return // it is taken in already
	}
	m.all = append(m.all, Change{Path: g.path, Before: now, After: now, ClaimsBefore: row.Claims, ClaimsAfter: g.claims,
		ListedBefore: row.Listed, ListedAfter: row.Listed, TweaksBefore: row.Tweaks, TweaksAfter: row.Tweaks})
}

// unlisted drops the entries of add-ons that are taken in where a text does not hold them: taking
// in touches nothing.
func (m *decider) unlisted(e *edited, before []byte) {
	adopted := func(addon string) bool {
		return slices.ContainsFunc(m.req.Wanted, func(w Wanted) bool { return w.Adopt && w.Addon == addon })
	}
	e.edits = slices.DeleteFunc(e.edits, func(x Edit) bool {
		if !adopted(x.Addon) || x.Op.Do != settings.Add {
			return false
		}
		if _, undo, err := settings.Apply(before, x.Op); err == nil && undo.Do == "" {
			return false // it is there
		}
		i := slices.IndexFunc(e.listed, func(l Listing) bool { return l.Addon == x.Addon && l.Key == x.Op.Key })
		if i < 0 {
			return true
		}
		m.report(finding.Note, "not-named", e.path, "", "%s does not name %s, so the server does not load it by that. That is left as it is.", e.path, cmp.Or(e.listed[i].Label, x.Addon))
		e.listed = slices.Delete(e.listed, i, i+1)
		return true
	})
}

// takingIn emits a step for each add-on that is taken in, and tells what of it is not as its crate
// brings it.
func (m *emitting) takingIn(e *emitter) {
	for _, w := range m.req.Wanted {
		t := m.taken[w.Addon]
		if t == nil {
			continue
		}
		what := fmt.Sprintf("%s as they lie there", words.Count(t.files, "file"))
		e.step(Step{Phase: Prepare, Verb: TakeIn, What: t.label, Reason: what})
		m.d.Counts.Accepted += t.files
		some := func(all []tree.Path) string {
			if len(all) == 1 {
				return string(all[0])
			}
			return fmt.Sprintf("%s, such as %s", words.Count(len(all), "file"), all[0])
		}
		if len(t.missing) > 0 {
			m.report(finding.Warn, "adopt-missing", tree.Path(w.Name), "Deploying it puts them there.", "%s brings what is not on the server: %s.", t.label, some(t.missing)).By(finding.Deploy.With(t.label))
		}
		if len(t.differs) > 0 {
			m.report(finding.Note, "adopt-differs", tree.Path(w.Name), "", "%s brings other bytes than lie there for %s. The ledger takes in what lies there.", t.label, some(t.differs))
		}
	}
}
