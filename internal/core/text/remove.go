package text

import (
	"fmt"
	"slices"
	"strings"
)

// Remove gives the text without an entry or an item: with its line where it has one of its
// own, with the separator that nothing needs any more. Comments above it stay.
func (d *Doc) Remove(n *Node) ([]byte, error) {
	in := n.Up
	if d.lined != nil {
		return nil, d.lined
	}
	if in == nil {
		return nil, &UnsafeError{What: "the whole text is no entry that can be taken out"}
	}
	if n.fixed != "" && d.Format != XML {
		return nil, &UnsafeError{Line: d.Line(n), What: n.fixed + "; it is left as it is"}
	}
	var out []byte
	var err error
	switch {
	case d.Format == XML:
		out = d.cutElement(n)
	case in.style == flow:
		var f *flowList
		if f, err = d.flowOf(in); err == nil {
			out = f.cut(slices.Index(in.Items, n))
		}
	case d.Format == YAML:
		out, err = d.cutBlock(n)
	default:
		out, err = d.cutSection(n)
	}
	if err != nil {
		return nil, err
	}
	return out, d.Without(n, out)
}

// Without reads a text that is about to be given in the place of this one: it is an error
// where anything is missing but one node.
func (d *Doc) Without(n *Node, out []byte) error {
	now, err := Parse(out, d.Format)
	if err != nil {
		return fmt.Errorf("the changed text would not be readable: %w; nothing was changed", err)
	}
	if other := differs(d.Root, now.Root, n, nil); other != nil {
		return fmt.Errorf("the change would touch %s as well; nothing was changed", d.Path(other))
	}
	return nil
}

func (d *Doc) cutBlock(n *Node) ([]byte, error) {
	in := n.Up
	i := slices.Index(in.Items, n)
	start := LineStart(d.Source, n.whole.From)
	if lead := strings.TrimPrefix(string(d.Source[start:n.whole.From]), Mark); strings.TrimLeft(lead, " ") != "" {
		if i+1 == len(in.Items) { // NAME is the only one in its item
			return nil, &UnsafeError{Line: d.Line(n), What: "it is all that its item holds; take the item out"}
		}
		return Splice(d.Source, n.whole.From, in.Items[i+1].whole.From, ""), nil
	}
	if len(in.Items) > 1 {
		return cutLines(d.Source, start, LineEnd(d.Source, max(n.whole.From, n.whole.To-1))), nil
	}
	empty := "{}"
	if in.Kind == List {
		empty = "[]"
	}
	if in.Up == nil { // the whole text
		return Splice(d.Source, n.whole.From, n.whole.To, empty), nil
	}
	out := cutLines(d.Source, start, LineEnd(d.Source, max(n.whole.From, n.whole.To-1)))
	at := in.whole.From
	if !in.KeyAt.Empty() {
		at = in.KeyAt.To + strings.IndexByte(string(d.Source[in.KeyAt.To:]), ':') + 1
	} else { // an item of a list, behind its dash
		at++
	}
	if at > start || at > len(out) {
		return nil, &UnsafeError{Line: d.Line(n), What: "where an empty one would be written cannot be told"}
	}
	return Splice(out, at, at, " "+empty), nil
}

func (d *Doc) cutSection(n *Node) ([]byte, error) {
	if d.Format == TOML && n.style == section {
		if n.Up.Kind == List || n.At.From < len(d.Source) && d.Source[n.At.From] != '[' {
			return nil, &UnsafeError{Line: d.Line(n), What: "this table is written in parts; take its values out one by one"}
		}
	}
	from := LineStart(d.Source, n.whole.From)
	to := LineEnd(d.Source, max(n.whole.From, n.whole.To-1))
	if lead := strings.TrimPrefix(string(d.Source[from:n.whole.From]), Mark); strings.TrimSpace(lead) != "" {
		return nil, &UnsafeError{Line: d.Line(n), What: "other things stand in its line"}
	}
	return cutLines(d.Source, from, to), nil
}

func (d *Doc) cutElement(n *Node) []byte {
	from, to := n.whole.From, n.whole.To
	if strings.HasPrefix(n.Key, "@") {
		for from > 0 && strings.IndexByte(" \t\r\n", d.Source[from-1]) >= 0 {
			from--
		}
		return Splice(d.Source, from, to, "")
	}
	start := LineStart(d.Source, from)
	if strings.TrimSpace(string(d.Source[start:from])) == "" && strings.TrimSpace(string(d.Source[to:lineBody(d.Source, to)])) == "" && start > 0 {
		return cutLines(d.Source, start, LineEnd(d.Source, to))
	}
	return Splice(d.Source, from, to, "")
}
