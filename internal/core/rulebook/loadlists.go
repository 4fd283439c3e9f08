package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
)

// LoadList is a text on the server that names what it loads.
type LoadList struct {
	Name      string
	File      string   // below the server's root, with {variable} placeholders
	Form      string   // one of Forms
	Entry     string   // how an entry is written: {name}, {id}, {folder}, {file}, {version}, {variable}, and what a kind tells
	Files     []string // with {file} and {folder}: globs of the files that are named; the first one where empty
	Others    []string // further ways in which a text may write one
	Kinds     []string // whose add-ons it lists; all where empty
	At        string   // with form json and yaml: the JSON Pointer of the list
	Match     string   // with form joined: a regular expression whose first group is the value
	Separator string   // with form joined
	Missing   string   // with form joined: the line that is added where nothing is like Match
	Below     string   // with Missing: the line below which it goes; empty: the end
	Begin     bool     // with form json and yaml: a list that the text does not hold is begun
	Disabled  string   // how an entry that is not loaded looks; holds {entry}
	Quote     string   // what goes around a name with spaces
	Order     string   // one of Orders
	Line      int
}

// Forms are the forms that a load list can have: one line per entry, an item
// of a JSON or YAML list, or an item of one joined value.
var Forms = []string{"line", "json", "yaml", "joined"}

// Orders are how a new entry finds its place: behind the others, by name, or
// behind what it needs and in front of what needs it.
var Orders = []string{"end", "name", "needs"}

// On gives the list as it is on a server with these values, and the text that
// holds it.
func (l LoadList) On(b *Book, values map[string]string) (settings.List, tree.Path, error) {
	text, err := Fill(l.File, func(name string) (string, bool) { v, ok := values[name]; return v, ok })
	if err != nil {
		return settings.List{}, tree.Root, fmt.Errorf("load list %s: %w", l.Name, err)
	}
	path, err := tree.ParsePath(text)
	if err != nil {
		return settings.List{}, tree.Root, fmt.Errorf("load list %s: %w", l.Name, err)
	}
	word := l.KeyWord(b)
	keyed := func(entry string) string {
		if word == "" {
			return "{key}"
		}
		return strings.Replace(entry, "{"+word+"}", "{key}", 1)
	}
	out := settings.List{Form: l.Form, Entry: keyed(l.Entry), At: l.At, Match: l.Match, Separator: l.Separator, Missing: l.Missing, Below: l.Below, Begin: l.Begin, Disabled: l.Disabled, Quote: l.Quote, Order: l.Order}
	if out.Order == Orders[0] {
		out.Order = settings.AtEnd
	}
	for _, o := range l.Others {
		out.Others = append(out.Others, keyed(o))
	}
	return out, path, nil
}

// namers are the placeholders that tell whose an entry is, the first that it holds.
var namers = []string{"name", "id", "folder", "file"}

// KeyWord is the placeholder of an entry that tells two entries apart: what names the
// add-on; or else what its files tell; or else what each add-on has for itself, such as its
// group. It is empty where all of an entry tells it from another one: where it is the same
// for every add-on, and where an add-on may have several of one name.
func (l LoadList) KeyWord(b *Book) string {
	var named, told, own []string
	for _, word := range Placeholders(l.Entry) {
		v, variable := b.Variable(word)
		switch {
		case slices.Contains(namers, word):
			named = append(named, word)
		case b.told(l, word):
			told = append(told, word)
		case variable && v.PerAddon:
			own = append(own, word)
		}
	}
	switch {
	case len(named)+len(told) == 1:
		return append(named, told...)[0]
	case len(named)+len(told) == 0 && len(own) == 1:
		return own[0]
	}
	return ""
}

// told tells whether a kind that a list names tells a value under this word.
func (b *Book) told(l LoadList, word string) bool {
	return slices.ContainsFunc(b.Kinds, func(k Kind) bool { return l.Lists(k.Name) && k.Told(word) })
}

// Lists tells whether the list holds add-ons of a kind.
func (l LoadList) Lists(kind string) bool {
	return len(l.Kinds) == 0 || slices.Contains(l.Kinds, kind)
}

