package layout

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
)

// root is where in an archive an add-on begins.
type root struct {
	folder tree.Path
	whole  bool               // the archive itself is the one file
	repack tree.Path          // with whole: the folder in it that is packed anew
	only   *tree.Entry        // of several single files beside each other, this one
	file   *tree.Entry        // the single file that is the add-on, where it came alone
	rest   map[tree.Path]bool // of what is beside the add-ons of a pack, these files
	stems  []stem             // where a name may be read, the best first
	why    string             // for the crate
	chosen string             // from which download on a person has chosen it
	reason string             // for each of its files
}

// stem is a text that may hold a name and a version, and what it is.
type stem struct{ text, from string }

// path is the path of the root: the single file, or the folder.
func (r root) path() tree.Path {
	if r.only != nil {
		return r.only.Path
	}
	return r.folder
}

// roots finds where a kind's add-ons begin; none means that it does not fit.
func (l rooting) roots(k *rulebook.Kind) []root {
	switch {
	case len(k.Single) > 0:
		return l.single(k)
	case len(k.Marker) > 0:
		return l.marked(k)
	case len(k.Folders) > 0:
		return l.shaped(k)
	case len(k.Rest) > 0:
		return nil // once the others are known
	default:
		return l.loose(k)
	}
}

func (l rooting) single(k *rulebook.Kind) []root {
	a := l.archive
	if globbed(k.Single, tree.Path(a.Filename)) && l.holds(k) {
		return []root{{whole: true, stems: []stem{fileStem(a.Filename)},
			why: "the downloaded file is the add-on", reason: "a single file that is the add-on"}}
	}
	if deep := l.tooDeep(k); len(k.Holds) > 0 && len(deep) > 0 {
		return deep
	}
	var out []root
	for _, e := range l.files {
		if globbed(k.Single, tree.Path(e.Path.Base())) && l.packedHolds(k, e.Path) {
			out = append(out, root{folder: e.Path.Dir(), only: &e, stems: []stem{fileStem(e.Path.Base()), fileStem(a.Filename)},
				why: fmt.Sprintf("%s is the add-on", e.Path), reason: "a single file that is the add-on"})
		}
	}
	if len(out) == 1 {
		out[0].file, out[0].only = out[0].only, nil // it is alone, so what is beside it may belong to it
	}
	return out
}

// tooDeep finds a packed add-on whose contents lie one folder too deep.
func (l rooting) tooDeep(k *rulebook.Kind) []root {
	if !k.Repack || !globbed(k.Single, tree.Path(l.archive.Filename)) || len(l.files) == 0 {
		return nil
	}
	folder := tree.Path(l.files[0].Path.Parts()[0])
	for _, e := range l.files {
		if _, below := e.Path.Below(folder); !below {
			return nil
		}
	}
	for _, glob := range k.Holds {
		if !slices.ContainsFunc(l.files, func(e tree.Entry) bool { rel, _ := e.Path.Below(folder); return globbed([]string{glob}, rel) }) {
			return nil
		}
	}
	return []root{{whole: true, repack: folder, stems: []stem{fileStem(l.archive.Filename)},
		why: fmt.Sprintf("its marker was one folder too deep, in %s", folder), reason: "packed anew: its marker was one folder too deep"}}
}

// holds tells whether a file that is itself an archive has what the kind asks
// for at its root.
func (l rooting) holds(k *rulebook.Kind) bool {
	for _, glob := range k.Holds {
		if !slices.ContainsFunc(l.files, func(e tree.Entry) bool { return globbed([]string{glob}, e.Path) }) {
			return false
		}
	}
	return true
}

// packedHolds tells the same of a file in an archive. What is not seen into is believed by
// its name.
func (l rooting) packedHolds(k *rulebook.Kind, file tree.Path) bool {
	in := l.readings().packed(file)
	if len(in) == 0 {
		return true
	}
	for _, glob := range k.Holds {
		if !slices.ContainsFunc(in, func(p part) bool { return globbed([]string{glob}, p.rel) }) {
			return false
		}
	}
	return true
}

