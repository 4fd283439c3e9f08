package layout

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
)

// inFolder begins where a fact comes from that a folder's name tells.
const inFolder = "the folder "

// editions finds what the folders of an archive tell of the versions of the game.
type editions struct {
	known  version.Known
	files  map[tree.Path]bool
	beside map[tree.Path][]string // by the folder above: what is called after a version alone
}

func newEditions(known version.Known, files []tree.Entry) *editions {
	e := &editions{known: known, files: make(map[tree.Path]bool, len(files)), beside: map[tree.Path][]string{}}
	seen := map[tree.Path]bool{}
	for _, f := range files {
		e.files[f.Path] = true
		for up := f.Path.Dir(); up != tree.Root && !seen[up]; up = up.Dir() {
			seen[up] = true
			if above := up.Dir(); version.Bare(up.Base()) && !slices.Contains(e.beside[above], up.Base()) {
				e.beside[above] = append(e.beside[above], up.Base())
			}
		}
	}
	return e
}

// version takes the name of a folder for the add-on's version, where nothing else tells
// it, the folder is not called after a version of the game, and the same file is in
// several such folders.
func (e *editions) version(r root, c *Crate) {
	folder := e.versionFolder(r)
	if r.only != nil && c.Version == "" && folder != tree.Root && !e.ofGame(folder) && e.elsewhere(r, folder) {
		c.Version, c.VersionFrom = folder.Base(), inFolder+folder.Base()
	}
}

// games tells for which versions of the game an add-on is, from its folder. Some makers
// keep a build for each of them in folders beside each other: each is for its version, up
// to that of the next. What the add-on says itself stands above its folder.
func (e *editions) games(r root, c *Crate) {
	folder := e.versionFolder(r)
	if folder == tree.Root || !e.ofGame(folder) || slices.ContainsFunc(c.Facts, func(f Fact) bool { return f.Kind == rulebook.Game }) {
		return
	}
	name, next := folder.Base(), ""
	for _, other := range e.beside[folder.Dir()] {
		if version.Compare(other, name) > 0 && (next == "" || version.Compare(other, next) < 0) {
			next = other
		}
	}
	f := Fact{Kind: rulebook.Game, Range: ">=" + name, From: inFolder + name}
	if next != "" {
		f.Range += " <" + next
	}
	c.Facts = append(c.Facts, f)
}

// versionFolder is the innermost folder around a root that is called after a version
// alone, one of the game before any other; the archive's root where there is none.
func (e *editions) versionFolder(r root) (folder tree.Path) {
	for at := r.folder; at != tree.Root; at = at.Dir() {
		switch {
		case !version.Bare(at.Base()):
		case e.known.IsGame(at.Base()):
			return at
		case folder == tree.Root:
			folder = at
		}
	}
	return folder
}

// ofGame tells whether a folder, or one beside it, is called after a version of the game.
func (e *editions) ofGame(folder tree.Path) bool {
	return slices.ContainsFunc(e.beside[folder.Dir()], e.known.IsGame)
}

// elsewhere tells whether the same file is in another version's folder too.
func (e *editions) elsewhere(r root, folder tree.Path) bool {
	rel, _ := r.path().Below(folder)
	return slices.ContainsFunc(e.beside[folder.Dir()], func(name string) bool {
		return name != folder.Base() && e.files[folder.Dir().Join(tree.Path(name)).Join(rel)]
	})
}

// builds tells whether roots are one add-on for several versions of the game: the same
// path in folders beside each other that are called after versions of the game.
func (e *editions) builds(roots []root) bool {
	first := e.versionFolder(roots[0])
	inside, _ := roots[0].path().Below(first)
	for _, r := range roots {
		folder := e.versionFolder(r)
		rel, _ := r.path().Below(folder)
		if folder == tree.Root || folder.Dir() != first.Dir() || rel != inside {
			return false
		}
	}
	return e.ofGame(first)
}

// inOrder puts the crates of one add-on in the order of their versions, the newest
// last, each at a place where one of them was: the last that is staged is the one that
// a name alone means.
func inOrder(crates []*Crate) {
	places := map[string][]int{}
	for i, c := range crates {
		places[c.Key()] = append(places[c.Key()], i)
	}
	for _, at := range places {
		same := make([]*Crate, len(at))
		for n, i := range at {
			same[n] = crates[i]
		}
		slices.SortStableFunc(same, func(a, b *Crate) int {
			if n := version.Compare(a.Version, b.Version); n != 0 {
				return n
			}
			from, _ := a.Build()
			to, _ := b.Build()
			return version.Compare(from, to)
		})
		for n, i := range at {
			crates[i] = same[n]
		}
	}
}

// Build gives the folder after which it is told for which versions of the game a crate
// is, and these; folder is empty where no folder tells it.
func (c *Crate) Build() (folder, games string) {
	for _, f := range c.Facts {
		if name, ok := strings.CutPrefix(f.From, inFolder); ok && f.Kind == rulebook.Game {
			return name, f.Range
		}
	}
	return "", ""
}
