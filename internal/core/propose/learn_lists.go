package propose

import (
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/tree"
)

// What is remembered of answers to the question [Lists]. How a list is written is learnt from
// the add-ons that it names, which may be gone later: so it is written down once.
const (
	listsMade  = "lists-made"  // the load lists as the rulebook has them
	listsAsked = "lists-asked" // the paths of texts that were asked about
)

// emptyLists is how many empty lists of one server are asked about at most.
const emptyLists = 3

// findEmpty finds lists without any entry in the server's texts, which may be for add-ons.
func findEmpty(e Evidence, forms []form) (out []listed) {
	if len(forms) == 0 {
		return nil
	}
	for _, p := range slices.Sorted(maps.Keys(e.Texts)) {
		format := manifest.FormatOf(p.Base())
		if p.Depth() > 2 || format != manifest.JSON && format != manifest.YAML || slices.ContainsFunc(forms, func(f form) bool { return inAddon(f, e.Tree, p) }) {
			continue
		}
		v, err := manifest.Read(format, []byte(e.Texts[p]))
		if err != nil {
			continue
		}
		for _, at := range emptyIn(v, "") {
			l := listed{path: p, form: string(format), at: at, entry: "{folder}", of: len(forms) - 1}
			if forms[l.of].shape == Single {
				l.entry = "{file}"
				out = append(out, l)
				l.entry = "{name}"
			}
			out = append(out, l)
		}
	}
	return out[:min(len(out), emptyLists)]
}

// emptyIn gives the pointers of empty lists, not deeper than two keys.
func emptyIn(v manifest.Value, at string) (out []string) {
	switch v := v.(type) {
	case []manifest.Value:
		if len(v) == 0 {
			return []string{at}
		}
	case map[string]manifest.Value:
		for _, key := range slices.Sorted(maps.Keys(v)) {
			if strings.Count(at, "/") < 2 {
				out = append(out, emptyIn(v[key], at+"/"+strings.NewReplacer("~", "~0", "/", "~1").Replace(key))...)
			}
		}
	}
	return out
}

// openLists asks which texts name what is loaded, as far as nobody was asked about them yet.
func openLists(e Evidence, kinds []form, a Answers) (q Question, ok bool) {
	if len(kinds) == 0 {
		return q, false
	}
	asked := signsOf(a[listsAsked])
	fresh := func(v string) bool {
		return v != none && slices.ContainsFunc(signsOf(v), func(p string) bool { return !slices.Contains(asked, pathOf(p)) })
	}
	q = listsQuestion(e, kinds)
	q.Options = slices.DeleteFunc(q.Options, func(o Option) bool { return o.Value != none && !fresh(o.Value) })
	for _, l := range findEmpty(e, kinds) {
		if slices.Contains(asked, string(l.path)) || slices.ContainsFunc(q.Options, func(o Option) bool { return strings.HasPrefix(o.Value, string(l.path)) && o.Value == string(l.path) }) {
			continue
		}
		word := map[string]string{"{file}": "the names of files", "{name}": "names", "{folder}": "the names of folders"}[l.entry]
		q.Options = append(q.Options, Option{Value: fmt.Sprintf("%s at %s by %s", l.path, l.at, l.entry), Says: fmt.Sprintf("%s, the list %s, which is to hold %s", l.path, l.at, word), Why: "it is empty, so it may be for add-ons"})
	}
	q.Like = "mods.json at /loaded by {file}"
	return q, len(q.Options) > 1
}

// explicit is a list that an answer describes in full.
var explicit = regexp.MustCompile(`^(.+) at (/\S*) by (\{(?:file|folder|name)\})$`)

// pathOf is the text that an item of an answer is about.
func pathOf(item string) string {
	if m := explicit.FindStringSubmatch(item); m != nil {
		return m[1]
	}
	return item
}

// takeLists writes down how the lists that were answered are written, and which texts were
// asked about. It takes the answer away, which has done its work then.
func (a Answers) takeLists(e Evidence, w *writer) (Answers, error) {
	said, ok := a[Lists]
	if !ok {
		return a, nil
	}
	out := maps.Clone(a)
	delete(out, Lists)
	if out == nil {
		out = Answers{}
	}
	var names, asked []string
	for _, m := range regexp.MustCompile(`(?m)^  ([a-z0-9-]+):$`).FindAllStringSubmatch(out[listsMade], -1) {
		names = append(names, m[1])
	}
	q, _ := openLists(e, w.forms, a)
	for _, o := range q.Options {
		if o.Value != none {
			for _, item := range signsOf(o.Value) {
				asked = append(asked, pathOf(item))
			}
		}
	}
	found := lists(e, w.forms)
	for _, item := range signsOf(said) {
		if item == none {
			continue
		}
		known := false
		for _, l := range append(found, explicitly(item, w.forms)...) {
			if string(l.path) != item && !(explicit.MatchString(item) && string(l.path) == pathOf(item) && l.among < 0) {
				continue
			}
			known = true
			names = append(names, l.name(names))
			out[listsMade] += l.written(names[len(names)-1], w.names[l.of])
		}
		if !known {
			return a, notLearnt(item)
		}
		asked = append(asked, pathOf(item))
	}
	for _, p := range asked {
		if !slices.Contains(signsOf(out[listsAsked]), p) {
			out[listsAsked] = strings.TrimPrefix(out[listsAsked]+", "+p, ", ")
		}
	}
	return out, nil
}

// explicitly reads an item of an answer that describes a list in full. It has among -1.
func explicitly(item string, forms []form) []listed {
	m := explicit.FindStringSubmatch(item)
	if m == nil || len(forms) == 0 {
		return nil
	}
	p, err := tree.ParsePath(m[1])
	format := manifest.FormatOf(path.Base(m[1]))
	if err != nil || format != manifest.JSON && format != manifest.YAML {
		return nil
	}
	return []listed{{path: p, form: string(format), at: m[2], entry: m[3], of: len(forms) - 1, among: -1}}
}
