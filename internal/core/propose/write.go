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
	return w.book(name, title, said)
}

// book writes the whole rulebook, and reads it to be sure that it is one. said are the answers
// for what is not in the forms.
func (w *writer) book(name, title string, said map[string]string) ([]byte, error) {
	if w.names == nil {
		w.nameAll()
	}
	if w.grown {
		w.line("# Grown from answers about a server and the downloads for it. It may be edited: what is\n# learnt later is merged into it.")
	} else {
		w.line("# Made from answers to questions. Read it, try it with a download, change what is wrong.")
	}
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
	if len(w.forms) == 0 {
		w.line("  root:\n    path: .\n    about: the server's own folder")
	}
	for i, f := range w.forms {
		if slices.Index(w.places, w.places[i]) == i {
			w.line("  %s:\n    path: %q\n    about: where add-ons lie", w.places[i], f.place)
		}
	}
	for i, folder := range w.further {
		w.line("  %s:\n    path: %q\n    about: where files of add-ons lie once more", w.furtherNames[i], folder)
	}
	if len(w.forms) == 0 {
		w.line("\nkinds: {} # none is known yet")
	} else {
		w.line("\nkinds:")
	}
	for i := range w.forms {
		w.kind(i)
	}
	if err := w.lists(said[Lists]); err != nil {
		return nil, err
	}
	if err := w.log(said[Log]); err != nil {
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
	evidence Evidence
	forms    []form
	copies   []copied // files of folders that go elsewhere too
	// further are the folders that copies go to and that are no kind's place, with their names.
	further, furtherNames []string
	names, places         []string // of the forms
	grown                 bool     // more forms may come: each has a name that stays
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
		if len(w.forms) > 1 || w.grown {
			base := f.signs[0]
			if f.shape == Folder {
				base = strings.TrimSuffix(base, path.Ext(base))
			}
			name = nameOf(strings.TrimLeft(base, "*."))
			if f.shape == Tree {
				name = "tree"
			}
		}
		w.names = append(w.names, unlike(name, w.names))
	}
	w.nameCopies()
}

// nameCopies names the places that files of add-ons go to as well.
func (w *writer) nameCopies() {
	for _, c := range w.copies {
		if folder := path.Clean(c.to); w.placeOf(folder) == "" {
			w.furtherNames = append(w.furtherNames, unlike(nameOf(folder), slices.Concat(w.places, w.furtherNames)))
			w.further = append(w.further, folder)
		}
	}
}

// placeOf gives the name of the place that is a folder; empty where none is.
func (w *writer) placeOf(folder string) string {
	if i := slices.IndexFunc(w.forms, func(f form) bool { return path.Clean(f.place) == folder }); i >= 0 {
		return w.places[i]
	}
	if i := slices.Index(w.further, folder); i >= 0 {
		return w.furtherNames[i]
	}
	return ""
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
	signs := quotedAll(f.signs)
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
		for _, c := range w.copies {
			w.line("      - take: %q\n        place: %s\n        as: \"{file}\"\n        also: true\n        because: the server has one of each there too", c.glob, w.placeOf(path.Clean(c.to)))
		}
		w.settings(f, place, "{name}/{path}")
		w.line("      - take: \"**\"\n        place: %s\n        as: \"{name}/{path}\"", place)
	case Loose:
		w.line("    about: loose files; a folder is made around them\n    recognise:\n      loose: %s", sign)
		w.line("    put:\n      - leave: %s\n        because: notes and pictures are for people\n      - take: \"**\"\n        place: %s\n        as: \"{name}/{path}\"", leave, place)
	case Tree:
		w.line("    about: folders of the server's own, which keep their places\n    recognise:\n      folders: [%s]\n    put:\n      - leave: %s\n        because: notes and pictures are for people", list(quotedAll(f.signs)), leave)
		w.settings(f, place, "")
		w.line("      - take: \"**\"\n        place: %s", place)
	default:
		w.line("    about: one file that is the add-on\n    recognise:\n      single: %s\n    several: true", sign)
		w.told(tells(w.evidence, f))
		w.line("    put:\n      - leave: %s\n        because: notes and pictures are for people\n      - take: %s\n        place: %s\n        as: \"{file}\"", leave, sign, place)
	}
}

// settings writes which files of a kind people edit on servers.
func (w *writer) settings(f form, place, as string) {
	globs := f.settingsOf(w.evidence.Downloads)
	if !w.grown || len(globs) == 0 {
		return
	}
	w.line("      - take: [%s]\n        place: %s\n        settings: true", list(quotedAll(globs)), place)
	if as != "" {
		w.line("        as: %q", as)
	}
}

func quotedAll(texts []string) []string {
	out := make([]string, len(texts))
	for i, s := range texts {
		out[i] = fmt.Sprintf("%q", s)
	}
	return out
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
	if w.grown {
		if said != "" {
			w.line("\nload-lists:")
			w.WriteString(said)
		}
		return nil
	}
	if said == none {
		return nil
	}
	found := lists(w.evidence.outside(), w.forms)
	w.line("\nload-lists:")
	var names []string
	for _, p := range signsOf(said) {
		known := false
		for _, l := range found {
			if string(l.path) == p {
				known = true
				names = append(names, l.name(names))
				w.WriteString(l.written(names[len(names)-1], w.names[l.of]))
			}
		}
		if !known {
			return notLearnt(p)
		}
	}
	return nil
}

func notLearnt(p string) error {
	return fmt.Errorf("%s names no two add-ons that lie on the server, so how it is written cannot be learned from it: answer %s=%s, and write that part yourself", p, Lists, none)
}

// name gives a list a name that is not taken.
func (l listed) name(taken []string) string {
	return unlike(nameOf(strings.TrimSuffix(l.path.Base(), path.Ext(l.path.Base()))), taken)
}

// written is a list as a rulebook has it.
func (l listed) written(name, kind string) string {
	out := fmt.Sprintf("  %s:\n    file: %q\n    form: %s\n    entry: %q\n    kinds: [%s]\n", name, l.path, l.form, l.entry, kind)
	switch {
	case l.form == "line" && l.disabled != "":
		out += fmt.Sprintf("    disabled: %q\n", l.disabled)
	case l.form == "joined":
		out += fmt.Sprintf("    match: '%s'\n    separator: %q\n", strings.ReplaceAll(l.match, "'", "''"), l.separator)
	case l.form != "line":
		out += fmt.Sprintf("    at: %q\n", l.at)
	}
	return out
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
