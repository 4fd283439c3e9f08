package propose

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// clue is a value that evidence speaks for. The weights only rank: a thing
// seen on the server counts more than one seen in a download, and seen in
// both counts most.
type clue struct {
	value  string
	why    string
	weight int
}

const (
	onServer   = 10
	inDownload = 6
)

// notes are suffixes and names that are beside add-ons, never add-ons.
var notes = []string{".md", ".txt", ".png", ".jpg", ".jpeg", ".psd", ".pdf", ".html", ".log", ".keep", ".url", ".webp"}

func isNote(p tree.Path) bool {
	base := strings.ToLower(p.Base())
	return strings.HasPrefix(base, ".") || strings.HasPrefix(base, "readme") || strings.HasPrefix(base, "license") || slices.Contains(notes, path.Ext(base))
}

// Secret tells whether a file looks like a key or a secret of a server by its name.
func Secret(p tree.Path) bool {
	base := strings.ToLower(p.Base())
	return slices.Contains([]string{".key", ".pem", ".seal", ".p12"}, path.Ext(base)) || strings.Contains(base, "secret") || strings.Contains(base, "password") || strings.Contains(base, "token")
}

// tally gathers clues by value.
type tally struct {
	order []string
	by    map[string]*clue
}

func (t *tally) add(value, why string, weight int) {
	if t.by == nil {
		t.by = map[string]*clue{}
	}
	c, ok := t.by[value]
	if !ok {
		c = &clue{value: value}
		t.by[value] = c
		t.order = append(t.order, value)
	}
	c.weight += weight
	if !strings.Contains(c.why, why) {
		c.why = strings.TrimPrefix(c.why+"; "+why, "; ")
	}
}

func (t *tally) ranked() []clue {
	out := make([]clue, len(t.order))
	for i, v := range t.order {
		out[i] = *t.by[v]
	}
	slices.SortStableFunc(out, func(a, b clue) int { return cmp.Compare(b.weight, a.weight) })
	return out[:min(len(out), 6)]
}

func first(clues []clue) clue {
	if len(clues) == 0 {
		return clue{}
	}
	return clues[0]
}

func bestMarker(e Evidence) clue  { return first(markers(e)) }
func bestSuffix(e Evidence) clue  { return first(singleSuffixes(e)) }
func looseSuffix(e Evidence) clue { return first(looseSuffixes(e)) }

// markers finds file names that stand in several folders beside each other on
// the server, or once at the root of a download's only folder.
func markers(e Evidence) []clue {
	var t tally
	order, beside := spots(e.Tree)
	for _, s := range order {
		switch n := beside[s]; {
		case n > 1:
			t.add(s.name, fmt.Sprintf("%d folders in %s on the server hold one", n, s.above), onServer+min(n, 5))
			if stem := strings.TrimSuffix(s.name, path.Ext(s.name)); strings.HasPrefix(tree.Fold(s.above.Base()), tree.Fold(stem)) {
				t.add(s.name, "the folder around them is called like it", 2)
			}
		case s.above != tree.Root:
			t.add(s.name, fmt.Sprintf("a folder in %s on the server holds one", s.above), 1)
		}
	}
	above := map[string][]tree.Path{}
	for _, s := range order {
		above[s.name] = append(above[s.name], s.above)
	}
	for _, s := range order {
		if all := above[s.name]; len(all) > 1 && all[0] == s.above {
			if at, why := grouped(all); at != "" {
				t.add(s.name, why, onServer+min(len(all), 5))
			}
		}
	}
	for _, d := range e.Downloads {
		top := topFiles(d)
		for _, p := range top {
			t.add(p.Base(), fmt.Sprintf("%s has it at the top of %s", d.Filename, p.Dir()), inDownload-min(len(top), 4))
		}
	}
	return withSeconds(e, t.ranked())
}

// withSeconds puts the best marker together with the one that others of its sort have.
func withSeconds(e Evidence, clues []clue) []clue {
	if len(clues) == 0 {
		return nil
	}
	for _, s := range seconds(e, clues[0].value) {
		both := clue{clues[0].value + ", " + s.value, clues[0].why + "; " + s.why, clues[0].weight + s.weight}
		clues = slices.Insert(slices.DeleteFunc(clues, func(c clue) bool { return c.value == s.value }), 0, both)
	}
	return clues
}

// spot is a file name in folders beside each other.
type spot struct {
	above tree.Path
	name  string
}

