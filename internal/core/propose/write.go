package propose

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Write gives the text of the rulebook that the answers make, with what is
// believed where nothing was answered. The text says what to look at again.
func Write(name, title string, e Evidence, a Answers) ([]byte, error) {
	if !rulebook.IsName(name) {
		return nil, fmt.Errorf("%q cannot be a rulebook's name: small letters, digits and dashes, at most 31, not a dash first", name)
	}
	if err := Check(a); err != nil {
		return nil, err
	}
	said := map[string]string{}
	for _, q := range Questions(e, a) {
		said[q.Key] = a.orBelieved(q)
		if said[q.Key] == "" {
			return nil, fmt.Errorf("%s There is nothing to learn that from yet: answer %s", q.Ask, q.Key)
		}
	}
	kinds, err := forms(e, a)
	if err != nil {
		return nil, err
	}
	w := &writer{evidence: e, forms: kinds}
	w.nameAll()
	w.line("# Made from answers to questions. Read it, try it with a download, change what is wrong.")
	w.line("format: 1\nname: %s\ntitle: %q\n", name, title)
	if p := said[Protected]; p != none {
		w.line("protected:")
		for part := range strings.SplitSeq(p, ",") {
			w.line("  - %q", strings.TrimSpace(part))
		}
		w.line("")
	}
	w.group()
	w.line("places:")
	for i, f := range w.forms {
		if slices.Index(w.places, w.places[i]) == i {
			w.line("  %s:\n    path: %q\n    about: where add-ons lie", w.places[i], f.place)
		}
	}
	w.line("\nkinds:")
	for i := range w.forms {
		w.kind(i)
	}
	if err := w.lists(said[Lists]); err != nil {
		return nil, err
	}
	text := []byte(w.String())
	if _, err := rulebook.Parse(text); err != nil {
		return nil, fmt.Errorf("the answers do not make a rulebook: %w", err)
	}
	return text, nil
}

// writer writes a rulebook.
type writer struct {
	strings.Builder
	evidence      Evidence
	forms         []form
	names, places []string // of the forms
}

func (w *writer) line(format string, args ...any) { fmt.Fprintf(w, format+"\n", args...) }

// nameAll names kinds and places. One kind alone is called an add-on; several are called
// after what marks them.
func (w *writer) nameAll() {
	for i, f := range w.forms {
		place := nameOf(strings.ReplaceAll(f.place, groupWord, ""))
		same := slices.IndexFunc(w.forms[:i], func(o form) bool { return path.Clean(o.place) == path.Clean(f.place) })
		if same >= 0 {
			place = w.places[same]
		} else {
			place = unlike(place, w.places)
		}
		w.places = append(w.places, place)
		name := "add-on"
		if len(w.forms) > 1 {
			base := f.signs[0]
			if f.shape == Folder {
				base = strings.TrimSuffix(base, path.Ext(base))
			}
			name = nameOf(strings.TrimLeft(base, "*."))
		}
		w.names = append(w.names, unlike(name, w.names))
	}
}

// unlike gives a name a number where it is taken.
func unlike(name string, taken []string) string {
	for n, tried := 2, name; ; n++ {
		if !slices.Contains(taken, tried) {
			return tried
		}
		tried = fmt.Sprintf("%s-%d", name[:min(len(name), 28)], n)
	}
}

// group writes the variable for the groups that add-ons stand in.
func (w *writer) group() {
	for _, f := range w.forms {
		if !strings.Contains(f.place, groupWord) {
			continue
		}
		first := "main"
		if there := f.addons(w.evidence.Tree); len(there) > 0 {
			first = f.group(there[0])
		}
		w.line("variables:\n  group:\n    ask: which group an add-on stands in\n    per: add-on\n    default: %q\n", first)
		return
	}
}

func (w *writer) kind(i int) {
	const leave = `["*.md", "*.txt", "*.png", "*.jpg", "*.psd", "LICENSE*"]`
	f, place := w.forms[i], w.places[i]
	signs := make([]string, len(f.signs))
	for j, s := range f.signs {
		signs[j] = fmt.Sprintf("%q", s)
	}
	sign := signs[0]
	if len(signs) > 1 {
		sign = "[" + strings.Join(signs, ", ") + "]"
	}
	w.line("  %s:", w.names[i])
	switch f.shape {
	case Folder:
		w.line("    about: %q\n    recognise:\n      marker: %s\n    several: true", "a folder with "+strings.Join(f.signs, " or ")+", under any wrappers", sign)
		w.line("    name:\n      trim: [\"-main\", \"-master\", \"-trunk\"]")
		w.told(tells(w.evidence, f))
		w.line("    put:\n      - leave: [\"*.md\", \"*.psd\", \".*\", \"**/.*\"]\n        because: notes and hidden files are not for the server")
		w.line("      - take: \"**\"\n        place: %s\n        as: \"{name}/{path}\"", place)
	case Loose:
		w.line("    about: loose files; a folder is made around them\n    recognise:\n      loose: %s", sign)
		w.line("    put:\n      - leave: %s\n        because: notes and pictures are for people\n      - take: \"**\"\n        place: %s\n        as: \"{name}/{path}\"", leave, place)
	default:
		w.line("    about: one file that is the add-on\n    recognise:\n      single: %s\n    several: true", sign)
		w.told(tells(w.evidence, f))
		w.line("    put:\n      - leave: %s\n        because: notes and pictures are for people\n      - take: %s\n        place: %s\n        as: \"{file}\"", leave, sign, place)
	}
}

// told writes what is read out of an add-on's files.
func (w *writer) told(t told) {
	switch {
	case t.match != "":
		w.line("    version:\n      read: {file: %q, match: '%s'}", t.file, t.match)
	case t.version != "":
		w.line("    version:\n      read: {file: %q, at: %q}", t.file, t.version)
	}
}

// lists writes the load lists that were answered.
func (w *writer) lists(said string) error {
	if said == none {
		return nil
	}
	found := lists(w.evidence.outside(), w.forms)
	w.line("\nload-lists:")
	var names []string
	for _, p := range signsOf(said) {
		known := false
		for _, l := range found {
			if string(l.path) != p {
				continue
			}
			known = true
			names = append(names, unlike(nameOf(strings.TrimSuffix(l.path.Base(), path.Ext(l.path.Base()))), names))
			w.line("  %s:\n    file: %q\n    form: %s\n    entry: %q\n    kinds: [%s]", names[len(names)-1], p, l.form, l.entry, w.names[l.of])
			switch l.form {
			case "line":
				if l.disabled != "" {
					w.line("    disabled: %q", l.disabled)
				}
			case "joined":
				w.line("    match: '%s'\n    separator: %q", strings.ReplaceAll(l.match, "'", "''"), l.separator)
			default:
				w.line("    at: %q", l.at)
			}
		}
		if !known {
			return fmt.Errorf("%s names no two add-ons that lie on the server, so how it is written cannot be learned from it: answer %s=%s, and write that part yourself", p, Lists, none)
		}
	}
	return nil
}

// nameOf makes a name out of a path or a word.
func nameOf(p string) string {
	if p == "." {
		return "root"
	}
	var out strings.Builder
	for _, r := range strings.ToLower(tree.Path(p).Base()) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			out.WriteRune(r)
		case out.Len() > 0:
			out.WriteByte('-')
		}
	}
	if name := strings.Trim(out.String(), "-"); rulebook.IsName(name) {
		return name
	}
	return "add-ons"
}
