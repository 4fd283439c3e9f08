package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// NameRule tells how the names of a load list stand on the server's disk: as
// folders below Folder, or as files with a suffix. Name turns what stands there
// into a name; nil takes it as it is, without its suffix unless Whole.
type NameRule struct {
	Folder  tree.Path
	Folders bool
	Suffix  string
	Whole   bool
	Name    func(base string) string
}

// Listed is a load list of the rulebook on this server, with where the names in
// it come from.
type Listed struct {
	Path  tree.Path
	Name  string
	List  settings.List
	Rules []NameRule
	// Proves is set where every name in the list must come from one of Rules, or be
	// Listless, which tells of names that the list may hold without a thing on disk.
	Proves   bool
	Listless func(name string) bool
	// Whole is set where the list has entries that are no names.
	Whole bool
	// Elsewhere tells of folders that hold add-ons and are none.
	Elsewhere func(p tree.Path) bool
}

// names compares the names in a text that was changed with what will be there.
func (m *decider) names(e *edited, after []byte) {
	for _, l := range m.req.Lists {
		if l.Path != e.path {
			continue
		}
		items, err := l.List.Read(after)
		if err != nil {
			continue // another list's error was told
		}
		if !l.Whole {
			m.byHand(e, l, items)
		}
		m.takenOut(e, l, items)
		m.outOfOrder(e, l, items)
		there := map[string]bool{} // whether it is known that it belongs to an add-on
		if len(l.Rules) > 0 {
			left := m.remains()
			for _, r := range l.Rules {
				m.onDisk(l, r, left, there)
			}
		}
		if l.Proves {
			m.nothing(e, l, items, there)
		}
		for _, name := range slices.Sorted(maps.Keys(there)) {
			if !there[name] && !m.isListed(e, l, name) && !slices.ContainsFunc(items, func(i settings.Item) bool { return i.Key == name }) {
				m.report(finding.Note, "not-listed", e.path, "", "%s is on the server, and %s does not name it.", name, e.path)
			}
		}
	}
}

// nothing tells of names in a list that name nothing that will be there.
func (m *decider) nothing(e *edited, l Listed, items []settings.Item, there map[string]bool) {
	free := maps.Clone(there) // what no entry names yet
	for _, i := range items {
		delete(free, i.Key)
	}
	for _, i := range items {
		if _, is := there[i.Key]; i.Off || i.Key == "" || is || l.Listless != nil && l.Listless(i.Key) || m.isListed(e, l, i.Key) {
			continue
		}
		*m.findings = append(*m.findings, l.noSuch(i, free))
	}
}

// isListed tells whether an entry is one of ours.
func (m *decider) isListed(e *edited, l Listed, key string) bool {
	return slices.ContainsFunc(e.listed, func(o Listing) bool { return o.Name == l.Name && o.Key == key })
}

// takenOut tells of entries of ours that somebody has taken out of the text.
func (m *decider) takenOut(e *edited, l Listed, items []settings.Item) {
	for _, o := range e.listed {
		if o.Name != l.Name || o.Off || slices.ContainsFunc(items, func(i settings.Item) bool { return i.Key == o.Key }) {
			continue
		}
		m.report(finding.Warn, "not-listed", e.path, "Deploy it again if the server is to load it.", "%s does not name %s any more, which %s needs; somebody has taken the entry out.", e.path, o.Key, o.Label)
	}
}

// outOfOrder tells of entries of ours that stand in front of what they need, in a list in which
// the order counts: new ones find their place, but people move lines.
func (m *decider) outOfOrder(e *edited, l Listed, items []settings.Item) {
	if l.List.Order != settings.ByNeeds {
		return
	}
	type entry struct {
		settings.Item
		addon string
	}
	var ours []entry
	for _, i := range items {
		if n := slices.IndexFunc(e.listed, func(o Listing) bool { return o.Name == l.Name && o.Key == i.Key }); n >= 0 && !i.Off {
			ours = append(ours, entry{i, e.listed[n].Addon})
		}
	}
	for n, i := range ours {
		for _, later := range ours[n+1:] {
			if slices.Contains(m.req.Company.Requires[i.addon], later.addon) {
				m.report(finding.Warn, "wrong-order", e.path, "Move its entry behind that one by hand.", "%s names %s in front of %s, which it needs; what stands first is loaded first.", e.path, i.Key, later.Key)
			}
		}
	}
}

func differs(a, b string) string {
	if strings.EqualFold(a, b) {
		return ", which differs in case"
	}
	return ""
}