// spots counts, for every file name, in how many folders beside each other it stands.
func spots(entries []tree.Entry) (order []spot, beside map[spot]int) {
	beside = map[spot]int{}
	for _, x := range entries {
		if x.Dir || isNote(x.Path) || x.Path.Depth() < 2 {
			continue
		}
		s := spotOf(x.Path)
		if beside[s] == 0 {
			order = append(order, s)
		}
		beside[s]++
	}
	return order, beside
}

func spotOf(p tree.Path) spot { return spot{p.Dir().Dir(), p.Base()} }

// topFiles gives a download's shallowest files that are in a folder and no notes.
func topFiles(d Download) (out []tree.Path) {
	for _, x := range d.Entries {
		if x.Dir || isNote(x.Path) || x.Path.Depth() < 2 {
			continue
		}
		switch {
		case len(out) > 0 && x.Path.Depth() > out[0].Depth():
		case len(out) > 0 && x.Path.Depth() < out[0].Depth():
			out = []tree.Path{x.Path}
		default:
			out = append(out, x.Path)
		}
	}
	return out
}

// singleSuffixes finds suffixes of which a folder on the server holds several,
// and of which a download is one or holds just one.
func singleSuffixes(e Evidence) []clue {
	var t tally
	_, beside := spots(e.Tree)
	marked := map[tree.Path]bool{} // folders that are add-ons themselves
	for _, x := range e.Tree {
		if !x.Dir && x.Path.Depth() > 1 && beside[spotOf(x.Path)] > 1 {
			marked[x.Path.Dir()] = true
		}
	}
	for _, f := range foldersBySuffix(e.Tree) {
		if f.n > 1 && f.folder != tree.Root && !marked[f.folder] {
			weight := onServer + min(f.n, 5)
			if f.folder.Depth() > 1 {
				weight -= inDownload // deeper down, such files are rather parts of something
			}
			t.add("*"+f.suffix, fmt.Sprintf("%s on the server holds %d of them", f.folder, f.n), weight)
		}
	}
	for _, d := range e.Downloads {
		if suffix := path.Ext(d.Filename); len(d.Entries) == 0 && suffix != "" {
			t.add("*"+suffix, fmt.Sprintf("%s is one", d.Filename), onServer)
			continue
		}
		by := map[string][]tree.Path{}
		for _, x := range d.Entries {
			if !x.Dir && !isNote(x.Path) {
				by[path.Ext(x.Path.Base())] = append(by[path.Ext(x.Path.Base())], x.Path)
			}
		}
		for suffix, paths := range by {
			if len(paths) == 1 && len(by) == 1 && suffix != "" {
				t.add("*"+suffix, fmt.Sprintf("%s holds nothing else but notes", d.Filename), inDownload)
			}
		}
	}
	return t.ranked()
}

// looseSuffixes finds suffixes of files that lie at the top of a download with
// no folder around them.
func looseSuffixes(e Evidence) []clue {
	var t tally
	for _, d := range e.Downloads {
		n := map[string]int{}
		var order []string
		for _, x := range d.Entries {
			if x.Dir || isNote(x.Path) || x.Path.Depth() > 1 {
				continue
			}
			suffix := path.Ext(x.Path.Base())
			if n[suffix] == 0 {
				order = append(order, suffix)
			}
			n[suffix]++
		}
		for _, suffix := range order {
			if n[suffix] > 1 && suffix != "" {
				t.add("*"+suffix, fmt.Sprintf("%s has %d of them and no folder", d.Filename, n[suffix]), onServer+3)
			}
		}
	}
	return t.ranked()
}

type suffixed struct {
	folder tree.Path
	suffix string
	n      int
}

func foldersBySuffix(entries []tree.Entry) []suffixed {
	var out []suffixed
	for _, x := range entries {
		suffix := path.Ext(x.Path.Base())
		if x.Dir || isNote(x.Path) || suffix == "" {
			continue
		}
		i := slices.IndexFunc(out, func(s suffixed) bool { return s.folder == x.Path.Dir() && s.suffix == suffix })
		if i < 0 {
			out = append(out, suffixed{x.Path.Dir(), suffix, 1})
			continue
		}
		out[i].n++
	}
	return out
}

// atRoot is why any folder at the root may be a place.
const atRoot = "it is a folder at the server's root"

// groupWord stands in a place for a folder that add-ons share.
const groupWord = "{group}"

