package text

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// Find gives the node at a value path: a JSON Pointer (RFC 6901), such as
// /harbour/lamps/0, with these further steps:
//
//	[=VALUE]      in a list: the item that is VALUE
//	[KEY=VALUE]   in a list: the item whose KEY is VALUE
//	KEY[=VALUE], KEY[NAME=VALUE], KEY#2
//	              where a name stands several times: which of them
//
// Where a name stands twice and no step says which, the one that counts is meant: in
// JSON, YAML and script tables the last, in INI, properties and command files the last too,
// in XML the first. The error wraps [ErrNotThere].
func (d *Doc) Find(path string) (*Node, error) {
	n := d.Root
	for i, step := range Steps(path) {
		next, err := d.child(n, step)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", Join(Steps(path)[:i+1]...), err)
		}
		n = next
	}
	return n, nil
}

// Steps parts a value path into its steps. A path without a slash in front is one step.
func Steps(path string) []string {
	if path == "" {
		return nil
	}
	parts := strings.Split(strings.TrimPrefix(path, "/"), "/")
	for i, p := range parts {
		parts[i] = strings.ReplaceAll(strings.ReplaceAll(p, "~1", "/"), "~0", "~")
	}
	return parts
}

// Join makes a value path of steps.
func Join(steps ...string) string {
	var out strings.Builder
	for _, s := range steps {
		out.WriteString("/" + Escape(s))
	}
	return out.String()
}

// Escape writes one step of a value path.
func Escape(step string) string {
	return strings.ReplaceAll(strings.ReplaceAll(step, "~", "~0"), "/", "~1")
}

var (
	chosen  = regexp.MustCompile(`^(.*)\[([^=\[\]]*)=(.*)\]$`)
	counted = regexp.MustCompile(`^(.*)#(\d+)$`)
)

func (d *Doc) child(n *Node, step string) (*Node, error) {
	if n.Kind == Scalar {
		return nil, fmt.Errorf("what holds it is a single value: %w", ErrNotThere)
	}
	if n.Kind != Map {
		if i, err := strconv.Atoi(step); err == nil && i >= 0 {
			if i < len(n.Items) {
				return n.Items[i], nil
			}
			return nil, fmt.Errorf("the list has %d items: %w", len(n.Items), ErrNotThere)
		}
		if m := chosen.FindStringSubmatch(step); m != nil && m[1] == "" {
			return d.pick(n.Items, m[2], m[3])
		}
		return nil, fmt.Errorf("an item of a list is named by its number, [=VALUE] or [KEY=VALUE]: %w", ErrNotThere)
	}
	if all := n.named(step); len(all) > 0 {
		return d.counting(all), nil
	}
	if m := counted.FindStringSubmatch(step); m != nil {
		i, _ := strconv.Atoi(m[2]) // digits
		if all := n.named(m[1]); i >= 1 && i <= len(all) {
			return all[i-1], nil
		}
	}
	if m := chosen.FindStringSubmatch(step); m != nil {
		items := n.Items
		if m[1] != "" {
			items = n.named(m[1])
		}
		return d.pick(items, m[2], m[3])
	}
	return nil, ErrNotThere
}

// pick gives the one item that is a value, or that has it under a key.
func (d *Doc) pick(items []*Node, key, value string) (found *Node, err error) {
	for _, i := range items {
		at := i
		if key != "" {
			if i.Kind == Scalar {
				continue
			}
			if at, err = d.child(i, key); err != nil {
				continue
			}
		}
		if at.Kind != Scalar || at.Value != value {
			continue
		}
		if found != nil {
			return nil, fmt.Errorf("lines %d and %d are both so; say which by its number: %w", d.Line(found), d.Line(i), ErrNotThere)
		}
		found = i
	}
	if found == nil {
		return nil, ErrNotThere
	}
	return found, nil
}

// named lists the entries of a name, in order.
func (n *Node) named(key string) (out []*Node) {
	for _, i := range n.Items {
		if i.Key == key {
			out = append(out, i)
		}
	}
	return out
}

// counting is the one of several entries with the same name that counts.
func (d *Doc) counting(all []*Node) *Node {
	if d.Format == XML {
		return all[0]
	}
	return all[len(all)-1]
}

// Doubled tells whether the name of a node stands more than once where it stands, and
// whether the node is the one that counts.
func (d *Doc) Doubled(n *Node) (times int, counts bool) {
	if n.Up == nil || n.Up.Kind != Map {
		return 1, true
	}
	all := n.Up.named(n.Key)
	return len(all), d.counting(all) == n
}

// Holding is the innermost entry in which an offset stands; nil for a comment, or what
// belongs to no entry.
func (d *Doc) Holding(at int) *Node {
	n := d.Root
	for {
		var in *Node
		for _, i := range n.Items {
			if i.whole.From <= at && at < max(i.whole.To, i.At.To) {
				in = i
			}
		}
		if in == nil {
			break
		}
		n = in
	}
	if n.Up == nil || n.Kind != Scalar && (at < n.KeyAt.From || at >= n.KeyAt.To) {
		return nil
	}
	return n
}

// Path is the value path of a node, such that [Doc.Find] leads to it.
func (d *Doc) Path(n *Node) string {
	var steps []string
	for ; n.Up != nil; n = n.Up {
		step := n.Key
		if n.Up.Kind != Map {
			for i, o := range n.Up.Items {
				if o == n {
					step = strconv.Itoa(i)
				}
			}
		} else if all := n.Up.named(n.Key); len(all) > 1 {
			for i, o := range all {
				if o == n {
					step += "#" + strconv.Itoa(i+1)
				}
			}
		}
		steps = append([]string{step}, steps...)
	}
	return Join(steps...)
}
