package rulebook

import (
	"fmt"
	"strings"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/words"
)

// Fault is one thing that is wrong with a rulebook. Line and Column count
// from 1; the column counts characters.
type Fault struct {
	Line, Column int
	What         string
}

func (f Fault) String() string {
	return fmt.Sprintf("line %d, column %d: %s", f.Line, f.Column, f.What)
}

// Error is everything that is wrong with a rulebook, in the file's order.
type Error struct{ Faults []Fault }

func (e *Error) Error() string {
	lines := make([]string, len(e.Faults))
	for i, f := range e.Faults {
		lines[i] = f.String()
	}
	return strings.Join(lines, "\n")
}

// reader walks a YAML tree and gathers faults instead of stopping at the first.
type reader struct {
	faults []Fault
	later  []func() // checks that need the whole book
}

func (r *reader) fault(n *yaml.Node, format string, args ...any) {
	r.faults = append(r.faults, Fault{Line: n.Line, Column: n.Column, What: fmt.Sprintf(format, args...)})
}

// field is one key that a mapping may have.
type field struct {
	name     string
	required bool
	read     func(value *yaml.Node)
}

// mapping reads a mapping with known keys. what names the mapping in faults.
func (r *reader) mapping(n *yaml.Node, what string, fields ...field) {
	if !r.expect(n, yaml.MappingNode, what) {
		return
	}
	seen := map[string]bool{}
	r.pairs(n, func(key, value *yaml.Node) {
		for _, f := range fields {
			if f.name == key.Value {
				seen[f.name] = true
				f.read(value)
				return
			}
		}
		known := make([]string, len(fields))
		for i, f := range fields {
			known[i] = f.name
		}
		r.fault(key, "%s has no key %q; %s", what, key.Value, suggest(key.Value, known))
	})
	for _, f := range fields {
		if f.required && !seen[f.name] {
			r.fault(n, "%s needs the key %q", what, f.name)
		}
	}
}

// named reads a mapping whose keys are names of the book's own.
func (r *reader) named(n *yaml.Node, what string, each func(key, value *yaml.Node)) {
	if !r.expect(n, yaml.MappingNode, what) {
		return
	}
	r.pairs(n, func(key, value *yaml.Node) {
		if !IsName(key.Value) {
			r.fault(key, "%q cannot be a name: small letters, digits and dashes, at most 31, not a dash first", key.Value)
			return
		}
		each(key, value)
	})
}

func (r *reader) pairs(n *yaml.Node, each func(key, value *yaml.Node)) {
	seen := map[string]int{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := n.Content[i], n.Content[i+1]
		if line, twice := seen[key.Value]; twice {
			r.fault(key, "%q stands here a second time; it is on line %d already", key.Value, line)
			continue
		}
		seen[key.Value] = key.Line
		each(key, value)
	}
}

func (r *reader) expect(n *yaml.Node, kind yaml.Kind, what string) bool {
	if n.Kind == kind {
		return true
	}
	names := map[yaml.Kind]string{yaml.MappingNode: "a mapping (key: value)", yaml.SequenceNode: "a list", yaml.ScalarNode: "one value"}
	r.fault(n, "%s must be %s", what, names[kind])
	return false
}

// text reads one string into dst.
func (r *reader) text(what string, dst *string) func(*yaml.Node) {
	return func(n *yaml.Node) {
		if !r.expect(n, yaml.ScalarNode, what) {
			return
		}
		if n.Value == "" {
			r.fault(n, "%s is empty", what)
		}
		*dst = n.Value
	}
}

// texts reads one string or a list of them, each passed to check.
func (r *reader) texts(what string, dst *[]string, check func(string) error) func(*yaml.Node) {
	return func(n *yaml.Node) {
		items := []*yaml.Node{n}
		if n.Kind == yaml.SequenceNode {
			items = n.Content
		}
		if len(items) == 0 {
			r.fault(n, "%s is an empty list", what)
		}
		for _, item := range items {
			if !r.expect(item, yaml.ScalarNode, what) {
				continue
			}
			if err := check(item.Value); err != nil {
				r.fault(item, "%s: %v", what, err)
			}
			*dst = append(*dst, item.Value)
		}
	}
}

// suggest names the known word nearest to a wrong one, else all of them.
func suggest(wrong string, known []string) string {
	if near := words.Nearest(wrong, known); near != "" {
		return fmt.Sprintf("did you mean %q?", near)
	}
	return "it may have " + strings.Join(known, ", ")
}
