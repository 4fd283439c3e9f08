package adopt

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
)

// asThere keeps of a crate what lies on the server, where it lies. below are the files in the add-on's
// folder that the ledger does not know, sorted by path.
func (l *looking) asThere(f *Found, c *layout.Crate, below []tree.Entry) {
	place, folder := l.placeOf(f.Path)
	isFolder, up := l.all[f.Path].Dir, f.Path.Dir()
	k := keeping{looking: l, below: below, kept: make([]bool, len(below)), files: c.Files[:0]} // one is read before its room is taken
	for _, x := range c.Files {
		at, ok := l.places[x.Place]
		if !ok {
			continue
		}
		actual := f.Path
		if isFolder {
			actual = up.Join(x.Source)
		}
		// Of what lies in the folder itself the length is what is there; 0 stands for any.
		if t := k.find(at.Join(x.Path)); t.there && (x.Size == 0 || t.Size == x.Size) {
			k.keep(x, t)
		} else if rel, in := actual.Below(at); in && x.Into == "" {
			x.Path = rel
			k.keep(x, k.find(actual))
		}
	}
	if isFolder { // what lies in its folder goes with it
		for i, e := range below {
			if rel, in := e.Path.Below(folder); in {
				k.keep(layout.File{Place: place, Path: rel, Reason: "it lies in the add-on's folder on the server"}, thing{e, true, i})
			}
		}
	}
	slices.SortFunc(k.files, func(a, b layout.File) int {
		if a.Place != b.Place {
			return strings.Compare(a.Place, b.Place)
		}
		return strings.Compare(string(a.Path), string(b.Path))
	})
	c.Files, c.Left, c.Folders, c.Says = k.files, nil, nil, nil
	c.Made, c.Why = true, "taken in as it lay on "+l.srv.Name+", at "+string(f.Path)
	f.crate = c
}

// keeping keeps files of an add-on, each once.
type keeping struct {
	*looking
	below []tree.Entry       // the files in its folder, which are nearly all
	kept  []bool             // which of them
	next  int                // the one behind that which was found last: they are mostly asked for in order
	other map[tree.Path]bool // what is kept that lies elsewhere
	files []layout.File
}

// thing is what lies at a path.
type thing struct {
	tree.Entry
	there bool // and is a file
	below int  // which one in the folder; -1 for one elsewhere
}

// find tells which file lies at a path.
func (k *keeping) find(p tree.Path) thing {
	i, there := k.next, k.next < len(k.below) && k.below[k.next].Path == p
	if !there {
		i, there = slices.BinarySearchFunc(k.below, p, byPath)
	}
	if there {
		k.next = i + 1
		return thing{k.below[i], true, i}
	}
	e, there := k.all[p]
	return thing{e, there && !e.Dir, -1}
}

// keep keeps a file as what lies there, unless that is kept already or belongs to another add-on.
func (k *keeping) keep(x layout.File, t thing) {
	switch {
	case !t.there:
		return
	case t.below >= 0:
		if k.kept[t.below] {
			return
		}
		k.kept[t.below] = true
	default:
		if row, known := k.ledger[t.Path]; k.other[t.Path] || known && len(row.Claims) > 0 {
			return
		}
		if k.other == nil {
			k.other = map[tree.Path]bool{}
		}
		k.other[t.Path] = true
	}
	x.Size, x.Exec, x.Repack, x.Into = t.Size, t.Exec, "", ""
	k.files = append(k.files, x)
}