func (l rooting) marked(k *rulebook.Kind) []root {
	var hits []tree.Entry
	for _, e := range l.files {
		if globbed(k.Marker, tree.Path(e.Path.Base())) {
			hits = append(hits, e)
		}
	}
	slices.SortStableFunc(hits, func(x, y tree.Entry) int { return x.Path.Depth() - y.Path.Depth() })
	// A marker below another marker's folder belongs to that add-on.
	var out []root
	for _, h := range hits {
		folder := h.Path.Dir()
		if slices.ContainsFunc(out, func(o root) bool { return folder.Within(o.folder) }) {
			continue
		}
		r := root{folder: folder, stems: l.stemsOf(folder), why: fmt.Sprintf("%s marks the root", h.Path), reason: h.Path.Base() + " marks the root"}
		if folder.Depth() > 1 {
			r.reason += "; wrapper " + string(folder.Dir()) + " dropped"
		}
		out = append(out, r)
	}
	return out
}

// shaped finds the folders that hold folders of certain names.
func (l rooting) shaped(k *rulebook.Kind) []root {
	var out []root
	seen := map[tree.Path]bool{}
	for _, e := range l.files {
		for _, up := range e.Path.Ancestors() {
			if !globbed(k.Folders, tree.Path(up.Base())) || seen[up.Dir()] {
				continue
			}
			folder := up.Dir()
			seen[folder] = true
			if slices.ContainsFunc(out, func(o root) bool { return folder.Within(o.folder) }) {
				continue
			}
			r := root{folder: folder, stems: l.stemsOf(folder), why: fmt.Sprintf("%s holds the folder %s", folder, up.Base()),
				reason: "kept relative to the folder that holds " + up.Base()}
			out = append(slices.DeleteFunc(out, func(o root) bool { return o.folder.Within(folder) }), r)
		}
	}
	return out
}

func (l rooting) loose(k *rulebook.Kind) []root {
	var top []tree.Path // the shallowest folders that hold such files
	for _, e := range l.files {
		if !globbed(k.Loose, tree.Path(e.Path.Base())) {
			continue
		}
		dir := e.Path.Dir()
		switch {
		case len(top) > 0 && dir.Depth() > top[0].Depth(), slices.Contains(top, dir):
		case len(top) > 0 && dir.Depth() < top[0].Depth():
			top = []tree.Path{dir}
		default:
			top = append(top, dir)
		}
	}
	out := make([]root, len(top))
	for i, dir := range top {
		out[i] = root{folder: dir, stems: l.stemsOf(dir), why: "loose files in the folder " + dir.String(), reason: "loose files; a folder is made around them"}
		if dir == tree.Root {
			out[i].why = "loose files without a folder"
		}
	}
	return out
}

// stemsOf lists where the name of a folder's add-on may be read: the folder,
// the wrappers from the inside out, the file name.
func (l rooting) stemsOf(folder tree.Path) []stem {
	parts := folder.Parts()
	slices.Reverse(parts)
	var out []stem
	for _, p := range parts {
		out = append(out, stem{p, "the folder " + p})
	}
	return append(out, fileStem(l.archive.Filename))
}

func fileStem(file string) stem {
	text := strings.TrimSuffix(file, path.Ext(file))
	return stem{strings.TrimSuffix(text, ".tar"), "the file name " + file}
}

func globbed(globs []string, p tree.Path) bool {
	return slices.ContainsFunc(globs, func(g string) bool { return doublestar.MatchUnvalidated(g, string(p)) })
}

// cleanBase is a file's name without a browser's copy counter.
func cleanBase(p tree.Path) string {
	ext := path.Ext(p.Base())
	return version.DropCounter(strings.TrimSuffix(p.Base(), ext)) + ext
}

// rooting finds the folders in an archive that are add-ons.
type rooting struct{ *laying }

func (l *laying) rooting() rooting { return rooting{l} }
