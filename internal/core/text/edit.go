package text

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
)

// Value is what is to be written.
type Value struct {
	Text string
	// As is how: empty keeps the type of what stands there, and guesses where nothing does.
	As Type
	// Raw writes Text as it is, in the format's own signs: a list, an expression.
	Raw bool
}

var number = regexp.MustCompile(`^[+-]?(\d[\d_]*(\.\d*)?|\.\d+)([eE][+-]?\d+)?$|^[+-]?0[xXoObB][0-9a-fA-F_]+$`)

// Set gives the text with another value at a node. Where the value is that already, it gives
// the text as it is.
func (d *Doc) Set(n *Node, v Value) ([]byte, error) {
	if n.fixed != "" {
		return nil, &UnsafeError{Line: d.Line(n), What: n.fixed + "; it is left as it is"}
	}
	if n.Kind != Scalar && !v.Raw {
		return nil, &UnsafeError{Line: d.Line(n), What: "what stands there is a " + n.Kind.String() + ", not one value; name a value in it, or give the whole as it shall be written"}
	}
	if n.Kind != Scalar && (n.style != flow || n == d.Root) {
		return nil, &UnsafeError{Line: d.Line(n), What: "what stands there goes over lines of its own and cannot be replaced as one"}
	}
	raw := v.Text
	if !v.Raw {
		as, err := d.typeFor(n, v)
		if err != nil {
			return nil, err
		}
		if n.Value == v.Text && n.Type == as && (as != Null || !n.At.Empty()) {
			return d.Source, nil
		}
		if raw, err = d.write(Value{Text: v.Text, As: as}, n, n.Up != nil && n.Up.style == flow); err != nil {
			return nil, err
		}
		v.As = as
	}
	from := n.At.From
	if n.At.Empty() && from > 0 && raw != "" && !d.blankBefore(from) {
		raw = d.lead(n) + raw
	}
	out := Splice(d.Source, from, n.At.To, raw)
	return out, d.changed(out, n, func(now *Node) error {
		if !v.Raw && (now.Kind != Scalar || now.Value != v.Text && !(v.As == Number || v.As == Bool || v.As == Null || v.As == Code)) {
			return fmt.Errorf("it would be read as %q", now.Value)
		}
		return nil
	})
}

// blankBefore tells whether a value may begin at an offset without a blank.
func (d *Doc) blankBefore(at int) bool {
	switch d.Format {
	case Properties:
		return strings.IndexByte("=: \t\f", d.Source[at-1]) >= 0
	case YAML, INI, Commands:
		return d.Source[at-1] == ' ' || d.Source[at-1] == '\t'
	}
	return true
}

// lead is what goes between a name and its first value.
func (d *Doc) lead(n *Node) string {
	switch {
	case d.Format == INI && n.Type == Null:
		return " = "
	case d.Format == Properties:
		return "="
	}
	if d.Format == INI {
		if m := d.model(n.Up, n); m != nil && !strings.HasSuffix(d.between(m), " ") {
			return ""
		}
	}
	return " "
}

// String is the kind in words.
func (k Kind) String() string {
	return map[Kind]string{Scalar: "value", Map: "group of values", List: "list", Call: "call"}[k]
}

// typeFor decides as what a value is written.
func (d *Doc) typeFor(like *Node, v Value) (Type, error) {
	if d.untyped() {
		if v.As != "" && v.As != Text && looks(v.Text) != v.As && v.As != Code {
			return "", fmt.Errorf("%q is no %s", v.Text, v.As)
		}
		return Text, nil
	}
	guess := looks(v.Text)
	if guess == Null && d.Format == TOML {
		guess = Text
	}
	if v.As != "" {
		if v.As != Text && v.As != Code && guess != v.As {
			return "", fmt.Errorf("%q is no %s", v.Text, v.As)
		}
		return v.As, nil
	}
	if like == nil || like.Type == Null || like.Type == Code {
		if guess == Text && like != nil && like.Type == Code {
			return Code, nil // a date, another name: written as it is, and read again
		}
		return guess, nil
	}
	if like.Type != Text && guess != like.Type && guess != Null {
		return "", fmt.Errorf("what stands there is a %s, and %q is none; say as what it shall be written if that is meant", like.Type, v.Text)
	}
	if like.Type != Text {
		return guess, nil
	}
	return Text, nil
}

