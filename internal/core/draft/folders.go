package draft

import (
	"cmp"

	"restlesscrate/internal/core/tree"
)

// wantFolder adds a goal for a folder that a wanted crate needs though it has nothing in it.
func (g *goals) wantFolder(req *Request, w Wanted, p tree.Path) {
	claim := w.claim(Target{}, Owns)
	if other, twice := g.goals[p]; twice {
		if other.after.Being != tree.Folder {
			g.block("two-claims", p, "Leave one of them out.", "%s is a file of %s and a folder of %s", p, other.claims[len(other.claims)-1].Label, w.Label())
			return
		}
		claim.Role = Shares
		other.claims = append(other.claims, claim)
		return
	}
	n := &goal{path: p, after: tree.State{Being: tree.Folder}, adopt: w.Adopt, reason: "an empty folder of " + w.Label()}
	for _, c := range req.Ledger[p].Claims {
		if c.Addon != w.Addon && !removes(req, c.Addon) && !replaces(req, c.Addon) {
			n.claims = append(n.claims, c)
			claim.Role = Shares
		}
	}
	n.claims = append(n.claims, claim)
	g.goals[p] = n
}

// folderGoal decides a folder that is to be there, or that goes if nothing is left in it.
func (m *decider) folderGoal(g *goal, seen Seen, row Row, known bool) {
	m.claimed[g.path] = g.claims
	there := seen.State.Being
	switch {
	case g.after.Being == tree.Folder && there == tree.Absent:
		if m.mayTouch(g.path) {
			m.needFolders(g.path)
			if g.after.Mode != 0 && g.after.Mode != newFolder {
				m.folderMode[g.path] = g.after.Mode
			}
			m.makeFolder(g.path, row.Claims, g.claims)
		}
	case g.after.Being == tree.Folder && there != tree.Folder && g.back == nil:
		m.refuse("file-in-way", g.path, "Rename or remove the file by hand.", "%s is a file on the server, and a folder shall be there.", g.path)
	case g.after.Being == tree.Folder:
		// One that was there before us is nobody's, so nobody takes it away.
		if known && !sameClaims(row.Claims, g.claims) {
			m.ownFolder(g.path, seen.State, row.Claims, g.claims)
		}
	case there == tree.Folder:
		m.maybe[g.path] = g.reason
		m.leaves(g.path)
	case known && len(row.Claims) > 0: // it has gone by itself
		m.ownFolder(g.path, seen.State, row.Claims, nil)
	}
}

// leaves notes the folders that may be empty once something in them has gone.
func (m *decider) leaves(p tree.Path) {
	for _, up := range p.Ancestors() {
		switch {
		case m.req.Ledger[up].State.Being != tree.Folder:
			if up == p.Dir() {
				m.theirs[up] = true
			}
		case m.maybe[up] == "":
			m.maybe[up] = "empty once its files are gone"
		}
	}
}

// ownFolder writes down whose a folder is, and does nothing to it.
func (m *decider) ownFolder(p tree.Path, now tree.State, before, after []Claim) {
	m.all = append(m.all, Change{Path: p, Before: now, After: now, ClaimsBefore: before, ClaimsAfter: after})
}

// disowned writes down that a folder stays and is no add-on's any more.
func (m *folding) disowned(p tree.Path, now tree.State, before []Claim) {
	if len(before) > 0 {
		m.ownFolder(p, now, before, nil)
	}
}

// makeFolder has a folder made, with the claims that the ledger has for it, if any.
func (m *decider) makeFolder(p tree.Path, before, after []Claim) {
	if m.folders[p] {
		return
	}
	m.folders[p] = true
	m.all = append(m.all, Change{Path: p, Before: tree.Nothing, After: m.folderState(p), ClaimsBefore: before, ClaimsAfter: after})
}

// folderState gives the state of a new folder.
func (m *decider) folderState(p tree.Path) tree.State {
	return m.modes(tree.State{Being: tree.Folder, Mode: cmp.Or(m.folderMode[p], newFolder)})
}

// needed tells whether an add-on that stays needs a folder, even an empty one.
func (m *decider) needed(p tree.Path) bool {
	if after, decided := m.claimed[p]; decided {
		return len(after) > 0
	}
	return len(m.req.Ledger[p].Claims) > 0
}
