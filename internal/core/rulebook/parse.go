package rulebook

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/tree"
)

var name = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,30}$`)

// IsName tells whether s can name a rulebook, a place, a kind, a variable or
// a server.
func IsName(s string) bool { return name.MatchString(s) }

// Parse reads a rulebook. The error is an *[Error] with every fault found.
func Parse(text []byte) (*Book, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal(text, &doc); err != nil {
		return nil, &Error{Faults: []Fault{yamlFault(err)}}
	}
	if len(doc.Content) == 0 {
		return nil, &Error{Faults: []Fault{{Line: 1, Column: 1, What: "the rulebook is empty; it starts with format: 1"}}}
	}
	r := &reader{}
	b := r.book(doc.Content[0])
	if len(r.faults) > 0 {
		slices.SortStableFunc(r.faults, func(a, b Fault) int { return cmp.Or(a.Line-b.Line, a.Column-b.Column) })
		return nil, &Error{Faults: r.faults}
	}
	return b, nil
}

var yamlLine = regexp.MustCompile(`line (\d+): (.*)`)

// yamlFault takes the line out of the YAML package's message. That package
// gives no column; the first one is named.
func yamlFault(err error) Fault {
	if m := yamlLine.FindStringSubmatch(err.Error()); m != nil {
		line, _ := strconv.Atoi(m[1])
		return Fault{Line: line, Column: 1, What: "not YAML: " + m[2]}
	}
	return Fault{Line: 1, Column: 1, What: "not YAML: " + strings.TrimPrefix(err.Error(), "yaml: ")}
}

func (r *reader) book(n *yaml.Node) *Book {
	b := &Book{}
	var cas string
	var caseNode, kindsNode *yaml.Node
	r.mapping(n, "a rulebook",
		field{"format", true, func(v *yaml.Node) {
			if v.Value != strconv.Itoa(Format) {
				r.fault(v, "format %q is not known; this program reads format: %d", v.Value, Format)
			}
		}},
		field{"name", true, func(v *yaml.Node) {
			r.text("name", &b.Name)(v)
			if v.Value != "" && !IsName(v.Value) {
				r.fault(v, "%q cannot be a name: small letters, digits and dashes, at most 31, not a dash first", v.Value)
			}
		}},
		field{"title", true, r.text("title", &b.Title)},
		field{"about", false, r.text("about", &b.About)},
		field{"case", false, func(v *yaml.Node) { caseNode = v; r.text("case", &cas)(v) }},
		field{"variables", false, func(v *yaml.Node) { r.variables(v, b) }},
		field{"protected", false, r.texts("protected", &b.Protected, checkGlob)},
		field{"places", true, func(v *yaml.Node) { r.places(v, b) }},
		field{"kinds", true, func(v *yaml.Node) { kindsNode = v }},
		field{"game", false, func(v *yaml.Node) {
			r.mapping(v, "game",
				field{"versions", false, r.texts("versions", &b.Known.Games, checkAny)},
				field{"names", false, r.texts("names", &b.Known.Names, checkAny)},
				field{"loaders", false, r.texts("loaders", &b.Known.Loaders, checkAny)})
		}},
		field{"facts", false, func(v *yaml.Node) { r.server().facts(v, b) }},
		field{"load-lists", false, func(v *yaml.Node) { r.server().loadLists(v, b) }},
		field{"log", false, func(v *yaml.Node) { r.server().log(v, b) }},
		field{"console", false, func(v *yaml.Node) { r.server().console(v, b) }},
		field{"players", false, func(v *yaml.Node) { r.server().players(v, b) }},
		field{"first-run", false, r.texts("first-run", &b.FirstRun, checkGlob)},
		field{"settings", false, func(v *yaml.Node) { r.server().textRules(v, b) }},
		field{"templates", false, func(v *yaml.Node) { r.server().templates(v, b) }},
		field{"agreements", false, func(v *yaml.Node) { r.server().agreements(v, b) }},
		field{"by-hand", false, func(v *yaml.Node) { r.server().byHand(v, b) }},
		field{"helpers", false, func(v *yaml.Node) { r.helpers(v, b) }},
	)
	switch cas {
	case "", "exact":
	case "blind":
		b.CaseBlind = true
	default:
		r.fault(caseNode, "case is %q; it is exact or blind", cas)
	}
	// Kinds name places and places name variables, so they are read in that
	// order whatever the file's.
	for _, p := range b.Places {
		for _, v := range Placeholders(p.Path) {
			if _, ok := b.Variable(v); !ok {
				r.faults = append(r.faults, Fault{Line: p.Line, Column: 1,
					What: fmt.Sprintf("place %s holds {%s}, but there is no variable %q", p.Name, v, v)})
			}
		}
	}
	if kindsNode != nil {
		r.kinds(kindsNode, b)
	}
	for _, check := range r.later {
		check()
	}
	return b
}

func (r *reader) variables(n *yaml.Node, b *Book) {
	r.named(n, "variables", func(key, value *yaml.Node) {
		v := Variable{Name: key.Value}
		r.mapping(value, "variable "+key.Value,
			field{"ask", true, r.text("ask", &v.Ask)},
			field{"default", false, func(n *yaml.Node) {
				if v.Maybe = n.Kind == yaml.ScalarNode && n.Value == "" && n.Tag == "!!str"; !v.Maybe {
					r.text("default", &v.Default)(n)
				}
			}},
			field{"per", false, func(n *yaml.Node) {
				var per string
				r.server().oneOf("per", &per, []string{"server", "add-on"})(n)
				v.PerAddon = per == "add-on"
			}},
			field{"set-by-hand", false, func(n *yaml.Node) { r.server().setByHand(n, &v, b) }},
			field{"set-in", false, func(n *yaml.Node) {
				s := r.server().setting(n, b)
				if v.SetIn = &s; s.Match == "" {
					r.fault(n, "set-in needs match: an expression whose first group is the value")
				}
			}})
		switch {
		case v.SetIn != nil && v.ByHand != "":
			r.fault(key, "variable %s is set either in a text or by hand, not both", key.Value)
		case v.PerAddon && (v.SetIn != nil || v.ByHand != ""):
			r.fault(key, "variable %s is asked per add-on, so no text and no panel holds it", key.Value)
		}
		if v.PerAddon && v.Default == "" && !v.Maybe {
			r.fault(key, "variable %s is asked per add-on, so it needs a default", key.Value)
		}
		b.Variables = append(b.Variables, v)
	})
}

func (r *reader) places(n *yaml.Node, b *Book) {
	r.named(n, "places", func(key, value *yaml.Node) {
		p := Place{Name: key.Value, Line: key.Line}
		r.mapping(value, "place "+key.Value,
			field{"path", true, func(v *yaml.Node) {
				r.text("path", &p.Path)(v)
				if err := checkPlacePath(p.Path); err != nil {
					r.fault(v, "%v", err)
				}
			}},
			field{"about", false, r.text("about", &p.About)},
			field{"players", false, func(v *yaml.Node) {
				r.text("players", &p.Players)(v)
				if _, err := tree.ParsePath(p.Players); err != nil {
					r.fault(v, "players: %v", err)
				}
			}},
			field{"data", false, r.yes("data", &p.Data)})
		b.Places = append(b.Places, p)
	})
}

func checkPlacePath(text string) error {
	if text == "." {
		return nil
	}
	filled, err := Fill(text, func(string) (string, bool) { return "x", true })
	if err != nil {
		return err
	}
	_, err = tree.ParsePath(filled)
	return err
}

func checkGlob(glob string) error {
	if !doublestar.ValidatePattern(glob) {
		return fmt.Errorf("%q is not a glob", glob)
	}
	if strings.Contains(glob, "***") {
		return fmt.Errorf("%q has three stars in a row; ** is any folders, * any signs of a name", glob)
	}
	if strings.HasPrefix(glob, "/") {
		return fmt.Errorf("%q starts with a slash; globs start below the root", glob)
	}
	return nil
}

func checkFileName(s string) error {
	if p, err := tree.ParsePath(s); err != nil || p.Depth() != 1 {
		return fmt.Errorf("%q is not a plain file name", s)
	}
	return nil
}

// checkNameGlob checks a glob for the name of one file or folder.
func checkNameGlob(s string) error {
	if strings.Contains(s, "/") {
		return fmt.Errorf("%q is not the name of one file or folder", s)
	}
	return checkGlob(s)
}

func checkSuffix(s string) error {
	if err := checkFileName("x" + s); err != nil || s == "" {
		return fmt.Errorf("%q is not what a file's name ends with", s)
	}
	return nil
}

func checkAny(string) error { return nil }

// compiled reads an expression; its error is for the author of a rulebook.
func compiled(expr string) (*regexp.Regexp, error) {
	re, err := regexp.Compile(expr)
	if err != nil {
		return nil, errors.New(strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	names := map[string]bool{}
	for _, name := range re.SubexpNames() {
		if name != "" && names[name] {
			return nil, fmt.Errorf("the group %q stands twice, and only the first would count; write two expressions in a list", name)
		}
		names[name] = true
	}
	return re, nil
}

func checkRegexp(expr string) error {
	_, err := compiled(expr)
	return err
}

func checkMatch(expr string) error {
	re, err := compiled(expr)
	if err != nil {
		return err
	}
	if re.NumSubexp() < 1 {
		return fmt.Errorf("%q has no group; the first ( ) is the value", expr)
	}
	return nil
}