// byHand shows the entries that are of no add-on of the ledger.
func (m *decider) byHand(e *edited, l Listed, items []settings.Item) {
	var others []string
	for _, i := range items {
		if i.Key != "" && !m.isListed(e, l, i.Key) {
			others = append(others, i.Key)
		}
	}
	if len(others) > 0 {
		m.report(finding.Note, "entries-by-hand", e.path, "", "%s also names %s, which no add-on of the ledger is; that is left as it is.", e.path, words.Few(others))
	}
}

// onDisk adds the names that one rule finds among what will be there, and of each whether
// it belongs to an add-on that the ledger or the draft knows.
func (m *decider) onDisk(l Listed, r NameRule, left remains, there map[string]bool) {
	bases := map[string]bool{}
	add := func(p tree.Path, being tree.Being, known bool) {
		rel, below := p.Below(r.Folder)
		if !below || rel.Depth() != 1 || (being == tree.Folder) != r.Folders || l.Elsewhere != nil && l.Elsewhere(p) {
			return
		}
		bases[rel.Base()] = bases[rel.Base()] || known
	}
	for p, s := range m.obs.Paths {
		switch {
		case m.going[p], left.loses[p] && !left.stays[p]:
		default:
			add(p, s.State.Being, left.stays[p] || len(m.req.Ledger[p].Claims) > 0)
		}
	}
	for p := range m.coming {
		add(p, tree.Content, true)
	}
	for p := range m.folders {
		add(p, tree.Folder, true)
	}
	for base, known := range bases {
		if name, ok := r.nameOf(base); ok {
			there[name] = there[name] || known
		}
	}
}

// nameOf gives the name by which a list would name what stands on disk.
func (r NameRule) nameOf(base string) (name string, ok bool) {
	name, ok = strings.CutSuffix(base, r.Suffix)
	if strings.HasPrefix(base, ".") || !ok {
		return "", false
	}
	switch {
	case r.Name != nil:
		name = r.Name(base)
	case r.Whole:
		name = base
	}
	return name, true
}

// Nothing tells of names in a list that name nothing on the server now. On lists what stands in a
// folder, folders or files; ok is false where that is not known, and then nothing is said. Ours
// are the entries that the ledger knows: of them a draft tells.
func (l Listed) Nothing(text []byte, ours []Listing, on func(folder tree.Path, folders bool) (names []string, ok bool)) (out []finding.Finding) {
	items, err := l.List.Read(text)
	if err != nil || !l.Proves {
		return nil
	}
	there := map[string]bool{}
	for _, r := range l.Rules {
		names, ok := on(r.Folder, r.Folders)
		if !ok {
			return nil
		}
		for _, base := range names {
			if name, ok := r.nameOf(base); ok && (l.Elsewhere == nil || !l.Elsewhere(r.Folder.Join(tree.Path(base)))) {
				there[name] = true
			}
		}
	}
	free := maps.Clone(there) // what no entry names yet
	for _, i := range items {
		delete(free, i.Key)
	}
	for _, i := range items {
		is := slices.ContainsFunc(ours, func(o Listing) bool { return o.Name == l.Name && o.Key == i.Key })
		if i.Off || i.Key == "" || there[i.Key] || is || l.Listless != nil && l.Listless(i.Key) {
			continue
		}
		out = append(out, l.noSuch(i, free))
	}
	return out
}

// noSuch says that an entry names nothing; free are the names that no entry has yet.
func (l Listed) noSuch(i settings.Item, free map[string]bool) finding.Finding {
	f := finding.Finding{Level: finding.Warn, Code: "listed-nothing", Path: l.Path, Mend: "Take the entry out by hand, or deploy what it names.",
		What: fmt.Sprintf("%s names %q in line %d, and there is no such thing on the server.", l.Path, i.Key, i.Line)}
	if near := words.Nearest(i.Key, slices.Sorted(maps.Keys(free))); near != "" {
		f.Mend = fmt.Sprintf("Write %s as it is on the server: %s.", i.Key, near)
		f.What = fmt.Sprintf("%s names %q in line %d, and the server has no such thing; it has %q%s.", l.Path, i.Key, i.Line, near, differs(i.Key, near))
	}
	return f
}

// remains are the folders in which something of the ledger stays, or comes, and those out of
// which something goes.
type remains struct{ stays, loses map[tree.Path]bool }

func (m *decider) remains() remains {
	out := remains{map[tree.Path]bool{}, map[tree.Path]bool{}}
	above := func(in map[tree.Path]bool, p tree.Path) {
		for p = p.Dir(); !in[p]; p = p.Dir() {
			in[p] = true
		}
	}
	for p, row := range m.req.Ledger {
		switch {
		case len(row.Claims) == 0:
		case m.going[p]:
			above(out.loses, p)
		default:
			above(out.stays, p)
		}
	}
	for p := range m.coming {
		above(out.stays, p)
	}
	return out
}
