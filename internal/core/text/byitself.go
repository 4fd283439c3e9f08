package text

import (
	"bytes"
	"strings"
)

// longText is the size in bytes from which a changed value is read by itself where that is
// enough: reading a text of five megabytes as a whole takes the better part of a second, and it
// was read once already.
const longText = 512 << 10

// byItself tells whether a change of one value is right as far as the value tells, or its line,
// where nothing else can be concerned. Where it is false, the whole text has to be read.
func (d *Doc) byItself(out []byte, n *Node, ok func(*Node) error) bool {
	if n.Kind != Scalar || n.At.Empty() || n.Up == nil || n.fixed != "" {
		return false
	}
	var window Span // in the text as it was; it is as large as the change makes it afterwards
	switch {
	case d.Format == JSON || d.Format == Tolerant: // what a value means does not depend on what stands around it
		window = n.At
	case d.Format == XML && !n.KeyAt.Empty() && !strings.HasPrefix(n.Key, "@"): // neither does an element
		window = n.whole
	case d.Format == YAML && d.lined == nil && n.Up.style == block:
		window = Span{LineStart(d.Source, n.whole.From), LineEnd(d.Source, n.At.To)}
	default:
		return false
	}
	grown := len(out) - len(d.Source)
	to := window.To + grown
	if n.At.From < window.From || n.At.To > window.To || to < window.From || !bytes.Equal(out[:window.From], d.Source[:window.From]) || !bytes.Equal(out[to:], d.Source[window.To:]) {
		return false
	}
	if d.Format == YAML {
		now := out[n.At.From : n.At.To+grown]
		if bytes.IndexByte(d.Source[n.whole.From:n.At.To], '\n') >= 0 || len(now) == 0 || bytes.IndexByte([]byte("|>&!*"), now[0]) >= 0 || bytes.IndexByte(bytes.TrimRight(out[window.From:to], "\r\n"), '\n') >= 0 {
			return false // what such signs begin may take in the lines below
		}
	}
	was, is := leafOf(d.Source[window.From:window.To], d.Format), leafOf(out[window.From:to], d.Format)
	if was == nil || is == nil || was.Key != is.Key || was.Value != n.Value || was.Type != n.Type || was.depth() != is.depth() || d.Format != JSON && d.Format != Tolerant && was.Key != n.Key {
		return false
	}
	return ok(is) == nil
}

// leafOf reads a part of a text by itself and gives its only value; nothing where there is none,
// or more.
func leafOf(part []byte, f Format) (leaf *Node) {
	d, err := Parse(part, f)
	if err != nil || d.lined != nil {
		return nil
	}
	d.Root.Walk(func(n *Node) bool {
		if n.fixed != "" || n.Kind == Scalar && leaf != nil {
			leaf = nil
			return false
		}
		if n.Kind == Scalar {
			leaf = n
		}
		return true
	})
	return leaf
}
