package rulebook

import (
	"errors"
	"slices"

	"github.com/bmatcuk/doublestar/v4"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// TextRule says what is known of texts that people change on a server, besides those that a
// rule of a kind calls settings.
type TextRule struct {
	Files       []string    // globs of paths on the server
	Format      text.Format // where neither the suffix nor the look of a text tells it
	TakesEffect string      // when a change counts: one of Effects; empty is at a start
	Reload      string      // the line for the console, with "reload"
	Secret      []string    // value paths of what is masked wherever a text is shown
	// Rewritten is set where the server writes to it by itself: a change is made while it is
	// stopped.
	Rewritten bool
	Ports     []string // value paths of the ports that are listened on; no two are the same
	About     string   // what it is for
	Line      int
}

// TextRule gives what is known of a text on the server: the first rule that names it.
func (b *Book) TextRule(p tree.Path) (TextRule, bool) {
	i := slices.IndexFunc(b.Texts, func(t TextRule) bool {
		return slices.ContainsFunc(t.Files, func(g string) bool { return doublestar.MatchUnvalidated(g, string(p)) })
	})
	if i < 0 {
		return TextRule{}, false
	}
	return b.Texts[i], true
}

// Secret tells whether a value of a text is masked wherever it is shown.
func (b *Book) Secret(p tree.Path, at string) bool {
	r, _ := b.TextRule(p)
	return at != "" && slices.ContainsFunc(r.Secret, func(s string) bool {
		return doublestar.MatchUnvalidated(s, at)
	})
}

// Agreeing tells whether the rulebook says of any values that they must go together.
func (b *Book) Agreeing() bool {
	return len(b.Agree) > 0 || slices.ContainsFunc(b.Texts, func(t TextRule) bool { return len(t.Ports) > 0 })
}

func (r serverReader) textRules(n *yaml.Node, b *Book) {
	if !r.expect(n, yaml.SequenceNode, "settings") {
		return
	}
	var formats []string
	for _, f := range text.Formats() {
		formats = append(formats, string(f))
	}
	for _, item := range n.Content {
		t := TextRule{Line: item.Line}
		var format string
		r.mapping(item, "settings",
			field{"files", true, r.texts("files", &t.Files, checkGlob)},
			field{"about", false, r.text("about", &t.About)},
			field{"format", false, r.oneOf("format", &format, formats)},
			field{"takes-effect", false, r.oneOf("takes-effect", &t.TakesEffect, Effects)},
			field{"reload", false, r.text("reload", &t.Reload)},
			field{"secret", false, r.texts("secret", &t.Secret, checkPointer)},
			field{"ports", false, r.texts("ports", &t.Ports, checkPointer)},
			field{"rewritten", false, r.yes("rewritten", &t.Rewritten)})
		t.Format = text.Format(format)
		if (t.TakesEffect == "reload") != (t.Reload != "") && item.Kind == yaml.MappingNode {
			r.fault(item, "settings need both takes-effect: reload and reload, the line for the console, or neither")
		}
		if t.Rewritten && t.TakesEffect != "" && t.TakesEffect != "start" {
			r.fault(item, "what the server writes to by itself can be changed while it is stopped only; leave takes-effect out")
		}
		b.Texts = append(b.Texts, t)
	}
}

var errPointer = errors.New("a value path begins with a slash, such as /server/password")

func checkPointer(s string) error {
	if s == "" || s[0] != '/' {
		return errPointer
	}
	return nil
}

// KindTweak is a change of a text that each add-on of a kind needs, besides its entries in load
// lists. It goes with its add-on. Texts may hold {name}, {id}, {version}, what the kind tells,
// and variables.
type KindTweak struct {
	File                                       string
	Set, Add, Drop, Insert, Uncomment, Comment string
	Make                                       string // the name of a template, which says the file itself
	Value                                      string
	Separator, After, Before, Like             string
	Line                                       int
}

// Tweak gives the change with its placeholders filled by fill; templates are the rulebook's.
func (t KindTweak) Tweak(b *Book, fill func(string) (string, error)) (out tweak.Tweak, file string, err error) {
	if t.Make != "" {
		tpl, _ := b.Template(t.Make) // parsing has made sure of it
		out.Do = tweak.Begin
		file, out.Text, err = tpl.Fill(func(word string) (string, error) { return fill("{" + word + "}") })
		return out, file, err
	}
	get := func(s string) string {
		filled, e := fill(s)
		if e != nil && err == nil {
			err = e
		}
		return filled
	}
	out.Value, out.Separator = get(t.Value), t.Separator
	switch {
	case t.Set != "":
		out.Do, out.At, out.Make = tweak.Set, get(t.Set), true
	case t.Add != "":
		out.Do, out.At = tweak.Add, get(t.Add)
		out.Place.After, out.Place.Before = get(t.After), get(t.Before)
	case t.Drop != "":
		out.Do, out.At = tweak.Drop, get(t.Drop)
	case t.Insert != "":
		out.Do, out.Text = tweak.Insert, get(t.Insert)
		out.Where = tweak.Where{After: get(t.After), Before: get(t.Before), Like: get(t.Like)}
	case t.Uncomment != "":
		out.Do, out.Text = tweak.Uncomment, get(t.Uncomment)
	default:
		out.Do, out.At = tweak.Comment, get(t.Comment)
	}
	return out, get(t.File), err
}

// kindTweaks reads what add-ons of a kind need in texts.
func (r serverReader) kindTweaks(n *yaml.Node, b *Book, k *Kind) {
	if !r.expect(n, yaml.SequenceNode, "tweaks") {
		return
	}
	for _, item := range n.Content {
		t := KindTweak{Line: item.Line}
		text := func(what string, dst *string) func(*yaml.Node) {
			return func(v *yaml.Node) {
				r.text(what, dst)(v)
				r.later = append(r.later, func() {
					for _, word := range Placeholders(v.Value) {
						if _, ok := b.Variable(word); !ok && !slices.Contains(handWords, word) && !k.Told(word) && !b.tellsFact(word) {
							r.fault(v, "%s holds {%s}, which add-ons of kind %s do not tell; %s", what, word, k.Name, suggest(word, handWords))
						}
					}
				})
			}
		}
		r.mapping(item, "a tweak of a kind",
			field{"file", false, text("file", &t.File)},
			field{"make", false, func(v *yaml.Node) {
				r.text("make", &t.Make)(v)
				r.later = append(r.later, func() { r.made(v, b, k) })
			}},
			field{"set", false, text("set", &t.Set)}, field{"add", false, text("add", &t.Add)}, field{"drop", false, text("drop", &t.Drop)},
			field{"insert", false, text("insert", &t.Insert)}, field{"uncomment", false, text("uncomment", &t.Uncomment)}, field{"comment", false, text("comment", &t.Comment)},
			field{"value", false, text("value", &t.Value)}, field{"separator", false, r.text("separator", &t.Separator)},
			field{"after", false, text("after", &t.After)}, field{"before", false, text("before", &t.Before)}, field{"like", false, text("like", &t.Like)})
		deeds := 0
		for _, d := range []string{t.Set, t.Add, t.Drop, t.Insert, t.Uncomment, t.Comment, t.Make} {
			if d != "" {
				deeds++
			}
		}
		if deeds != 1 && item.Kind == yaml.MappingNode {
			r.fault(item, "a tweak of a kind has exactly one of set, add, drop, insert, uncomment, comment and make")
		}
		if (t.File == "") != (t.Make != "") && item.Kind == yaml.MappingNode {
			r.fault(item, "a tweak of a kind needs file, the text that it changes; only with make the template says it")
		}
		k.Tweaks = append(k.Tweaks, t)
	}
}