func (r serverReader) loadLists(n *yaml.Node, b *Book) {
	r.named(n, "load-lists", func(key, value *yaml.Node) {
		l := LoadList{Name: key.Value, Line: key.Line}
		before, at := len(r.faults), false
		r.mapping(value, "load list "+key.Value,
			field{"file", true, r.serverFile(&l.File, b)},
			field{"form", true, r.oneOf("form", &l.Form, Forms)},
			field{"entry", true, func(v *yaml.Node) { r.entry(v, &l, b) }},
			field{"others", false, func(v *yaml.Node) {
				r.texts("others", &l.Others, func(s string) error {
					if !slices.Equal(Placeholders(s), Placeholders(l.Entry)) {
						return fmt.Errorf("%q does not hold the placeholders of entry, in their order", s)
					}
					return nil
				})(v)
			}},
			field{"quote", false, r.oneOf("quote", &l.Quote, []string{`"`, "'", "`"})},
			field{"order", false, r.oneOf("order", &l.Order, Orders)},
			field{"kinds", false, func(v *yaml.Node) {
				r.texts("kinds", &l.Kinds, checkAny)(v)
				r.later = append(r.later, func() { r.kindsExist(v, l.Kinds, b) })
			}},
			field{"files", false, r.texts("files", &l.Files, checkGlob)},
			field{"at", false, func(v *yaml.Node) {
				if at = true; v.Kind != yaml.ScalarNode || v.Value != "" { // "" is the whole text
					r.pointer("at", &l.At)(v)
				}
			}},
			field{"match", false, r.expression("match", &l.Match, "")},
			field{"separator", false, r.text("separator", &l.Separator)},
			field{"if-missing", false, func(v *yaml.Node) {
				if v.Kind == yaml.ScalarNode && v.Value == "begin" {
					l.Begin = true
					return
				}
				r.mapping(v, "if-missing",
					field{"line", true, r.text("line", &l.Missing)},
					field{"below", false, r.text("below", &l.Below)})
			}},
			field{"disabled", false, func(v *yaml.Node) { r.holding("disabled", &l.Disabled, []string{"entry"})(v) }})
		if len(r.faults) == before {
			r.checkForm(key, l, at)
		}
		b.Lists = append(b.Lists, l)
	})
}

// entry reads how an entry is written: with what tells whose it is, and what else goes
// with it.
func (r serverReader) entry(v *yaml.Node, l *LoadList, b *Book) {
	r.text("entry", &l.Entry)(v)
	r.later = append(r.later, func() {
		held := Placeholders(l.Entry)
		known := append(slices.Clone(namers), "version")
		named := 0
		for _, word := range held {
			_, variable := b.Variable(word)
			switch {
			case slices.Contains(namers, word):
				named++
			case word != "version" && !variable && !b.told(*l, word):
				r.fault(v, "entry holds {%s}; %s", word, suggest(word, known))
			}
		}
		if named > 1 {
			r.fault(v, "entry holds at most one of {name}, {id}, {folder} and {file}, which tells whose it is")
		}
		if len(l.Files) > 0 && !slices.Contains(held, "file") && !slices.Contains(held, "folder") {
			r.fault(v, "files goes with an entry that holds {file} or {folder}")
		}
	})
}

func (r serverReader) kindsExist(v *yaml.Node, names []string, b *Book) {
	known := make([]string, len(b.Kinds))
	for i, k := range b.Kinds {
		known[i] = k.Name
	}
	for _, name := range names {
		if !slices.Contains(known, name) {
			r.fault(v, "there is no kind %q; %s", name, suggest(name, known))
		}
	}
}

// checkForm tells which keys go with which form.
func (r serverReader) checkForm(key *yaml.Node, l LoadList, at bool) {
	pointed := l.Form == "json" || l.Form == "yaml"
	joined := l.Form == "joined"
	switch {
	case pointed && !at:
		r.fault(key, "a load list of form %s needs at: where in the file the list is; \"\" where the whole text is the list", l.Form)
	case l.Form != "line" && (l.Disabled != "" || l.Quote != "" || len(l.Others) > 0):
		r.fault(key, "disabled, quote and others go with form line, not with %s", l.Form)
	case joined && (l.Match == "" || l.Separator == ""):
		r.fault(key, "a load list of form joined needs match (which value) and separator (what is between its items)")
	case !pointed && at:
		r.fault(key, "at goes with form json or yaml, not with %s", l.Form)
	case !joined && (l.Match != "" || l.Separator != "" || l.Missing != ""):
		r.fault(key, "match, separator and if-missing go with form joined, not with %s", l.Form)
	case !pointed && l.Begin:
		r.fault(key, "if-missing: begin goes with form json or yaml; with joined it says which line begins the list")
	case l.Begin && l.At == "":
		r.fault(key, "if-missing: begin needs a list below a key; at is the whole text here")
	case l.Missing != "":
		list := settings.List{Form: l.Form, Entry: "{key}", Match: l.Match, Separator: l.Separator}
		if items, err := list.Read([]byte(l.Missing)); err != nil || len(items) > 0 {
			r.fault(key, "the line of if-missing is to hold an empty list, as match finds it: %q does not", l.Missing)
		}
	}
}
