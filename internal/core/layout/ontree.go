package layout

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// OnTree is what a rulebook makes of a server's tree, as far as names tell.
type OnTree struct {
	Places    []PlaceThere
	Addons    []AddonThere
	Protected []tree.Path // that are there

	known map[tree.Path]bool // paths of Addons, while they are gathered
}

// PlaceThere is a place at its real path. Holds counts what lies right in it,
// -1 where there is no such folder.
type PlaceThere struct {
	Name  string
	Path  tree.Path
	Holds int
}

// AddonThere is something in a place that looks like an add-on of a kind.
type AddonThere struct {
	Kind, Place   string
	Path          tree.Path
	Name, Version string // the version only where the name tells it
}

// Read reads a server's tree by a rulebook. values are the server's, from
// [rulebook.Book.Values].
func Read(b *rulebook.Book, values map[string]string, entries []tree.Entry) (OnTree, error) {
	var out OnTree
	for _, p := range b.Places {
		at, err := b.Resolve(p.Name, values)
		if err != nil {
			return out, err
		}
		there := PlaceThere{Name: p.Name, Path: at, Holds: -1}
		if at == tree.Root || slices.ContainsFunc(entries, func(e tree.Entry) bool { return e.Dir && e.Path == at }) {
			there.Holds = 0
		}
		for _, e := range entries {
			if rel, ok := e.Path.Below(at); ok && rel.Depth() == 1 {
				there.Holds++
			}
		}
		out.Places = append(out.Places, there)
		out.addons(b, p.Name, at, entries)
	}
	out.known = nil
	for _, e := range entries {
		if !e.Dir && globbed(b.Protected, e.Path) {
			out.Protected = append(out.Protected, e.Path)
		}
	}
	return out, nil
}

// addons finds what looks like an add-on in one place: a folder with a kind's
// marker, or a file like its single ones, where that kind puts things.
func (o *OnTree) addons(b *rulebook.Book, place string, at tree.Path, entries []tree.Entry) {
	for i := range b.Kinds {
		k := &b.Kinds[i]
		if !slices.ContainsFunc(k.Rules, func(r rulebook.Rule) bool { return r.Place == place }) {
			continue
		}
		for _, e := range entries {
			rel, ok := e.Path.Below(at)
			if !ok || e.Dir {
				continue
			}
			switch {
			case rel.Depth() == 2 && globbed(k.Marker, tree.Path(rel.Base())):
				o.add(b, k, place, e.Path.Dir(), rel.Dir().Base())
			case rel.Depth() == 1 && globbed(k.Single, rel):
				o.add(b, k, place, e.Path, fileStem(rel.Base()).text)
			}
		}
	}
}

func (o *OnTree) add(b *rulebook.Book, k *rulebook.Kind, place string, p tree.Path, stem string) {
	if o.known == nil {
		o.known = map[tree.Path]bool{}
	}
	if o.known[p] {
		return
	}
	o.known[p] = true
	t := b.Known.Tell(trim(k, stem))
	o.Addons = append(o.Addons, AddonThere{Kind: k.Name, Place: place, Path: p, Name: strings.TrimSpace(trim(k, t.Name)), Version: t.Version})
}

// AsDownloaded is a folder of a server as if it had been downloaded: its files with the folder
// around them. read is asked by paths on the server.
func AsDownloaded(folder tree.Path, files []tree.Entry, read func(p tree.Path, most int64) ([]byte, error)) Archive {
	up := folder.Dir()
	a := Archive{Filename: folder.Base(), Read: func(e tree.Entry, most int64) ([]byte, error) { return read(up.Join(e.Path), most) }}
	a.Entries = make([]tree.Entry, 0, len(files))
	for _, e := range files {
		if rel, below := e.Path.Below(up); !e.Dir && (below || up == tree.Root) {
			if up == tree.Root {
				rel = e.Path
			}
			a.Entries = append(a.Entries, tree.Entry{Path: rel, Size: e.Size, Exec: e.Exec})
		}
	}
	return a
}

// Deep is an add-on that lies a folder too deep: the server does not find its marker there.
type Deep struct {
	Kind          string
	Top           tree.Path // the folder right in the place
	Marker        tree.Path // where its marker lies
	Name, Version string
}

// TooDeep finds the add-ons of a server's tree whose marker is not right in the folder that lies in
// their place, but in one below it.
func TooDeep(b *rulebook.Book, values map[string]string, entries []tree.Entry) (out []Deep) {
	right := map[tree.Path]bool{} // folders that hold a marker right in them
	var deep []Deep
	for _, p := range b.Places {
		at, err := b.Resolve(p.Name, values)
		if err != nil {
			continue
		}
		for i := range b.Kinds {
			k := &b.Kinds[i]
			if len(k.Marker) == 0 || !slices.ContainsFunc(k.Rules, func(r rulebook.Rule) bool { return r.Place == p.Name }) {
				continue
			}
			for _, e := range entries {
				rel, ok := e.Path.Below(at)
				if !ok || e.Dir || !globbed(k.Marker, tree.Path(rel.Base())) {
					continue
				}
				top := at.Join(tree.Path(rel.Parts()[0]))
				switch {
				case rel.Depth() == 2:
					right[top] = true
				case rel.Depth() == 3 && at != tree.Root:
					t := b.Known.Tell(trim(k, rel.Dir().Base()))
					deep = append(deep, Deep{k.Name, top, e.Path, strings.TrimSpace(trim(k, t.Name)), t.Version})
				}
			}
		}
	}
	for _, d := range deep {
		if !right[d.Top] && !slices.ContainsFunc(out, func(o Deep) bool { return o.Top == d.Top }) {
			out = append(out, d)
		}
	}
	return out
}
