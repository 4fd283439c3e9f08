package draft

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// maker holds what is found out on the way from goals to steps.
type maker struct {
	req        *Request
	obs        Observations
	d          *Draft
	changes    []change              // content changes that need motions, by path
	edits      []edit                // texts that are edited, by path
	folders    map[tree.Path]bool    // to be made
	dropped    map[tree.Path]bool    // folders that go
	going      map[tree.Path]bool    // paths that will be absent
	coming     map[tree.Path]bool    // paths that will hold something new
	gone       map[tree.Path]*unseen // what the ledger owns and cannot be seen, by the outermost thing that hides it
	maybe      map[tree.Path]string  // folders of ours that go if they become empty, and why
	folderMode map[tree.Path]uint32  // of folders that come back with other permission bits than new ones get
	// Folders that are moved with all that is in them, with their temporary names.
	wholeIn, wholeOut map[tree.Path]string
	power             powerPlan
	labels            map[string]map[string]bool // under which a wanted add-on's files are claimed so far
	dataMS            int64                      // what fetching data folders takes while the server is stopped
	launch            *Launch                    // by which this leg's start is done, where an add-on says so
}

// change is a content change with its reason. It is the draft's own entry: where that
// lies is known once no more are added.
type change struct {
	*Change
	at     int   // its place among the draft's changes
	seen   int64 // the time of the file that stands there
	reason string
	keep   string // why the old bytes must be fetched first, empty where they need not
}

// Make turns a request and what was observed into a draft. It never fails:
// what stands in the way becomes a finding.
func Make(req *Request, obs Observations) *Draft { return makeFrom(gather(req), req, obs) }

func makeFrom(g *goals, req *Request, obs Observations) *Draft {
	m := newMaker(req, obs, &Draft{Outline: Outline{Findings: g.findings, WayBack: BackFiles}})
	m.d.Changes, m.changes = make([]Change, 0, len(g.goals)), make([]change, 0, len(g.goals))
	m.d.Beside = req.Host.Tested && !req.Host.RenameFromWork
	for _, p := range slices.Sorted(maps.Keys(g.goals)) {
		m.one(g.goals[p])
		g.goals[p] = nil // a long draft is not to be in memory beside its goals; the path still counts
	}
	m.sayUnseen()
	m.texts(g)
	m.caseClashes()
	m.dropFolders()
	m.launches()
	m.d.Sets = m.kept()
	m.newNames()
	m.plan()
	m.spare()
	m.emit()
	m.about()
	finding.Sort(m.d.Findings)
	return m.d
}

func newMaker(req *Request, obs Observations, d *Draft) *maker {
	return &maker{req: req, obs: obs, d: d, folders: map[tree.Path]bool{}, dropped: map[tree.Path]bool{}, going: map[tree.Path]bool{}, gone: map[tree.Path]*unseen{},
		coming: map[tree.Path]bool{}, maybe: map[tree.Path]string{}, folderMode: map[tree.Path]uint32{}}
}

// spare lets go of what was only needed to find out what is to be done: a long draft is
// not to be in memory beside all that it was made from.
func (m *maker) spare() {
	m.labels = m.labelsOf()
	req := *m.req
	req.Ledger, req.Wanted = nil, slices.Clone(req.Wanted)
	for i := range req.Wanted {
		req.Wanted[i].Files = nil
	}
	m.req = &req
	if len(req.Data)+len(req.Returns) > 0 {
		return // what these folders hold is weighed with the steps
	}
	few := map[tree.Path]Seen{}
	for f := range m.dropped {
		few[f] = m.obs.At(f)
	}
	for _, e := range m.edits {
		few[e.Path] = m.obs.At(e.Path)
	}
	m.obs.Paths = few
}

func (m *maker) say(l finding.Level, code string, p tree.Path, mend, format string, args ...any) {
	m.d.Findings = append(m.d.Findings, finding.Finding{Level: l, Code: code, Path: p, What: fmt.Sprintf(format, args...), Mend: mend})
}

func (m *maker) never(code string, p tree.Path, mend, format string, args ...any) {
	m.say(finding.Block, code, p, mend, format, args...)
	m.d.Findings[len(m.d.Findings)-1].Final = true
}

