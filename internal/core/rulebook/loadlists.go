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
	Entry     string   // how an entry is written: {name}, {version}, {file}, {variable}
	Others    []string // further ways in which a text may write one
	Kinds     []string // whose add-ons it lists; all where empty
	At        string   // with form json and yaml: the JSON Pointer of the list
	Match     string   // with form joined: a regular expression whose first group is the value
	Separator string   // with form joined
	Missing   string   // with form joined: the line that is added where nothing is like Match
	Below     string   // with Missing: the line below which it goes; empty: the end
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
func (l LoadList) On(values map[string]string) (settings.List, tree.Path, error) {
	text, err := Fill(l.File, func(name string) (string, bool) { v, ok := values[name]; return v, ok })
	if err != nil {
		return settings.List{}, tree.Root, fmt.Errorf("load list %s: %w", l.Name, err)
	}
	path, err := tree.ParsePath(text)
	if err != nil {
		return settings.List{}, tree.Root, fmt.Errorf("load list %s: %w", l.Name, err)
	}
	out := settings.List{Form: l.Form, Entry: l.keyed(l.Entry), At: l.At, Match: l.Match, Separator: l.Separator, Missing: l.Missing, Below: l.Below, Disabled: l.Disabled, Quote: l.Quote, Order: l.Order}
	if out.Order == Orders[0] {
		out.Order = settings.AtEnd
	}
	for _, o := range l.Others {
		out.Others = append(out.Others, l.keyed(o))
	}
	return out, path, nil
}

// KeyWord is the placeholder of an entry that names the add-on.
func (l LoadList) KeyWord() string {
	for _, word := range []string{"name", "file"} {
		if slices.Contains(Placeholders(l.Entry), word) {
			return word
		}
	}
	return ""
}

func (l LoadList) keyed(entry string) string {
	return strings.Replace(entry, "{"+l.KeyWord()+"}", "{key}", 1)
}

// Lists tells whether the list holds add-ons of a kind.
func (l LoadList) Lists(kind string) bool {
	return len(l.Kinds) == 0 || slices.Contains(l.Kinds, kind)
}

func (r serverReader) loadLists(n *yaml.Node, b *Book) {
	r.named(n, "load-lists", func(key, value *yaml.Node) {
		l := LoadList{Name: key.Value, Line: key.Line}
		before := len(r.faults)
		r.mapping(value, "load list "+key.Value,
			field{"file", true, r.serverFile(&l.File, b)},
			field{"form", true, r.oneOf("form", &l.Form, Forms)},
			field{"entry", true, func(v *yaml.Node) { r.entry(v, &l.Entry, b) }},
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
			field{"at", false, r.pointer("at", &l.At)},
			field{"match", false, r.expression("match", &l.Match, "")},
			field{"separator", false, r.text("separator", &l.Separator)},
			field{"if-missing", false, func(v *yaml.Node) {
				r.mapping(v, "if-missing",
					field{"line", true, r.text("line", &l.Missing)},
					field{"below", false, r.text("below", &l.Below)})
			}},
			field{"disabled", false, func(v *yaml.Node) { r.holding("disabled", &l.Disabled, []string{"entry"})(v) }})
		if len(r.faults) == before {
			r.checkForm(key, l)
		}
		b.Lists = append(b.Lists, l)
	})
}

// entry reads how an entry is written: with the add-on's name or file, and what
// else goes with it.
func (r serverReader) entry(v *yaml.Node, dst *string, b *Book) {
	r.text("entry", dst)(v)
	held := Placeholders(*dst)
	if slices.Contains(held, "name") == slices.Contains(held, "file") {
		r.fault(v, "entry holds exactly one of {name} and {file}, which tell whose it is")
	}
	r.later = append(r.later, func() {
		for _, word := range held {
			if _, variable := b.Variable(word); !variable && !slices.Contains([]string{"name", "version", "file"}, word) {
				r.fault(v, "entry holds {%s}; %s", word, suggest(word, []string{"name", "version", "file"}))
			}
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
func (r serverReader) checkForm(key *yaml.Node, l LoadList) {
	pointed := l.Form == "json" || l.Form == "yaml"
	joined := l.Form == "joined"
	switch {
	case pointed && l.At == "":
		r.fault(key, "a load list of form %s needs at: where in the file the list is", l.Form)
	case l.Form != "line" && (l.Disabled != "" || l.Quote != "" || len(l.Others) > 0):
		r.fault(key, "disabled, quote and others go with form line, not with %s", l.Form)
	case joined && (l.Match == "" || l.Separator == ""):
		r.fault(key, "a load list of form joined needs match (which value) and separator (what is between its items)")
	case !pointed && l.At != "":
		r.fault(key, "at goes with form json or yaml, not with %s", l.Form)
	case !joined && (l.Match != "" || l.Separator != "" || l.Missing != ""):
		r.fault(key, "match, separator and if-missing go with form joined, not with %s", l.Form)
	case l.Missing != "":
		list := settings.List{Form: l.Form, Entry: l.keyed(l.Entry), Match: l.Match, Separator: l.Separator}
		if items, err := list.Read([]byte(l.Missing)); err != nil || len(items) > 0 {
			r.fault(key, "the line of if-missing is to hold an empty list, as match finds it: %q does not", l.Missing)
		}
	}
}
