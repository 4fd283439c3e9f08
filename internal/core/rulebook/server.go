package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/manifest"
)

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
	Bound       string   // one of Bounds
	Values      []string // with one-of
	In          string   // with folder: where it lies
	Because     string
	Line        int
}

// Bounds are how two values can have to go together.
var Bounds = []string{"equal", "at-most", "at-least", "different", "one-of", "in-list", "folder", "add-on"}

// Setting is a value in a file of the server.
type Setting struct {
	File   string
	At     string // a JSON Pointer, or empty with Match
	Match  string
	Format manifest.Format
	// Separator is between the items of a value that holds several.
	Separator string
}

// Names tells whether the console's answer names add-ons of a kind.
func (c Console) Names(kind string) bool {
	return len(c.Kinds) == 0 || kind == "" || slices.Contains(c.Kinds, kind)
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
			field{"with", false, func(v *yaml.Node) { a.Right = r.setting(v, b) }},
			field{"bound", false, r.oneOf("bound", &a.Bound, Bounds)},
			field{"values", false, r.texts("values", &a.Values, checkAny)},
			field{"in", false, r.serverFile(&a.In, b)},
			field{"because", false, r.text("because", &a.Because)})
		r.agreement(item, a)
		b.Agree = append(b.Agree, a)
	}
}

// agreement checks that an agreement has what its bound is about, and nothing else.
func (r serverReader) agreement(n *yaml.Node, a Agreement) {
	if n.Kind != yaml.MappingNode || !slices.Contains(Bounds, a.Bound) {
		return
	}
	with, values, in := a.Right.File != "", len(a.Values) > 0, a.In != ""
	switch a.Bound {
	case "one-of":
		if !values || with || in {
			r.fault(n, "an agreement with bound: one-of needs values, and neither with nor in")
		}
	case "folder":
		if !in || with || values {
			r.fault(n, "an agreement with bound: folder needs in, the folder in which it lies, and neither with nor values")
		}
	case "add-on":
		if with || values || in {
			r.fault(n, "an agreement with bound: add-on has neither with, values nor in")
		}
	default:
		if !with || values || in {
			r.fault(n, "an agreement with bound: %s needs with, the other value, and neither values nor in", a.Bound)
		}
	}
}

func (r serverReader) setting(n *yaml.Node, b *Book) Setting {
	var s Setting
	before := len(r.faults)
	r.mapping(n, "a value",
		field{"file", true, r.serverFile(&s.File, b)},
		field{"at", false, r.pointer("at", &s.At)},
		field{"separator", false, r.text("separator", &s.Separator)},
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
	re, err := compiled(expr)
	if err != nil {
		return err
	}
	if group != "" && !slices.Contains(re.SubexpNames(), group) {
		return fmt.Errorf("it has no group %q; write (?P<%s>...) around what it finds", group, group)
	}
	return nil
}

// serverReader reads what a rulebook says of running servers.
type serverReader struct{ *reader }

func (r *reader) server() serverReader { return serverReader{r} }
