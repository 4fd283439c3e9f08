package propose

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// candidate is a kind that could be meant, with how much speaks for it.
type candidate struct {
	form
	why    string
	weight int
}

// mostCandidates is how many kinds a person has to choose between.
const mostCandidates = 5

// candidates are the kinds that a download, or else what lies on the server, may be of.
func candidates(e Evidence) (out []Option) {
	var found []candidate
	for _, shape := range []string{Folder, Single, Loose} {
		clues := map[string]func(Evidence) []clue{Folder: markers, Single: singleSuffixes, Loose: looseSuffixes}[shape](e)
		for _, c := range clues[:min(len(clues), 3)] {
			f := form{shape: shape, signs: signsOf(c.value)}
			if shape == Folder && slices.ContainsFunc(f.signs, named) {
				continue // settings come with many add-ons and mark none
			}
			if len(e.Downloads) > 0 && !f.fits(e.Downloads[0]) {
				continue
			}
			at := places(e, f)
			if len(e.Downloads) == 0 && first(at).weight < onServer {
				continue // nothing of the sort lies there
			}
			if len(at) == 0 {
				at = []clue{{value: ".", why: "the server's own folder; nothing of the sort lies there yet"}}
			}
			for _, p := range at[:min(len(at), 3)] {
				if p.weight < onServer && at[0].weight >= onServer {
					continue // where such lie already, nowhere else is worth a question
				}
				f.place = p.value
				why := strings.TrimSuffix(p.why, "; "+atRoot)
				found = append(found, candidate{f, c.why + "; " + p.value + ": " + why, c.weight + 2*p.weight})
			}
		}
	}
	for _, c := range found { // several loose files may as well be several add-ons
		if c.shape == Loose {
			c.shape, c.weight = Single, c.weight-1
			found = append(found, c)
		}
	}
	for _, d := range e.Downloads {
		if c, ok := sameTree(e, d); ok {
			found = append(found, c)
		}
	}
	found = withoutParts(e, found)
	slices.SortStableFunc(found, func(a, b candidate) int { return cmp.Compare(b.weight, a.weight) })
	if len(found) > 0 && found[0].weight >= 3*onServer { // it lies on the server already: no guesses beside it
		found = slices.DeleteFunc(found, func(c candidate) bool { return c.weight < 2*onServer })
	}
	for _, c := range found[:min(len(found), mostCandidates)] {
		out = append(out, Option{Value: c.String(), Says: c.asks(), Why: c.why})
	}
	return out
}

// withoutParts leaves out what lies inside add-ons of another candidate, of which several lie on
// the server: it is a part of them. What the same files stand in twice counts less than they do.
func withoutParts(e Evidence, found []candidate) []candidate {
	for _, f := range slices.Clone(found) {
		own := f.addons(e.Tree)
		if f.shape != Folder || len(own) < 2 {
			continue
		}
		inside := func(p tree.Path) bool { return slices.ContainsFunc(own, p.Within) }
		names := map[string]bool{}
		for _, x := range e.Tree {
			if !x.Dir && inside(x.Path) {
				names[x.Path.Base()] = true
			}
		}
		found = slices.DeleteFunc(found, func(c candidate) bool {
			mark := c.shape == Folder && c.String() != f.String() && slices.ContainsFunc(c.signs, func(s string) bool { return names[s] && !f.signed(s) })
			return mark && len(c.addons(e.Tree)) < 2 || inside(tree.Path(c.place))
		})
		for i, c := range found {
			if c.shape != Single {
				continue
			}
			lie := c.addons(e.Tree)
			twice := len(slices.DeleteFunc(slices.Clone(lie), func(p tree.Path) bool { return !names[p.Base()] }))
			if twice*2 > len(lie) && c.weight >= f.weight {
				found[i].weight = f.weight - 1
				found[i].why += "; but most of them lie in folders of " + f.place + " too"
			}
		}
	}
	return found
}

// sameTree tells whether a download holds folders that the server has at its root, under any
// wrappers.
func sameTree(e Evidence, d Download) (candidate, bool) {
	there := map[string]bool{}
	for _, x := range e.Tree {
		if x.Dir && x.Path.Depth() == 1 {
			there[x.Path.Base()] = true
		}
	}
	// The shallowest folders of the download that are called like some of the server's.
	var signs []string
	depth := 0
	for _, x := range d.Entries {
		for _, up := range append(x.Path.Ancestors(), x.Path) {
			if up == x.Path && !x.Dir || !there[up.Base()] || depth > 0 && up.Depth() > depth || slices.Contains(signs, up.Base()) && up.Depth() == depth {
				continue
			}
			if up.Depth() < depth {
				signs = nil
			}
			signs, depth = append(signs, up.Base()), up.Depth()
		}
	}
	if len(signs) == 0 {
		return candidate{}, false
	}
	slices.Sort(signs)
	why := fmt.Sprintf("the server has %s at its root, and so has %s", list(signs), d.Filename)
	return candidate{form{Tree, signs, "."}, why, inDownload + onServer + min(len(signs), 4)}, true
}

// asks is a form as a person is asked whether it is meant.
func (f form) asks() string {
	signs, into := strings.Join(f.signs, " or "), f.place
	if into == "." {
		into = "the server's own folder"
	}
	switch f.shape {
	case Folder:
		return fmt.Sprintf("each folder with %s is one add-on, and goes into %s", signs, into)
	case Loose:
		return fmt.Sprintf("its %s together are one add-on; a folder is made around them in %s", signs, into)
	case Tree:
		return fmt.Sprintf("its folders are the server's own (%s), and each file goes where it stands", strings.Join(f.signs, ", "))
	}
	return fmt.Sprintf("each %s is one add-on, and goes into %s", signs, into)
}
