package draft

import (
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// decide decides every path that has a goal, and every text that is to be edited.
func decide(from ground, g *goals) decider {
	m := newDecider(from, len(g.goals))
	m.mergeAll(g)
	for _, p := range slices.Sorted(maps.Keys(g.goals)) {
		m.decideGoal(g.goals[p])
		g.goals[p] = nil // a long draft is not to be in memory beside its goals; the path still counts
	}
	m.sayUnseen()
	m.texts(g)
	return m
}

func newDecider(from ground, n int) decider {
	return decider{ground: from, changes: make([]change, 0, n), all: make([]Change, 0, n), folders: map[tree.Path]bool{}, going: map[tree.Path]bool{}, theirs: map[tree.Path]bool{},
		coming: map[tree.Path]bool{}, gone: map[tree.Path]*unseen{}, maybe: map[tree.Path]string{}, claimed: map[tree.Path][]Claim{}, folderMode: map[tree.Path]uint32{}}
}

// decideGoal decides a single path.
func (m *decider) decideGoal(g *goal) {
	seen := m.obs.At(g.path)
	row, known := m.req.Ledger[g.path]
	if g.settle == AcceptIt || g.settle == TweakIt {
		m.accept(g, seen, row)
		return
	}
	if g.adopt {
		m.adopt(g, seen, row)
		return
	}
	if isFolderGoal(g, row) {
		m.folderGoal(g, seen, row, known)
		return
	}
	c := change{Change: &Change{Path: g.path, Before: seen.State, After: m.afterOf(g, seen.State),
		ClaimsBefore: row.Claims, ClaimsAfter: g.claims, ListedBefore: row.Listed}, seen: seen.Modified, reason: g.reason}
	if g.back != nil {
		c.After = m.modes(g.after)
		c.ListedAfter = g.back.Listed
	}
	c.TweaksBefore = row.Tweaks
	if c.After.SameBytes(row.State) {
		c.ListedAfter, c.TweaksAfter = row.Listed, row.Tweaks
	}
	switch {
	case g.swap:
		g.stood(seen.State)
		c.TweaksAfter = g.tweaks
	case g.back != nil && len(g.back.Untweak)+len(g.back.Retweak) > 0:
		c.TweaksAfter = g.back.retweaked(row.Tweaks)
	}
	if c.Before.Same(c.After) {
		if c.After.Being == tree.Absent && row.State.Being == tree.Content && len(row.Claims) > 0 {
			m.unseen(g.path, row)
		}
		m.settled(g, c, row, known)
		return
	}
	if !m.mayTouch(g.path) || !m.standsRight(g, seen.State, row, known) {
		return
	}
	m.entriesGo(g, c.Change)
	if c.Before.Being == tree.Content && !m.req.Held(c.Before.Digest) {
		c.keep = "will be replaced; its bytes are not in the stockroom yet"
		if c.After.Being == tree.Absent {
			c.keep = "will go; its bytes are not in the stockroom yet"
		}
	}
	if c.After.Being == tree.Content {
		if !m.req.Held(c.After.Digest) {
			m.refuse("bytes-gone", g.path, m.broughtBack(c.After.Digest), "The bytes for %s are no longer in the stockroom.", g.path)
			return
		}
		m.coming[g.path] = true
		m.needFolders(g.path)
	} else {
		m.going[g.path] = true
		m.leaves(g.path)
	}
	if limit := m.req.Host.UploadLimit; limit > 0 && c.After.Size > limit {
		m.refuse("over-upload-limit", g.path, "If the host offers another way in, such as SFTP, switch to that. If the limit is no longer so, change it.",
			"%s is %d bytes long, and this way into the server takes %d at most.", g.path, c.After.Size, limit).
			By(finding.EditServer.With(), finding.EditServer.With("upload-limit"))
	}
	c.at = len(m.all)
	m.all = append(m.all, *c.Change)
	c.Change = nil
	m.changes = append(m.changes, c)
}

func isFolderGoal(g *goal, row Row) bool {
	if g.back != nil {
		return g.back.From.Being == tree.Folder || g.back.To.Being == tree.Folder
	}
	return g.after.Being == tree.Folder || g.after.Being == tree.Absent && row.State.Being == tree.Folder
}

// settled handles a path that needs no motion; only the ledger may change.
func (m *decider) settled(g *goal, c change, row Row, known bool) {
	if c.After.Being == tree.Content {
		m.same++
		if !known && g.back == nil {
			m.report(finding.Note, "already-there", g.path, "", "%s is on the server already, with the same bytes; the ledger takes it in.", g.path)
		}
	}
	// Nothing and no claims on either side: there is nothing to write down.
	if !known && (c.After.Being == tree.Absent || len(g.claims) == 0) {
		return
	}
	if known && row.State.Same(c.After) && sameClaims(row.Claims, g.claims) && sameTweaks(c.TweaksBefore, c.TweaksAfter) {
		return
	}
	m.all = append(m.all, *c.Change)
}

// standsRight checks what stands at the path against what the ledger or the
// rollback expects. It tells whether motions may be drafted; a block that a
// person can accept does not hinder that.
func (m *decider) standsRight(g *goal, now tree.State, row Row, known bool) bool {
	switch {
	case now.Being == tree.Foreign:
		m.refuse("foreign-in-way", g.path, "Take it away by hand if it should go.", "%s is a link or device on the server; such things are never touched.", g.path)
		return false
	case now.Being == tree.Folder:
		m.refuse("folder-in-way", g.path, "Rename or remove the folder by hand.", "%s is a folder on the server, and a file shall go there.", g.path)
		return false
	case g.settle != "": // whoever settles it knows that something else stands there
		return true
	case g.back != nil:
		if !now.SameBytes(g.back.From) {
			by := "outside of Restless Crate"
			if g.back.Later != "" {
				by = "by " + g.back.Later
			}
			m.report(finding.Block, "changed-since", g.path,
				"Accept this to take that back too, or leave the path as it is.",
				"%s was changed since, %s.", g.path, by)
		}
	case now.Being == tree.Absent:
		if known && row.State.Being == tree.Content && len(row.Claims) > 0 {
			m.report(finding.Warn, "missing-file", g.path, "It is put there again.", "%s belongs to %s and is gone from the server.", g.path, row.Claims[0].Label)
		}
	case !known && (m.inOlder(g.path) || m.req.replaced(g.path)): // that is told of as a whole
	case !known:
		m.report(finding.Block, "unknown-file", g.path,
			"Accept this to take it over; its bytes are kept first.",
			"A file that the ledger does not know is at %s, with other bytes.", g.path)
	case !now.SameBytes(row.State):
		m.report(finding.Block, "changed-file", g.path,
			"Accept this to go on; the changed bytes are kept first.",
			"%s was changed on the server since it was put there%s.", g.path, ownedBy(row.Claims))
	}
	return true
}

func ownedBy(claims []Claim) string {
	if len(claims) == 0 {
		return ""
	}
	return " by " + claims[0].Label
}

// needFolders makes sure that the folders above p exist or can be made.
func (m *decider) needFolders(p tree.Path) {
	for _, up := range p.Ancestors() {
		switch m.obs.At(up).State.Being {
		case tree.Absent:
			m.makeFolder(up, nil, nil)
		case tree.Content:
			m.refuse("file-in-way", up, "Rename or remove the file by hand.", "%s is a file on the server, and a folder shall be there for %s.", up, p)
			return
		case tree.Foreign:
			m.refuse("foreign-in-way", up, "Point the server's root at where the link leads, or take it away by hand.", "%s is a link on the server; links are not followed, so nothing can go below it.", up)
			return
		}
	}
}

// afterOf is the state a wanted file shall have: a replaced file's permission
// bits stay, a new one gets the usual ones.
func (m *ground) afterOf(g *goal, now tree.State) tree.State {
	after := g.after
	if after.Being != tree.Content || after.Mode != 0 {
		return m.modes(after)
	}
	after.Mode = 0o644
	if now.Being == tree.Content && now.Mode != 0 {
		after.Mode = now.Mode
	}
	if g.exec {
		after.Mode |= 0o111
	}
	return m.modes(after)
}

// broughtBack says how bytes that the stockroom does not hold come back.
func (m *ground) broughtBack(d tree.Digest) string {
	if m.req.HeldBy != nil {
		if from := m.req.HeldBy(d); len(from) > 0 {
			return fmt.Sprintf("Stage %s again, which holds them.", words.Few(from))
		}
	}
	return "Stage the archive that holds them again. Where there is none, they were a copy of a file of the server, which has gone when the stockroom was tidied."
}
