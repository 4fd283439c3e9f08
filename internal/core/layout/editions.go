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
	known version.Known
	files []tree.Entry
}

// tell reads the folder that holds a root and is called after a version alone. Some
// makers keep a build for each version of the game in folders beside each other: each
// of them is for its version of the game, up to that of the next. Where none of the
// folders is a version of the game that the rulebook knows, the name is the add-on's
// version; it is taken only where several of the same file are told apart by it.
func (e editions) tell(r root, c *Crate) {
	folder := versionFolder(r)
	if folder == tree.Root {
		return
	}
	name, beside := folder.Base(), e.versionsBeside(folder)
	if !e.known.IsGame(name) && !slices.ContainsFunc(beside, e.known.IsGame) {
		if r.only != nil && len(beside) > 0 && c.Version == "" {
			c.Version, c.VersionFrom = name, inFolder+name
		}
		return
	}
	next := ""
	for _, other := range beside {
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

// versionFolder is the innermost folder of a root that is called after a version alone,
// or else the archive's root.
func versionFolder(r root) tree.Path {
	folder := r.folder
	for folder != tree.Root && !version.Bare(folder.Base()) {
		folder = folder.Dir()
	}
	return folder
}

// builds tells whether roots are one add-on for several versions of the game: the same
// path in folders beside each other that are called after versions of the game.
func (e editions) builds(roots []root) bool {
	first := versionFolder(roots[0])
	inside, _ := roots[0].path().Below(first)
	for _, r := range roots {
		folder := versionFolder(r)
		rel, _ := r.path().Below(folder)
		if folder == tree.Root || folder.Dir() != first.Dir() || rel != inside {
			return false
		}
	}
	return e.known.IsGame(first.Base()) || slices.ContainsFunc(e.versionsBeside(first), e.known.IsGame)
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

// versionsBeside are the other folders beside one that are called after a version alone.
func (e editions) versionsBeside(folder tree.Path) (out []string) {
	seen := map[string]bool{folder.Base(): true}
	for _, file := range e.files {
		rel, below := file.Path.Below(folder.Dir())
		if !below || rel.Depth() < 2 {
			continue
		}
		if name := rel.Parts()[0]; !seen[name] {
			seen[name] = true
			if version.Bare(name) {
				out = append(out, name)
			}
		}
	}
	return out
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
