package rulebook

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/manifest"
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

// Log says where a server's log is and what its lines mean. The expressions, of which any
// may match, name what they find by groups: (?P<name>...), (?P<version>...), (?P<needs>...).
// One line may speak of several add-ons: every match of it counts.
type Log struct {
	File                           string
	Ready, Loaded, Failed, Missing []string
	// Error is what a line looks like that tells of trouble with no add-on.
	Error []string
	// Harmless are lines that look like trouble and are known to be none.
	Harmless []string
	// Ignore is what is taken out of each line before it is read, such as colour codes.
	Ignore []string
}

// Console is a line for the server's console whose answer tells what is loaded.
type Console struct {
	Send string
	// Line are expressions for the lines of the answer. The group name is an add-on; the group
	// list is several, parted by Separator.
	Line      []string
	Separator string
	Item      string   // how one of a list is read, with the group name; as it stands where empty
	Kinds     []string // whose add-ons the answer names; all where empty
	Ignore    []string // as of a log
}

// Agreement is two values that must go together.
type Agreement struct {
	Left, Right Setting
	Bound       string // one of Bounds
	Because     string
	Line        int
}

// Bounds are how two values can have to go together.
var Bounds = []string{"equal", "at-most", "at-least"}

// Setting is a value in a file of the server.
type Setting struct {
	File   string
	At     string // a JSON Pointer, or empty with Match
	Match  string
	Format manifest.Format
}

// ByHand is something that no file reaches: a person does it, with the exact
// text to copy.
type ByHand struct {
	What, Text string
	Kinds      []string // with whose add-ons it goes; all where empty
	// How it is told whether it was done, where it can be: File must be on the
	// server, and hold something like Match, when it is ticked; a line like Log
	// must be in the log once the server has started.
	File, Match, Log string
}

