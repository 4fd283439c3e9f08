package rulebook

import (
	"fmt"
	"regexp"
	"slices"

	"go.yaml.in/yaml/v3"
)

// Template is a text that is made on a server, for an add-on or on a person's word.
type Template struct {
	Name  string
	File  string // where it goes
	About string
	Text  string
	Line  int
}

// templateWord is a placeholder of a template. Other braces are the text's own.
var templateWord = regexp.MustCompile(`\{([a-z][a-z0-9-]*)\}`)

// Template gives the template of a name.
func (b *Book) Template(name string) (Template, bool) {
	i := slices.IndexFunc(b.Templates, func(t Template) bool { return t.Name == name })
	if i < 0 {
		return Template{}, false
	}
	return b.Templates[i], true
}

// Words lists the placeholders of a template, each once.
func (t Template) Words() (out []string) {
	for _, m := range templateWord.FindAllStringSubmatch(t.File+"\n"+t.Text, -1) {
		if !slices.Contains(out, m[1]) {
			out = append(out, m[1])
		}
	}
	return out
}

// Fill gives the path and the text of a template with its placeholders filled by value.
func (t Template) Fill(value func(word string) (string, error)) (file, text string, err error) {
	fill := func(s string) string {
		return templateWord.ReplaceAllStringFunc(s, func(word string) string {
			v, e := value(word[1 : len(word)-1])
			if e != nil && err == nil {
				err = e
			}
			return v
		})
	}
	file, text = fill(t.File), fill(t.Text)
	return file, text, err
}

func (r serverReader) templates(n *yaml.Node, b *Book) {
	r.named(n, "templates", func(key, value *yaml.Node) {
		t := Template{Name: key.Value, Line: key.Line}
		r.mapping(value, "template "+key.Value,
			field{"file", true, func(v *yaml.Node) {
				r.text("file", &t.File)(v)
				if err := checkPlacePath(t.File); err != nil {
					r.fault(v, "%v", err)
				}
			}},
			field{"about", false, r.text("about", &t.About)},
			field{"text", true, r.text("text", &t.Text)})
		b.Templates = append(b.Templates, t)
	})
}

// made checks that the template of a kind's tweak is there, and that each of its placeholders
// has a value for every add-on of the kind.
func (r serverReader) made(v *yaml.Node, b *Book, k *Kind) {
	t, ok := b.Template(v.Value)
	if !ok {
		var names []string
		for _, o := range b.Templates {
			names = append(names, o.Name)
		}
		r.fault(v, "make names the template %q, which is not among the templates; %s", v.Value, suggest(v.Value, names))
		return
	}
	for _, word := range t.Words() {
		if _, ok := b.Variable(word); !ok && !slices.Contains(handWords, word) && !k.Told(word) {
			r.fault(v, "%s", fmt.Sprintf("template %s holds {%s}, which add-ons of kind %s do not tell; %s", t.Name, word, k.Name, suggest(word, handWords)))
		}
	}
}
