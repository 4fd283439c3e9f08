package text

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Copy gives the text with a copy of an entry or item directly behind it, under another name
// where it stands in a map.
func (d *Doc) Copy(n *Node, key string) ([]byte, error) {
	in := n.Up
	switch {
	case d.lined != nil:
		return nil, d.lined
	case in == nil:
		return nil, &UnsafeError{What: "the whole text is no item that can be copied"}
	case n.fixed != "":
		return nil, &UnsafeError{Line: d.Line(n), What: n.fixed + "; it is left as it is"}
	case in.Kind == Map && d.Format != XML && n.KeyAt.Empty():
		return nil, &UnsafeError{Line: d.Line(n), What: "this item has no name, and stands among others that have one; a copy would take the number of the next"}
	case in.Kind == Map && d.Format != XML && key == "":
		return nil, errors.New("say under which name the copy shall stand")
	case in.Kind == Map && d.Format != XML && len(in.named(key)) > 0:
		return nil, fmt.Errorf("%q is there already", key)
	}
	from, to := n.whole.From, n.whole.To
	if d.Format == TOML && n.style == section && in.Kind == Map && len(n.Items) > 0 && slices.ContainsFunc(n.Items, func(i *Node) bool { return i.style == section }) {
		return nil, &UnsafeError{Line: d.Line(n), What: "it holds tables under its own name; copy those one by one"}
	}
	written := string(d.Source[from:to])
	if in.Kind == Map && d.Format != XML {
		name, err := d.writeKey(key, n)
		if err != nil {
			return nil, err
		}
		written = string(d.Source[from:n.KeyAt.From]) + name + string(d.Source[n.KeyAt.To:to])
	}
	var out []byte
	switch {
	case d.Format == XML:
		if strings.HasPrefix(n.Key, "@") || n.Key == "#text" {
			return nil, &UnsafeError{Line: d.Line(n), What: "an attribute or a text has no copy"}
		}
		out = Splice(d.Source, to, to, d.gapBefore(n)+written)
	case in.style == flow:
		f, err := d.flowOf(in)
		if err != nil {
			return nil, err
		}
		out = f.add(slices.Index(in.Items, n)+1, written)
	default:
		start := LineStart(d.Source, from)
		lead := strings.TrimPrefix(string(d.Source[start:from]), Mark)
		if strings.TrimLeft(lead, " \t") != "" {
			return nil, &UnsafeError{Line: d.Line(n), What: "other things stand in its line"}
		}
		eol := eolAt(d.Source, from)
		lines := lead + written
		if n.style == section { // with a blank line above
			lines = eol + lines
		}
		out = insertLines(d.Source, LineEnd(d.Source, max(from, to-1)), lines, eol)
	}
	return out, d.copied(out, n, key)
}

// copied checks that nothing came but the copy.
func (d *Doc) copied(out []byte, n *Node, key string) error {
	now, err := Parse(out, d.Format)
	if err != nil {
		return fmt.Errorf("the changed text would not be readable: %w; nothing was changed", err)
	}
	in, err := now.follow(n.Up.trail())
	i := slices.Index(n.Up.Items, n) + 1
	if err != nil || i >= len(in.Items) {
		return errors.New("the copy would not be seen where it was put; nothing was changed")
	}
	fresh := in.Items[i]
	if n.Up.Kind == Map && d.Format != XML && fresh.Key != key {
		return fmt.Errorf("the new name would be read as %q; nothing was changed", fresh.Key)
	}
	if other := differs(d.Root, now.Root, nil, fresh); other != nil {
		return fmt.Errorf("the change would touch %s as well; nothing was changed", d.Path(other))
	}
	same := *fresh
	same.Key = n.Key
	if differs(n, &same, nil, nil) != nil {
		return errors.New("the copy would not be like what it is made of; nothing was changed")
	}
	return nil
}
