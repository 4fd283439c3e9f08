package requests

import (
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// templated turns the wish for a text from a template into the tweak that makes it.
func templated(b *rulebook.Book, srv model.Server, t *AskTweak, versions map[string]string) error {
	tpl, ok := b.Template(t.Template)
	if !ok {
		var names []string
		for _, o := range b.Templates {
			names = append(names, o.Name)
		}
		f := fault.New(fault.Unknown, "no-such-template", "rulebook %s has no template %q", b.Name, t.Template)
		if len(names) == 0 {
			return f.WithMend("It has none at all; they stand under templates.")
		}
		return f.WithMend("It has %s.", words.Few(names))
	}
	for word := range t.With {
		if !slices.Contains(tpl.Words(), word) {
			return fault.New(fault.Usage, "bad-request", "template %s has no {%s}", tpl.Name, word).WithMend("It has %s.", words.Few(tpl.Words()))
		}
	}
	file, text, err := tpl.Fill(func(word string) (string, error) {
		if v, given := t.With[word]; given {
			return v, nil
		}
		if v := srv.Known()[word]; v != "" {
			return v, nil
		}
		if v := ValueOf(b, srv, word); v != "" {
			return v, nil
		}
		switch {
		case word == "name" && t.For != "":
			return t.For, nil
		case word == "version" && versions[layout.Key(t.For)] != "":
			return versions[layout.Key(t.For)], nil
		}
		return "", fmt.Errorf("template %s needs a value for {%s}", tpl.Name, word)
	})
	if err != nil {
		return fault.New(fault.Usage, "bad-request", "%v", err).WithMend("Give it, or name the add-on for which the text is.")
	}
	p, err := tree.ParsePath(strings.TrimPrefix(file, "./"))
	if err != nil {
		return fault.New(fault.Usage, "bad-request", "template %s would go to %q: %v", tpl.Name, file, err)
	}
	t.Path, t.Tweak = p, tweak.Tweak{Do: tweak.Begin, Text: text}
	if t.Note == "" {
		t.Note = "from the template " + tpl.Name
	}
	return nil
}
