package rulebook

import (
	"errors"
	"slices"

	"github.com/bmatcuk/doublestar/v4"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
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
	About     string // what it is for
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
