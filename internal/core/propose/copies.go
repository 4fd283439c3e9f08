package propose

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// copied says that some files of add-ons lie in a folder of the server too, such as keys.
type copied struct {
	glob string // below the add-on's own folder
	to   string // the folder on the server
}

func (c copied) String() string { return c.glob + " to " + c.to }

// parseCopies reads an answer to the question [Copies].
func parseCopies(text string) (out []copied, err error) {
	if text == none {
		return nil, nil
	}
	for _, part := range signsOf(text) {
		glob, to, ok := strings.Cut(part, " to ")
		if _, bad := tree.ParsePath(to); !ok || glob == "" || bad != nil {
			return nil, fmt.Errorf("%q says no copy; write GLOB to FOLDER, such as %q, with a comma between several", part, copied{"keys/*.key", "keys"})
		}
		out = append(out, copied{glob, to})
	}
	return out, nil
}

// copiesQuestion asks which files of the add-ons of a folder kind go elsewhere as well: those of
// which the server has the same again in one folder; and those of a download that are like what
// a folder of the server is full of.
func copiesQuestion(e Evidence, kinds []form) (Question, bool) {
	q := Question{Key: Copies, Ask: "Which files of an add-on go into another folder as well?", Free: true, Like: "keys/*.key to keys"}
	var all []string
	for _, f := range kinds {
		if f.shape != Folder {
			continue
		}
		for _, o := range append(f.twice(e), f.alike(e)...) {
			if !slices.ContainsFunc(q.Options, func(x Option) bool { return x.Value == o.Value }) {
				q.Options = append(q.Options, o)
				all = append(all, o.Value)
			}
		}
	}
	if len(all) > 1 {
		q.Options = append(q.Options, Option{Value: list(all), Says: "all of these", Why: "each for its own reason"})
	}
	ok := len(q.Options) > 0
	return append1(q, Option{Value: none, Says: "none", Why: "each file goes to one place"}), ok
}

// twice finds the files of add-ons on the server that lie in another folder too, of two add-ons
// or more.
func (f form) twice(e Evidence) (out []Option) {
	own := f.addons(e.Tree)
	outside := map[string][]tree.Entry{} // by their names
	for _, x := range e.Tree {
		if !x.Dir && !isNote(x.Path) && x.Path.Depth() > 1 && !slices.ContainsFunc(own, x.Path.Within) {
			outside[x.Path.Base()] = append(outside[x.Path.Base()], x)
		}
	}
	have, both := map[string]map[tree.Path]bool{}, map[copied]map[tree.Path]bool{}
	sample := map[copied]tree.Path{}
	note := func(in map[tree.Path]bool, p tree.Path) map[tree.Path]bool {
		if in == nil {
			in = map[tree.Path]bool{}
		}
		in[p] = true
		return in
	}
	for _, x := range e.Tree {
		i := slices.IndexFunc(own, x.Path.Within)
		if x.Dir || i < 0 || f.signed(x.Path.Base()) {
			continue
		}
		glob := globOf(own[i], x.Path)
		if glob == "" {
			continue
		}
		have[glob] = note(have[glob], own[i])
		for _, o := range outside[x.Path.Base()] {
			if o.Size == x.Size {
				c := copied{glob, string(o.Path.Dir())}
				both[c], sample[c] = note(both[c], own[i]), x.Path
			}
		}
	}
	found := slices.SortedFunc(maps.Keys(both), func(a, b copied) int { return strings.Compare(a.String(), b.String()) })
	for _, c := range found {
		if n := len(both[c]); n > 1 && n*2 > len(have[c.glob]) {
			out = append(out, Option{Value: c.String(), Says: fmt.Sprintf("%s of each goes into %s too", c.glob, c.to),
				Why: fmt.Sprintf("%s holds a file of the same name and size for %d of the %s that have one, such as %s", c.to, n, words.Count(len(have[c.glob]), "add-on"), sample[c].Base())})
		}
	}
	return out
}

// alike finds the files of downloads in folders like one of the server's own that is full of such.
func (f form) alike(e Evidence) (out []Option) {
	own := f.addons(e.Tree)
	for _, d := range e.Downloads {
		if d.plain() || !f.fits(d) {
			continue
		}
		roots := map[tree.Path]bool{}
		for _, x := range d.Entries {
			if !x.Dir && f.signed(x.Path.Base()) && x.Path.Depth() > 1 {
				roots[x.Path.Dir()] = true
			}
		}
		for _, x := range d.Entries {
			for root := range roots {
				if x.Dir || f.signed(x.Path.Base()) || !x.Path.Within(root) {
					continue
				}
				glob := globOf(root, x.Path)
				if glob == "" || !strings.Contains(glob, "/") {
					continue
				}
				to, n := tree.Path(""), 0
				for _, y := range e.Tree {
					if !y.Dir && tree.Fold(y.Path.Dir().Base()) == tree.Fold(x.Path.Dir().Base()) && path.Ext(y.Path.Base()) == path.Ext(x.Path.Base()) && !slices.ContainsFunc(own, y.Path.Within) {
						to, n = y.Path.Dir(), n+1
					}
				}
				if n > 0 {
					out = append(out, Option{Value: copied{glob, string(to)}.String(), Says: fmt.Sprintf("%s of each goes into %s too", glob, to),
						Why: fmt.Sprintf("%s has %s, and %s on the server holds %s", d.Filename, glob, to, words.Count(n, "such file"))})
				}
			}
		}
	}
	return out
}

// globOf is what files like one of an add-on are matched by below its folder; empty for one
// without a suffix, and for a note.
func globOf(addon, p tree.Path) string {
	rel, ok := p.Below(addon)
	ext := path.Ext(p.Base())
	if !ok || ext == "" || isNote(p) {
		return ""
	}
	return path.Join(string(rel.Dir()), "*"+ext)
}
