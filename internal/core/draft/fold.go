package draft

import (
	"maps"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// fold finds out which folders become empty.
func fold(m decider) folding {
	f := folding{decider: m, dropped: map[tree.Path]bool{}}
	f.caseClashes()
	f.dropFolders()
	return f
}

// caseClashes finds neighbours whose spellings differ in case only, where the
// server takes such two for one.
func (m *folding) caseClashes() {
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
			m.refuse("case-clash", p, "Rename one of the two.", "%s and %s differ only in case, and this server takes them for one.", p, q)
		}
		there[p.Fold()] = p
	}
}

// emptied tells of folders that were there before us and will be empty: they are not ours to
// take away.
func (m *folding) emptied(used map[tree.Path]bool) {
	full := map[tree.Path]bool{}
	for p := range m.obs.Paths {
		if !m.going[p] && !m.dropped[p] {
			full[p.Dir()] = true
		}
	}
	for _, f := range slices.Sorted(maps.Keys(m.theirs)) {
		if !used[f] && !full[f] && f != tree.Root && m.obs.At(f).State.Being == tree.Folder {
			m.report(finding.Note, "folder-stays", f, "", "The folder %s is empty then. It was there before Restless Crate, so it stays.", f)
		}
	}
}

// dropFolders decides which folders of ours become empty, the deepest first.
func (m *folding) dropFolders() {
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
		there := m.obs.At(f).State
		if there.Being != tree.Folder || m.needed(f) {
			continue
		}
		claims := m.req.Ledger[f].Claims
		if used[f] {
			m.disowned(f, there, claims)
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
			m.disowned(f, there, claims)
			mend := ""
			made := m.made(f, children[f], list)
			if made {
				mend = "What the server has made there can go too: its bytes are kept, and a rollback brings it back."
			}
			n := m.report(finding.Note, "left-alone", f, mend, "The folder %s stays: it holds %s, which this deployment does not own.", f, words.Few(stay))
			if made {
				n.By(finding.SetAside.With(string(f)))
			}
			continue
		}
		m.dropped[f] = true
		m.all = append(m.all, Change{Path: f, Before: there, After: tree.Nothing, ClaimsBefore: claims})
	}
	m.emptied(used)
}

// made tells whether the folder of an add-on that goes holds something that nobody deployed, besides
// folders that stay for the same reason.
func (m *folding) made(f tree.Path, children, list []tree.Path) bool {
	if len(m.req.Remove) == 0 || m.req.Shared[f] {
		return false
	}
	return slices.ContainsFunc(children, func(p tree.Path) bool {
		_, known := m.req.Ledger[p]
		return !known && !m.going[p] && !m.dropped[p] && !slices.Contains(list, p)
	})
}
