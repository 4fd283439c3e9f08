package adopt

import (
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
)

// unknown are the things, of those that are wanted, that the ledger does not know, sorted by path.
func (l *looking) unknown(wanted func(tree.Path) bool) []tree.Entry {
	paths := make([]tree.Path, 0, len(l.all))
	for p := range l.all {
		if row, known := l.ledger[p]; (!known || len(row.Claims) == 0) && wanted(p) {
			paths = append(paths, p)
		}
	}
	slices.Sort(paths)
	out := make([]tree.Entry, len(paths))
	for i, p := range paths {
		out[i] = l.all[p]
	}
	return out
}

// candidates are what looks like an add-on by its names.
func (l *looking) candidates() ([]Found, error) {
	entries := l.unknown(func(tree.Path) bool { return true })
	var on layout.OnTree
	var deep []layout.Deep
	var g errgroup.Group
	g.Go(func() (err error) { on, err = layout.Read(l.book, l.srv.Variables, entries); return err })
	g.Go(func() error { deep = layout.TooDeep(l.book, l.srv.Variables, entries); return nil })
	l.keep(entries)
	if err := g.Wait(); err != nil {
		return nil, err
	}
	out := l.unowned(on)
	for _, d := range deep {
		out = append(out, Found{Path: d.Top, Kind: d.Kind, Name: d.Name, Version: d.Version, Deep: d.Marker})
	}
	slices.SortFunc(out, func(a, b Found) int { return strings.Compare(string(a.Path), string(b.Path)) })
	return out, nil
}

// unowned are the add-ons of a tree that do not lie where something was deployed: a file beside it, in
// the same folder, is no other add-on.
func (l *looking) unowned(on layout.OnTree) (out []Found) {
	for _, a := range on.Addons {
		if !l.owned(a.Path) {
			out = append(out, Found{Path: a.Path, Kind: a.Kind, Name: a.Name, Version: a.Version})
		}
	}
	return out
}

// keep notes which files the ledger does not know.
func (l *looking) keep(entries []tree.Entry) {
	l.files = slices.DeleteFunc(slices.Clone(entries), func(e tree.Entry) bool { return e.Dir })
}

// below are the files in a folder that the ledger does not know.
func (l *looking) below(folder tree.Path) []tree.Entry {
	at := func(p tree.Path) int {
		i, _ := slices.BinarySearchFunc(l.files, p, byPath)
		return i
	}
	return l.files[at(folder+"/"):at(folder+"0")] // "0" is what follows "/"
}

// byPath compares an entry with a path, for a search in sorted ones.
func byPath(e tree.Entry, p tree.Path) int { return strings.Compare(string(e.Path), string(p)) }

// owned tells whether something was deployed at a path, or in a folder.
func (l *looking) owned(p tree.Path) bool { return l.deployed[p] }

// withAbove are paths with all folders above them.
func withAbove(paths []tree.Path) map[tree.Path]bool {
	out := map[tree.Path]bool{}
	for _, p := range paths {
		for ; p != tree.Root && !out[p]; p = p.Dir() {
			out[p] = true
		}
	}
	return out
}