// one decides a single path.
func (m *maker) one(g *goal) {
	seen := m.obs.At(g.path)
	row, known := m.req.Ledger[g.path]
	if isFolderGoal(g, row) {
		m.folderGoal(g, seen)
		return
	}
	c := change{Change: &Change{Path: g.path, Before: seen.State, After: m.afterOf(g, seen.State),
		ClaimsBefore: row.Claims, ClaimsAfter: g.claims}, seen: seen.Modified, reason: g.reason}
	if g.back != nil {
		c.After = m.modes(g.after)
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
	if c.Before.Being == tree.Content && !m.req.Held(c.Before.Digest) {
		c.keep = "will be replaced; its bytes are not in the stockroom yet"
		if c.After.Being == tree.Absent {
			c.keep = "will go; its bytes are not in the stockroom yet"
		}
	}
	if c.After.Being == tree.Content {
		if !m.req.Held(c.After.Digest) {
			m.never("bytes-gone", g.path, "Stage the archive that holds them again.", "The bytes for %s are no longer in the stockroom.", g.path)
			return
		}
		m.coming[g.path] = true
		m.needFolders(g.path)
	} else {
		m.going[g.path] = true
		for _, up := range g.path.Ancestors() {
			if m.req.Ledger[up].State.Being == tree.Folder {
				m.maybe[up] = "empty once its files are gone"
			}
		}
	}
	if limit := m.req.Host.UploadLimit; limit > 0 && c.After.Size > limit {
		m.never("over-upload-limit", g.path, "If the host offers another way in, such as SFTP, switch to that: server edit. If the limit is no longer so: server edit --upload-limit.",
			"%s is %d bytes long, and this way into the server takes %d at most.", g.path, c.After.Size, limit)
	}
	c.at = len(m.d.Changes)
	m.d.Changes = append(m.d.Changes, *c.Change)
	c.Change = nil
	m.changes = append(m.changes, c)
}

func isFolderGoal(g *goal, row Row) bool {
	if g.back != nil {
		return g.back.From.Being == tree.Folder || g.back.To.Being == tree.Folder
	}
	return g.after.Being == tree.Absent && row.State.Being == tree.Folder
}

func (m *maker) folderGoal(g *goal, seen Seen) {
	switch {
	case g.after.Being == tree.Folder && seen.State.Being == tree.Absent:
		if m.mayTouch(g.path) {
			m.needFolders(g.path)
			if g.after.Mode != 0 && g.after.Mode != newFolder {
				m.folderMode[g.path] = g.after.Mode
			}
			m.makeFolder(g.path)
		}
	case g.after.Being == tree.Absent && seen.State.Being == tree.Folder:
		m.maybe[g.path] = g.reason
	}
}

// settled is a path that needs no motion: only the ledger may have to learn.
func (m *maker) settled(g *goal, c change, row Row, known bool) {
	if c.After.Being == tree.Content {
		m.d.Counts.Same++
		if !known && g.back == nil {
			m.say(finding.Note, "already-there", g.path, "", "%s is on the server already, with the same bytes; the ledger takes it in.", g.path)
		}
	}
	// Nothing and no claims on either side: there is nothing to write down.
	if !known && (c.After.Being == tree.Absent || len(g.claims) == 0) {
		return
	}
	if known && row.State.Same(c.After) && sameClaims(row.Claims, g.claims) {
		return
	}
	m.d.Changes = append(m.d.Changes, *c.Change)
}

// standsRight checks what stands at the path against what the ledger or the
// rollback expects. It tells whether motions may be drafted; a block that a
// person can accept does not hinder that.
func (m *maker) standsRight(g *goal, now tree.State, row Row, known bool) bool {
	switch {
	case now.Being == tree.Foreign:
		m.never("foreign-in-way", g.path, "Take it away by hand if it should go.", "%s is a link or device on the server; such things are never touched.", g.path)
		return false
	case now.Being == tree.Folder:
		m.never("folder-in-way", g.path, "Rename or remove the folder by hand.", "%s is a folder on the server, and a file shall go there.", g.path)
		return false
	case g.back != nil:
		if !now.SameBytes(g.back.From) {
			by := "outside of Restless Crate"
			if g.back.Later != "" {
				by = "by " + g.back.Later
			}
			m.say(finding.Block, "changed-since", g.path,
				fmt.Sprintf("Accept changed-since=%s to take that back too, or leave the path as it is.", g.path),
				"%s was changed since, %s.", g.path, by)
		}
	case now.Being == tree.Absent:
		if known && row.State.Being == tree.Content && len(row.Claims) > 0 {
			m.say(finding.Warn, "missing-file", g.path, "It is put there again.", "%s belongs to %s and is gone from the server.", g.path, row.Claims[0].Label)
		}
	case !known:
		m.say(finding.Block, "unknown-file", g.path,
			fmt.Sprintf("Accept unknown-file=%s to take it over; its bytes are kept first.", g.path),
			"A file that the ledger does not know is at %s, with other bytes.", g.path)
	case !now.SameBytes(row.State):
		m.say(finding.Block, "changed-file", g.path,
			fmt.Sprintf("Accept changed-file=%s to go on; the changed bytes are kept first.", g.path),
			"%s was changed on the server since it was put there%s.", g.path, of(row.Claims))
	}
	return true
}

func of(claims []Claim) string {
	if len(claims) == 0 {
		return ""
	}
	return " by " + claims[0].Label
}

// longest is how many bytes one name may have on the file systems of hosts.
const longest = 255

// mayTouch checks the path itself: protected paths and our own work folder.
func (m *maker) mayTouch(p tree.Path) bool {
	if p.Within(Work) {
		m.never("protected", p, "", "%s is inside the work folder of Restless Crate.", p)
		return false
	}
	for _, part := range p.Parts() {
		if len(part) > longest {
			m.never("name-too-long", p, "Lay it out under a shorter name: crate place, or crate set --name.", "%q in %s is %d bytes long; hosts take at most %d for one name.", strings.ToValidUTF8(part[:20], "")+"…", p.Dir(), len(part), longest)
			return false
		}
	}
	for _, glob := range m.req.Protected {
		if doublestar.MatchUnvalidated(glob, string(p)) {
			m.never("protected", p, "", "%s is protected by the rulebook (%s) and is never touched.", p, glob)
			return false
		}
	}
	return true
}

// needFolders makes sure that the folders above p can be had.
func (m *maker) needFolders(p tree.Path) {
	for _, up := range p.Ancestors() {
		switch m.obs.At(up).State.Being {
		case tree.Absent:
			m.makeFolder(up)
		case tree.Content:
			m.never("file-in-way", up, "Rename or remove the file by hand.", "%s is a file on the server, and a folder shall be there for %s.", up, p)
			return
		case tree.Foreign:
			m.never("foreign-in-way", up, "Point the server's root at where the link leads, or take it away by hand.", "%s is a link on the server; links are not followed, so nothing can go below it.", up)
			return
		}
	}
}

func (m *maker) makeFolder(p tree.Path) {
	if m.folders[p] {
		return
	}
	m.folders[p] = true
	m.d.Changes = append(m.d.Changes, Change{Path: p, Before: tree.Nothing, After: m.folderState(p)})
}

// newFolder is what a new folder may: what everybody expects.
const newFolder = 0o755

// folderState is what a folder that is to be made shall be.
func (m *maker) folderState(p tree.Path) tree.State {
	return m.modes(tree.State{Being: tree.Folder, Mode: cmp.Or(m.folderMode[p], newFolder)})
}

// caseClashes finds neighbours whose spellings differ in case only, where the
// server takes such two for one.
func (m *maker) caseClashes() {
	if !m.req.CaseBlind && !m.req.Host.CaseBlind {
		return
	}
	there := map[string]tree.Path{}
	for _, p := range slices.Sorted(maps.Keys(m.obs.Paths)) {
		if !m.going[p] {
			there[p.Fold()] = p
		}
	}
	arriving := slices.Concat(slices.Collect(maps.Keys(m.folders)), slices.Collect(maps.Keys(m.coming)))
	slices.Sort(arriving)
	for _, p := range arriving {
		if q, taken := there[p.Fold()]; taken && q != p {
			m.never("case-clash", p, "Rename one of the two.", "%s and %s differ only in case, and this server takes them for one.", p, q)
		}
		there[p.Fold()] = p
	}
}

// dropFolders decides which folders of ours become empty, the deepest first.
func (m *maker) dropFolders() {
	list := slices.SortedFunc(maps.Keys(m.maybe), func(a, b tree.Path) int { return byDepth(b, a) })
	children := map[tree.Path][]tree.Path{}
	for p := range m.obs.Paths {
		if _, goes := m.maybe[p.Dir()]; goes {
			children[p.Dir()] = append(children[p.Dir()], p)
		}
	}
	used := map[tree.Path]bool{}
	for _, arriving := range []map[tree.Path]bool{m.coming, m.folders} {
		for p := range arriving {
			used[p] = true
			for _, up := range p.Ancestors() {
				used[up] = true
			}
		}
	}
	for _, f := range list {
		if used[f] || m.obs.At(f).State.Being != tree.Folder {
			continue
		}
		var stay []string
		for _, p := range children[f] {
			if !m.going[p] && !m.dropped[p] {
				stay = append(stay, p.Base())
			}
		}
		if len(stay) > 0 {
			slices.Sort(stay)
			m.say(finding.Note, "left-alone", f, "", "The folder %s stays: it holds %s, which this deployment does not own.", f, words.Few(stay))
			continue
		}
		m.dropped[f] = true
		m.d.Changes = append(m.d.Changes, Change{Path: f, Before: m.obs.At(f).State, After: tree.Nothing})
	}
}

// afterOf is the state a wanted file shall have: a replaced file's permission
// bits stay, a new one gets the usual ones.
func (m *maker) afterOf(g *goal, now tree.State) tree.State {
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

func (m *maker) modes(s tree.State) tree.State {
	if !m.req.Host.Modes {
		s.Mode = 0
	}
	return s
}