// places finds where on the server such add-ons lie already.
func places(e Evidence, f form) []clue {
	var t tally
	var above []tree.Path
	for _, x := range e.Tree {
		if x.Dir || !f.signed(x.Path.Base()) {
			continue
		}
		switch {
		case f.shape == Folder && x.Path.Depth() > 1:
			t.add(x.Path.Dir().Dir().String(), "such folders lie there already", onServer)
			above = append(above, x.Path.Dir().Dir())
		case f.shape == Loose && x.Path.Depth() > 1:
			t.add(x.Path.Dir().Dir().String(), "folders with such files lie there already", onServer)
		case f.shape == Single:
			t.add(x.Path.Dir().String(), "such files lie there already", onServer)
		}
	}
	if at, why := grouped(above); at != "" {
		t.add(at, why, onServer*(len(above)+1))
	}
	for _, x := range e.Tree {
		name := strings.ToLower(x.Path.Base())
		if x.Dir && x.Path.Depth() <= 2 && slices.ContainsFunc([]string{"mod", "plugin", "addon", "add-on", "resource", "package"}, func(w string) bool { return strings.HasPrefix(name, w) }) {
			t.add(string(x.Path), "its name says so", 4)
		}
	}
	for _, x := range e.Tree {
		if x.Dir && x.Path.Depth() <= 2 && f.called(x.Path.Base()) {
			t.add(string(x.Path), "it is called like them", 5)
		}
		if x.Dir && x.Path.Depth() == 1 {
			t.add(string(x.Path), atRoot, 0)
		}
	}
	return t.ranked()
}

// called tells whether a folder has the name of what the form's signs are of: parts for
// part.toml, packs for *.pack.
func (f form) called(folder string) bool {
	return slices.ContainsFunc(f.signs, func(sign string) bool {
		stem := strings.TrimLeft(sign, "*.")
		if f.shape == Folder {
			stem = strings.TrimSuffix(sign, path.Ext(sign))
		}
		return len(stem) > 2 && strings.HasPrefix(tree.Fold(folder), tree.Fold(stem))
	})
}

// grouped finds that add-ons lie in several folders beside each other that are no add-ons
// themselves: in groups, whose names end alike or that have a folder to themselves.
func grouped(above []tree.Path) (place, why string) {
	var groups []string
	for _, p := range above {
		if p == tree.Root || p.Dir() != above[0].Dir() {
			return "", ""
		}
		if !slices.Contains(groups, p.Base()) {
			groups = append(groups, p.Base())
		}
	}
	if len(groups) < 2 {
		return "", ""
	}
	suffix := path.Ext(groups[0])
	for _, g := range groups {
		if path.Ext(g) != suffix || g == suffix {
			suffix = ""
		}
	}
	in := above[0].Dir()
	if in == tree.Root && suffix == "" {
		return "", "" // any two folders of a server are beside each other
	}
	slices.Sort(groups)
	return path.Join(string(in), groupWord+suffix), fmt.Sprintf("such folders lie in several groups there: %s", list(groups))
}

// seconds finds a marker that stands in those folders beside the others that lack the first:
// the same add-on under an older or newer name of its manifest.
func seconds(e Evidence, marker string) []clue {
	holds, has := map[tree.Path]map[string]bool{}, map[tree.Path]bool{}
	for _, x := range e.Tree {
		if x.Dir || isNote(x.Path) || x.Path.Depth() < 2 {
			continue
		}
		d := x.Path.Dir()
		if holds[d] == nil {
			holds[d] = map[string]bool{}
		}
		holds[d][x.Path.Base()] = true
		if x.Path.Base() == marker {
			has[d.Dir()] = true
		}
	}
	var lack []tree.Path
	for d := range holds {
		if has[d.Dir()] && !holds[d][marker] {
			lack = append(lack, d)
		}
	}
	if len(lack) == 0 {
		return nil
	}
	slices.Sort(lack)
	var t tally
	for name := range holds[lack[0]] {
		everywhere := path.Ext(name) == path.Ext(marker) && name != lack[0].Base()+path.Ext(name)
		for d := range holds {
			if has[d.Dir()] {
				everywhere = everywhere && holds[d][name] != holds[d][marker]
			}
		}
		if everywhere {
			t.add(name, fmt.Sprintf("%s has it instead", list(stringsOf(lack))), len(lack))
		}
	}
	if c := t.ranked(); len(c) == 1 { // of two nobody knows which it is
		return c
	}
	return nil
}

func stringsOf(paths []tree.Path) (out []string) {
	for _, p := range paths {
		out = append(out, string(p))
	}
	return out
}

func list(words []string) string { return strings.Join(words, ", ") }