// Names tells whether the console's answer names add-ons of a kind.
func (c Console) Names(kind string) bool {
	return len(c.Kinds) == 0 || kind == "" || slices.Contains(c.Kinds, kind)
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

func (r serverReader) log(n *yaml.Node, b *Book) {
	r.mapping(n, "log",
		field{"file", true, r.serverFile(&b.Log.File, b)},
		field{"ready", false, r.expressions("ready", &b.Log.Ready)},
		field{"loaded", false, r.expressions("loaded", &b.Log.Loaded, "name")},
		field{"failed", false, r.expressions("failed", &b.Log.Failed, "name")},
		field{"missing", false, r.expressions("missing", &b.Log.Missing, "needs")},
		field{"error", false, r.expressions("error", &b.Log.Error)},
		field{"harmless", false, r.texts("harmless", &b.Log.Harmless, checkRegexp)},
		field{"ignore", false, r.texts("ignore", &b.Log.Ignore, checkRegexp)})
}

func (r serverReader) console(n *yaml.Node, b *Book) {
	r.mapping(n, "console",
		field{"send", true, r.text("send", &b.Console.Send)},
		field{"line", true, r.expressions("line", &b.Console.Line, "name", "list")},
		field{"separator", false, r.text("separator", &b.Console.Separator)},
		field{"item", false, r.expression("item", &b.Console.Item, "name")},
		field{"ignore", false, r.texts("ignore", &b.Console.Ignore, checkRegexp)},
		field{"kinds", false, func(v *yaml.Node) {
			r.texts("kinds", &b.Console.Kinds, checkAny)(v)
			r.later = append(r.later, func() { r.kindsExist(v, b.Console.Kinds, b) })
		}})
	lists := slices.ContainsFunc(b.Console.Line, func(expr string) bool { return strings.Contains(expr, "(?P<list>") })
	if lists != (b.Console.Separator != "") {
		r.fault(n, "separator goes with a line that has the group (?P<list>...), and such a line with it")
	}
	if b.Console.Item != "" && !lists {
		r.fault(n, "item goes with a line that has the group (?P<list>...)")
	}
}

func (r serverReader) agreements(n *yaml.Node, b *Book) {
	if !r.expect(n, yaml.SequenceNode, "agreements") {
		return
	}
	for _, item := range n.Content {
		a := Agreement{Line: item.Line, Bound: Bounds[0]}
		r.mapping(item, "an agreement",
			field{"value", true, func(v *yaml.Node) { a.Left = r.setting(v, b) }},
			field{"with", true, func(v *yaml.Node) { a.Right = r.setting(v, b) }},
			field{"bound", false, r.oneOf("bound", &a.Bound, Bounds)},
			field{"because", false, r.text("because", &a.Because)})
		b.Agree = append(b.Agree, a)
	}
}

func (r serverReader) setting(n *yaml.Node, b *Book) Setting {
	var s Setting
	before := len(r.faults)
	r.mapping(n, "a value",
		field{"file", true, r.serverFile(&s.File, b)},
		field{"at", false, r.pointer("at", &s.At)},
		field{"match", false, r.expression("match", &s.Match, "")})
	if len(r.faults) > before {
		return s
	}
	if (s.At == "") == (s.Match == "") {
		r.fault(n, "a value needs exactly one of at and match")
	}
	if s.Format = manifest.FormatOf(s.File); s.At != "" && s.Format == "" {
		r.fault(n, "the suffix of %q does not tell how it is written; use match", s.File)
	}
	return s
}

func (r serverReader) byHand(n *yaml.Node, b *Book) {
	if !r.expect(n, yaml.SequenceNode, "by-hand") {
		return
	}
	for _, item := range n.Content {
		var h ByHand
		r.mapping(item, "a thing to do by hand",
			field{"what", true, r.text("what", &h.What)},
			field{"text", false, r.text("text", &h.Text)},
			field{"check", false, func(v *yaml.Node) {
				r.mapping(v, "check",
					field{"file", false, r.serverFile(&h.File, b)},
					field{"match", false, func(v *yaml.Node) {
						r.text("match", &h.Match)(v)
						if err := checkRegexp(h.Match); err != nil {
							r.fault(v, "match: %v", err)
						}
					}},
					field{"log", false, r.expression("log", &h.Log, "")})
				switch {
				case h.File == "" && h.Log == "":
					r.fault(v, "check needs file, log or both")
				case h.Match != "" && h.File == "":
					r.fault(v, "match goes with file")
				}
			}},
			field{"kinds", false, func(v *yaml.Node) {
				r.texts("kinds", &h.Kinds, checkAny)(v)
				r.later = append(r.later, func() { r.kindsExist(v, h.Kinds, b) })
			}})
		b.ByHand = append(b.ByHand, h)
	}
}

// serverFile reads a path on the server, whose placeholders are variables.
func (r serverReader) serverFile(dst *string, b *Book) func(*yaml.Node) {
	return func(v *yaml.Node) {
		r.text("file", dst)(v)
		if err := checkPlacePath(*dst); err != nil {
			r.fault(v, "%v", err)
			return
		}
		r.later = append(r.later, func() {
			for _, word := range Placeholders(v.Value) {
				if _, ok := b.Variable(word); !ok {
					r.fault(v, "file holds {%s}, but there is no variable %q", word, word)
				}
			}
		})
	}
}

func (r serverReader) oneOf(what string, dst *string, words []string) func(*yaml.Node) {
	return func(v *yaml.Node) {
		r.text(what, dst)(v)
		if !slices.Contains(words, *dst) {
			r.fault(v, "%s is %q; it is one of %s", what, *dst, strings.Join(words, ", "))
		}
	}
}

// holding reads a text whose placeholders are some of words, at least one.
func (r serverReader) holding(what string, dst *string, words []string) func(*yaml.Node) {
	return func(v *yaml.Node) {
		r.maybeHolding(what, dst, words)(v)
		if len(Placeholders(*dst)) == 0 {
			r.fault(v, "%s holds none of {%s}", what, strings.Join(words, "}, {"))
		}
	}
}

// maybeHolding reads a text whose placeholders, if it has any, are some of words.
func (r serverReader) maybeHolding(what string, dst *string, words []string) func(*yaml.Node) {
	return func(v *yaml.Node) {
		r.text(what, dst)(v)
		for _, word := range Placeholders(*dst) {
			if !slices.Contains(words, word) {
				r.fault(v, "%s holds {%s}; %s", what, word, suggest(word, words))
			}
		}
	}
}

// expression reads a regular expression that has a group of that name, or any
// group where name is empty and a value is wanted.
func (r serverReader) expression(what string, dst *string, group string) func(*yaml.Node) {
	return func(v *yaml.Node) {
		r.text(what, dst)(v)
		if err := checkGroup(*dst, what, group); err != nil {
			r.fault(v, "%s: %v", what, err)
		}
	}
}

// expressions reads one expression or a list of them, each with one of the groups.
func (r serverReader) expressions(what string, dst *[]string, groups ...string) func(*yaml.Node) {
	return r.texts(what, dst, func(expr string) error {
		if len(groups) == 0 {
			return checkRegexp(expr)
		}
		var err error
		for _, group := range slices.Backward(groups) {
			if err = checkGroup(expr, what, group); err == nil {
				return nil
			}
		}
		return err
	})
}

func checkGroup(expr, what, group string) error {
	if what == "match" {
		return checkMatch(expr)
	}
	re, err := regexp.Compile(expr)
	if err != nil {
		return errors.New(strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	if group != "" && !slices.Contains(re.SubexpNames(), group) {
		return fmt.Errorf("it has no group %q; write (?P<%s>...) around what it finds", group, group)
	}
	return nil
}

// serverReader reads what a rulebook says of running servers.
type serverReader struct{ *reader }

func (r *reader) server() serverReader { return serverReader{r} }
