// Package agree looks whether values of a server's texts go together as its rulebook says:
// equal, within a bound, one of some, in a list, or the name of something that is there.
package agree

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/words"
)

// Code is the code of a finding about an agreement.
const Code = "agreement-broken"

// Seen is what is known of a server.
type Seen struct {
	// Text gives a text; ok is false where it is not there, or not known.
	Text func(p tree.Path) (raw []byte, ok bool)
	// Folders lists the folders in a folder; ok is false where it is not known. It may be nil.
	Folders func(p tree.Path) (names []string, ok bool)
	// Addons are the names of the add-ons that are there; nil where that is not known.
	Addons []string
	// Others are further texts that are there, which a glob of the rulebook may name.
	Others []tree.Path
}

// Broken is an agreement that does not hold.
type Broken struct {
	finding.Finding
	Tweak *tweak.Tweak // that mends it; nil where only a person can tell how
	Path  tree.Path    // of the text that the tweak is about
}

// Files lists the texts that the agreements of a server are about.
func Files(b *rulebook.Book, vars map[string]string) (out []tree.Path) {
	add := func(p tree.Path) {
		if !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	for _, a := range b.Agree {
		for _, s := range []rulebook.Setting{a.Left, a.Right} {
			if p, ok := place(s.File, vars); ok && s.File != "" {
				add(p)
			}
		}
	}
	for _, p := range named(b) {
		add(p)
	}
	return out
}

func place(file string, vars map[string]string) (tree.Path, bool) {
	filled, err := rulebook.Fill(file, func(name string) (string, bool) { v, ok := vars[name]; return v, ok })
	if err != nil {
		return tree.Root, false
	}
	p, err := tree.ParsePath(filled)
	return p, err == nil
}

// Check looks at every agreement. One of which a text is not there, or does not hold the
// value, is not broken: nothing can be said of it.
func Check(b *rulebook.Book, vars map[string]string, s Seen) (out []Broken) {
	for _, a := range b.Agree {
		c := checking{book: b, vars: vars, seen: s, a: a}
		if left, ok := c.value(a.Left); ok {
			out = append(out, c.check(left)...)
		}
	}
	return append(out, ports(b, s)...)
}

type checking struct {
	book *rulebook.Book
	vars map[string]string
	seen Seen
	a    rulebook.Agreement
}

// found is a value at its place.
type found struct {
	path   tree.Path
	line   int
	at     string // its value path; empty where the format does not tell one
	format text.Format
	value  string
	items  []string // of a list, or of a value whose items stand between separators
}

func (f found) where() string { return fmt.Sprintf("%s, line %d", f.path, f.line) }

// name is how a value is called: by the last step of its path.
func (f found) name() string {
	steps := text.Steps(f.at)
	if len(steps) == 0 {
		return f.value
	}
	return steps[len(steps)-1]
}

func (c checking) value(s rulebook.Setting) (found, bool) {
	p, ok := place(s.File, c.vars)
	if !ok || s.File == "" {
		return found{}, false
	}
	raw, ok := c.seen.Text(p)
	if !ok {
		return found{}, false
	}
	enc, is := text.EncodingOf(raw)
	if !is {
		return found{}, false
	}
	source, err := enc.Decode(raw)
	if err != nil {
		return found{}, false
	}
	f := found{path: p, format: text.Guess(p.Base(), source)}
	if r, ruled := c.book.TextRule(p); ruled && r.Format != "" {
		f.format = r.Format
	}
	d, err := text.Parse(source, f.format)
	if err != nil {
		if d, err = text.Parse(source, text.Lines); err != nil || s.Match == "" {
			return found{}, false
		}
		f.format = text.Lines
	}
	if s.Match != "" {
		expr, err := regexp.Compile(s.Match)
		if err != nil {
			return found{}, false
		}
		m := expr.FindSubmatchIndex(source)
		if len(m) < 4 || m[2] < 0 {
			return found{}, false
		}
		f.value = strings.TrimSpace(string(source[m[2]:m[3]]))
		f.line = 1 + strings.Count(string(source[:m[2]]), "\n")
		if n := d.Holding(m[2]); n != nil && n.Value == f.value {
			f.at = d.Path(n)
		}
	} else {
		n, err := d.Find(s.At)
		if err != nil {
			return found{}, false
		}
		f.value, f.line, f.at = n.Value, d.Line(n), d.Path(n)
		for _, i := range n.Items {
			f.items = append(f.items, i.Value)
		}
	}
	if s.Separator != "" {
		for _, item := range strings.Split(f.value, s.Separator) {
			f.items = append(f.items, strings.TrimSpace(item))
		}
	}
	return f, true
}

func (c checking) check(left found) []Broken {
	switch c.a.Bound {
	case "one-of":
		if slices.Contains(c.a.Values, left.value) {
			return nil
		}
		return c.broken(left, words.Nearest(left.value, c.a.Values), "%s is %s (%s); it must be one of %s.", left.name(), left.value, left.where(), words.Few(c.a.Values))
	case "folder":
		folder, ok := place(c.a.In, c.vars)
		if !ok || c.seen.Folders == nil {
			return nil
		}
		names, known := c.seen.Folders(folder)
		if !known {
			return nil
		}
		return c.named(left, names, "a folder in "+string(folder))
	case "add-on":
		if c.seen.Addons == nil {
			return nil
		}
		return c.named(left, c.seen.Addons, "an add-on that is there")
	}
	right, ok := c.value(c.a.Right)
	if !ok {
		return nil
	}
	both := fmt.Sprintf("%s is %s (%s), and %s is %s (%s)", left.name(), left.value, left.where(), right.name(), right.value, right.where())
	switch c.a.Bound {
	case "in-list":
		if slices.Contains(right.items, left.value) {
			return nil
		}
		return c.broken(left, words.Nearest(left.value, right.items), "%s is %s (%s), which %s does not hold (%s).", left.name(), left.value, left.where(), right.name(), right.where())
	case "equal":
		if same(left.value, right.value) {
			return nil
		}
		return c.broken(left, right.value, "%s; the two must be equal.", both)
	}
	if c.a.Bound == "different" {
		if !same(left.value, right.value) {
			return nil
		}
		return c.broken(left, "", "%s; the two must differ.", both)
	}
	l, err1 := strconv.ParseFloat(left.value, 64)
	r, err2 := strconv.ParseFloat(right.value, 64)
	switch {
	case err1 != nil || err2 != nil:
		return c.broken(left, "", "%s; both must be numbers.", both)
	case c.a.Bound == "at-most" && l > r:
		return c.broken(left, right.value, "%s; it must be at most that.", both)
	case c.a.Bound == "at-least" && l < r:
		return c.broken(left, right.value, "%s; it must be at least that.", both)
	}
	return nil
}

// same compares two values, as numbers where both are some.
func same(a, b string) bool {
	x, err1 := strconv.ParseFloat(a, 64)
	y, err2 := strconv.ParseFloat(b, 64)
	return a == b || err1 == nil && err2 == nil && x == y
}

// named looks whether every item of a value, or the value, is one of some names.
func (c checking) named(left found, names []string, what string) (out []Broken) {
	items := left.items
	if items == nil {
		items = []string{left.value}
	}
	for _, i := range items {
		if i == "" || slices.Contains(names, i) {
			continue
		}
		near := words.Nearest(i, names)
		hint := ""
		if near != "" {
			hint = "; there is " + near
		}
		one := near
		if left.items != nil {
			one = "" // the tweak would write over the whole list
		}
		out = append(out, c.broken(left, one, "%s names %s (%s), which is not %s%s.", left.name(), i, left.where(), what, hint)...)
	}
	return out
}

// broken says what does not hold. Value is what would mend it, empty where that is not known.
func (c checking) broken(left found, value, format string, args ...any) []Broken {
	b := Broken{Finding: finding.Finding{Level: finding.Warn, Code: Code, Path: left.path, What: fmt.Sprintf(format, args...)}, Path: left.path}
	if c.a.Because != "" {
		b.What = strings.TrimSuffix(b.What, ".") + ": " + strings.TrimSuffix(c.a.Because, ".") + "."
	}
	if value != "" && left.at != "" {
		b.Mend = "Set one of the two so that they go together."
		b.Tweak = &tweak.Tweak{Do: tweak.Set, Format: left.format, At: left.at, Value: value}
		b.By(finding.SetText.With(fmt.Sprintf("%s %s %s", left.path, left.at, value)))
	}
	return []Broken{b}
}
