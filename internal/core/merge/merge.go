package merge

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/text"
)

// Side is whose word stands where both changed the same.
type Side string

// The sides.
const (
	Mine   Side = "mine"   // of the server
	Theirs Side = "theirs" // of the add-on's author
)

// Everywhere is the key under which a choice for every conflict stands.
const Everywhere = "*"

// Three are the texts of a merge: what the author shipped before, what the server has, and
// what the author ships now. They are UTF-8.
type Three struct {
	Format             text.Format
	Base, Mine, Theirs []byte
	Keep               map[string]Side // what was decided, by [Conflict.Key]
}

// Conflict is a place that both sides changed in different ways.
type Conflict struct {
	Key  string `json:"key"`  // a value path, or lines A-B of the server's text
	Line int    `json:"line"` // in the server's text, from 1
	// What each has there; a side on which it is gone says so.
	Base   string `json:"base"`
	Mine   string `json:"mine"`
	Theirs string `json:"theirs"`
	Kept   Side   `json:"kept,omitempty"` // what was decided; empty where nothing was
}

// Gone is what a side says of an entry that it does not have.
const Gone = "(gone)"

// Result is a merged text.
type Result struct {
	Text      []byte
	Conflicts []Conflict // with those that were decided; where none was, Text has mine
	ByMeaning bool       // whether the format is known and values were merged as such
}

// Open lists the conflicts that nobody has decided.
func (r Result) Open() (out []Conflict) {
	for _, c := range r.Conflicts {
		if c.Kept == "" {
			out = append(out, c)
		}
	}
	return out
}

// Merge merges three texts: values by meaning where all of them can be read in their format,
// the rest by lines.
func Merge(t Three) Result {
	m := &merging{Three: t}
	m.evenEnds()
	base, errB := text.Parse(m.Base, t.Format)
	mine, errM := text.Parse(m.Mine, t.Format)
	theirs, errT := text.Parse(m.Theirs, t.Format)
	if errB != nil || errM != nil || errT != nil || t.Format == text.Lines {
		return m.byLines()
	}
	if r, ok := m.byMeaning(base, mine, theirs); ok {
		return r
	}
	m.conflicts = nil
	return m.byLines()
}

type merging struct {
	Three
	conflicts []Conflict
}

// evenEnds gives the author's texts the line ends of the server's, where those are all the
// same: a host may have turned them.
func (m *merging) evenEnds() {
	crlf, lf := strings.Count(string(m.Mine), "\r\n"), strings.Count(string(m.Mine), "\n")
	turn := func(b []byte) []byte {
		s := strings.ReplaceAll(string(b), "\r\n", "\n")
		if crlf > 0 {
			s = strings.ReplaceAll(s, "\n", "\r\n")
		}
		return []byte(s)
	}
	if lf == 0 || crlf != 0 && crlf != lf {
		return
	}
	m.Base, m.Theirs = turn(m.Base), turn(m.Theirs)
}

// decide tells whose word stands at a key; empty where nobody said.
func (m *merging) decide(key string) Side {
	if s, ok := m.Keep[key]; ok {
		return s
	}
	return m.Keep[Everywhere]
}

func (m *merging) byLines() Result {
	mine := split(string(m.Mine))
	from := 0 // conflicts come in the order of the text
	out := Lines(string(m.Base), string(m.Mine), string(m.Theirs), func(base, own, theirs []string) []string {
		at := find(mine, own, from)
		from = at + len(own)
		c := Conflict{Key: fmt.Sprintf("lines %d-%d", at+1, max(at+1, at+len(own))), Line: at + 1, Base: whole(base), Mine: whole(own), Theirs: whole(theirs)}
		c.Kept = m.decide(c.Key)
		m.conflicts = append(m.conflicts, c)
		if c.Kept == Theirs {
			return theirs
		}
		return own
	})
	return Result{Text: []byte(out), Conflicts: m.conflicts}
}

func whole(lines []string) string {
	if len(lines) == 0 {
		return Gone
	}
	return strings.Join(lines, "")
}

// find gives where lines stand among others, from some on.
func find(in, what []string, from int) int {
	for i := from; i+len(what) <= len(in); i++ {
		if slices.Equal(in[i:i+len(what)], what) {
			return i
		}
	}
	return from
}

// leaf is a value that can be merged as such.
type leaf struct {
	node *text.Node
	raw  string
}

// leaves lists the values of a text by their paths. Items of lists are not among them, where
// a place says nothing: a list is one value.
func leaves(d *text.Doc) map[string]leaf {
	out := map[string]leaf{}
	var walk func(n *text.Node, path string)
	walk = func(n *text.Node, path string) {
		if n.Up != nil && (n.Kind == text.Scalar || n.Kind == text.Call) {
			out[path] = leaf{n, d.Raw(n)}
			return
		}
		seen := map[string]int{}
		for i, c := range n.Items {
			step := c.Key
			if n.Kind != text.Map {
				step = name(c, i)
			}
			if seen[step]++; seen[step] > 1 {
				step = fmt.Sprintf("%s#%d", step, seen[step])
			}
			walk(c, path+"/"+text.Escape(step))
		}
	}
	walk(d.Root, "")
	return out
}

// name tells items of a list apart: by what they say of themselves, or by their value, or by
// their number.
func name(n *text.Node, i int) string {
	if n.Kind == text.Scalar {
		return "[=" + n.Value + "]"
	}
	for _, key := range []string{"id", "name", "key", "@id", "@name", "@key"} {
		for _, c := range n.Items {
			if strings.EqualFold(c.Key, key) && c.Kind == text.Scalar && n.Kind == text.Map {
				return "[" + c.Key + "=" + c.Value + "]"
			}
		}
	}
	return fmt.Sprint(i)
}

// keys gives all paths that one of some texts has, in order.
func keys(all ...map[string]leaf) []string {
	out := map[string]bool{}
	for _, one := range all {
		for k := range one {
			out[k] = true
		}
	}
	return slices.Sorted(maps.Keys(out))
}