// untyped tells whether the format knows nothing but texts.
func (d *Doc) untyped() bool {
	switch d.Format {
	case INI, Properties, XML, Commands, Lines:
		return true
	}
	return false
}

// write gives a value as the format writes it. Like is what stands or stood there, nil for
// something new.
func (d *Doc) write(v Value, like *Node, inFlow bool) (string, error) {
	if v.Raw {
		return v.Text, nil
	}
	if strings.ContainsRune(v.Text, 0) {
		return "", errors.New("the value holds a zero byte")
	}
	switch d.Format {
	case JSON, Tolerant:
		return writeJSON(v)
	case YAML:
		return d.writeYAML(v, like, inFlow)
	case TOML:
		return d.writeTOML(v, like)
	case INI, Commands:
		return d.writeINI(v, like)
	case Properties:
		return d.writeProperty(v.Text, false), nil
	case XML:
		return d.writeXML(v.Text, like)
	case Script:
		return d.writeScript(v, like), nil
	}
	if strings.ContainsAny(v.Text, "\r\n") {
		return "", errors.New("a line cannot hold a line end")
	}
	return v.Text, nil
}

// changed reads a text that is about to be given and checks that nothing but one node is
// another than before, and that the node is as ok wants it.
func (d *Doc) changed(out []byte, n *Node, ok func(*Node) error) error {
	if len(out) > longText && d.byItself(out, n, ok) {
		return nil
	}
	now, err := Parse(out, d.Format)
	if err != nil {
		return fmt.Errorf("the changed text would not be readable: %w; nothing was changed", err)
	}
	at, err := now.follow(n.trail())
	if err == nil {
		err = ok(at)
	}
	if err != nil {
		return fmt.Errorf("the change would not come out as meant: %w; nothing was changed", err)
	}
	if other := differs(d.Root, now.Root, n, at); other != nil {
		return fmt.Errorf("the change would touch %s as well; nothing was changed", d.Path(other))
	}
	return nil
}

// trail are the numbers of the items that lead to a node.
func (n *Node) trail() (out []int) {
	for ; n.Up != nil; n = n.Up {
		for i, o := range n.Up.Items {
			if o == n {
				out = append([]int{i}, out...)
				break
			}
		}
	}
	return out
}

func (d *Doc) follow(trail []int) (*Node, error) {
	n := d.Root
	for _, i := range trail {
		if i >= len(n.Items) {
			return nil, ErrNotThere
		}
		n = n.Items[i]
	}
	return n, nil
}

// differs gives the first node that two trees do not have in common, without what is below
// the nodes a and b, one of each; either may be nil.
func differs(x, y, a, b *Node) *Node {
	if x == a && y == b {
		return nil
	}
	if x.empty(a) && y.empty(b) && x.Key == y.Key && x.Up != nil { // { } may be either
		return nil
	}
	if x.Kind != y.Kind || x.Key != y.Key || x.Kind == Scalar && (x.Type != y.Type || x.Value != y.Value && !sameBlock(x, y)) || x.Kind == Call && x.Value != y.Value {
		return x
	}
	i, j := 0, 0
	for i < len(x.Items) || j < len(y.Items) {
		switch {
		case i < len(x.Items) && x.Items[i] == a && (j >= len(y.Items) || y.Items[j] != b): // taken out
			i++
		case j < len(y.Items) && y.Items[j] == b && (i >= len(x.Items) || x.Items[i] != a): // put in
			j++
		case i >= len(x.Items) || j >= len(y.Items):
			return x
		default:
			if d := differs(x.Items[i], y.Items[j], a, b); d != nil {
				return d
			}
			i++
			j++
		}
	}
	return nil
}

// empty tells whether a node holds nothing but one that comes or goes.
func (n *Node) empty(but *Node) bool {
	return (n.Kind == Map || n.Kind == List) && (len(n.Items) == 0 || len(n.Items) == 1 && but != nil && n.Items[0] == but)
}

// sameBlock tells whether two texts differ in nothing but the line end behind them: one that
// ends a file without a line end gets one when something comes behind it.
func sameBlock(x, y *Node) bool {
	return strings.Contains(x.Value, "\n") && strings.TrimRight(x.Value, "\n") == strings.TrimRight(y.Value, "\n")
}
