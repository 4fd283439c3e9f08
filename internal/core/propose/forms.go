package propose

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// form is what the add-ons of one kind look like, and where on the server they lie.
type form struct {
	shape string
	signs []string // suffixes of single or loose files, or markers of a folder: any of them
	place string   // {group} in it stands for a folder that add-ons share
}

// String is a form as an answer has it: "folder part.toml|piece.toml in parts".
func (f form) String() string {
	return fmt.Sprintf("%s %s in %s", f.shape, strings.Join(f.signs, "|"), f.place)
}

// words is a form as a person reads it.
func (f form) words() string {
	signs := strings.Join(f.signs, " or ")
	switch f.shape {
	case Folder:
		return fmt.Sprintf("folders with %s in %s", signs, f.place)
	case Loose:
		return fmt.Sprintf("loose %s, with a folder made around them in %s", signs, f.place)
	case Tree:
		return fmt.Sprintf("folders of the server's own (%s), each file where it stands", strings.Join(f.signs, ", "))
	}
	return fmt.Sprintf("single %s in %s", signs, f.place)
}

// parseForms reads the forms of an answer: one behind the other, with ";" between.
func parseForms(text string) (out []form, err error) {
	if text == "" || text == none {
		return nil, nil
	}
	for part := range strings.SplitSeq(text, ";") {
		shape, rest, _ := strings.Cut(strings.TrimSpace(part), " ")
		at := strings.LastIndex(rest, " in ")
		if at <= 0 || !slices.Contains([]string{Single, Folder, Loose, Tree}, shape) || rest[at+4:] == "" {
			return nil, fmt.Errorf("%q says no kind; write SHAPE SIGN in FOLDER, such as %q, with ; between several", strings.TrimSpace(part), form{Folder, []string{"part.toml"}, "parts"})
		}
		out = append(out, form{shape, strings.Split(rest[:at], "|"), rest[at+4:]})
	}
	return out, nil
}

// signsOf reads the signs of an answer.
func signsOf(text string) (out []string) {
	for s := range strings.SplitSeq(text, ",") {
		if s = strings.TrimSpace(s); s != "" {
			out = append(out, s)
		}
	}
	return out
}

// signed tells whether a file has one of the form's signs.
func (f form) signed(base string) bool {
	return slices.ContainsFunc(f.signs, func(sign string) bool {
		ok, err := path.Match(sign, base)
		return sign == base || ok && err == nil
	})
}

// addons are the add-ons of the form that lie on the server, by their paths: a folder or a file.
func (f form) addons(entries []tree.Entry) (out []tree.Path) {
	if f.shape == Tree {
		return nil // what is in the server's own folders need not have come from an add-on
	}
	seen := map[tree.Path]bool{}
	for _, x := range entries {
		if x.Dir || !f.signed(x.Path.Base()) || f.shape != Single && x.Path.Depth() < 2 {
			continue
		}
		at := x.Path
		if f.shape != Single {
			at = at.Dir()
		}
		if !seen[at] && f.lies(at.Dir()) {
			seen[at] = true
			out = append(out, at)
		}
	}
	return out
}

// lies tells whether a folder is the form's place, or one of the groups in it.
func (f form) lies(folder tree.Path) bool {
	before, after, grouped := strings.Cut(f.place, groupWord)
	if !grouped {
		return folder.String() == path.Clean(f.place)
	}
	s := string(folder)
	return strings.HasPrefix(s, before) && strings.HasSuffix(s, after) && len(s) > len(before)+len(after) && !strings.Contains(s[len(before):len(s)-len(after)], "/")
}

// group gives the group folder of an add-on.
func (f form) group(addon tree.Path) string {
	before, after, _ := strings.Cut(f.place, groupWord)
	return strings.TrimSuffix(strings.TrimPrefix(string(addon.Dir()), before), after)
}

// without gives the evidence that is left once a form is explained.
func (e Evidence) without(f form) (rest Evidence) {
	own := map[tree.Path]bool{}
	for _, p := range f.addons(e.Tree) {
		own[p] = true
	}
	rest.Texts = e.Texts
	for _, x := range e.Tree {
		if own[x.Path] || slices.ContainsFunc(x.Path.Ancestors(), func(up tree.Path) bool { return own[up] }) {
			continue
		}
		rest.Tree = append(rest.Tree, x)
	}
	for _, d := range e.Downloads {
		if !f.fits(d) {
			rest.Downloads = append(rest.Downloads, d)
		}
	}
	return rest
}

// fits tells whether a download looks like one of the form.
func (f form) fits(d Download) bool {
	if d.plain() {
		return f.shape == Single && f.signed(d.Filename)
	}
	for _, x := range d.Entries {
		if f.shape == Tree {
			if slices.ContainsFunc(x.Path.Ancestors(), func(up tree.Path) bool { return slices.Contains(f.signs, up.Base()) }) {
				return true
			}
			continue
		}
		if !x.Dir && f.signed(x.Path.Base()) && (f.shape != Loose || x.Path.Depth() == 1) && (f.shape != Folder || x.Path.Depth() > 1) {
			return true
		}
	}
	return false
}

// further finds what else add-ons look like: what lies on the server like the first kind, or
// is loose or single there and speaks for itself in a download or in a text that names it.
func further(e Evidence, first form) (out []form) {
	rest := e.without(first)
	for len(out) < 4 {
		f, ok := next(rest, out, first)
		if !ok {
			break
		}
		out = append(out, f)
		rest = rest.without(f)
	}
	return out
}

func next(e Evidence, so []form, first form) (form, bool) {
	if m := bestMarker(e); m.weight >= onServer {
		if f, ok := placed(e, Folder, signsOf(m.value)); ok {
			return f, true
		}
	}
	// Loose ones first: only a download tells them, and then their folders are no places.
	for _, shape := range []string{Loose, Single} {
		clues := singleSuffixes(e)
		if shape == Loose {
			clues = looseSuffixes(e)
		}
		for _, c := range clues {
			f, ok := placed(e, shape, signsOf(c.value))
			if !ok || f.place == "." {
				continue
			}
			sure := slices.ContainsFunc(e.Downloads, f.fits) || len(lists(e, []form{f})) > 0
			if sure && !slices.ContainsFunc(append(so, first), func(o form) bool { return o.String() == f.String() }) {
				return f, true
			}
		}
	}
	return form{}, false
}

// placed completes a form by the place at which such add-ons lie; it is none where they lie
// nowhere.
func placed(e Evidence, shape string, signs []string) (form, bool) {
	f := form{shape: shape, signs: signs}
	at := first(places(e, f))
	if at.weight < onServer {
		return f, false
	}
	f.place = at.value
	return f, true
}
