package text

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"
)

// parseXML reads elements with encoding/xml, which tells where each part ends. An element
// that holds nothing but text is a value. Elsewhere it is a map of its attributes, with an
// @ before their names, its elements, and its own text as #text.
func (d *Doc) parseXML() error {
	skip := 0
	if bytes.HasPrefix(d.Source, []byte(Mark)) {
		skip = len(Mark)
	}
	dec := xml.NewDecoder(bytes.NewReader(d.Source[skip:]))
	dec.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil } // it is UTF-8 by now
	d.Root = &Node{Kind: Map, style: element, At: Span{0, len(d.Source)}, whole: Span{0, len(d.Source)}}
	in := d.Root
	tops := 0
	for {
		from := int(dec.InputOffset()) + skip
		token, err := dec.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return xmlError(err)
		}
		to := int(dec.InputOffset()) + skip
		switch t := token.(type) {
		case xml.StartElement:
			if in == d.Root {
				if tops++; tops > 1 {
					return d.syntaxAt(from, "a second element stands at the top; XML has one")
				}
			}
			n := in.add(&Node{Kind: Map, style: element, Key: xmlName(t.Name), KeyAt: Span{from + 1, from + 1 + len(xmlName(t.Name))}, At: Span{to, to}, whole: Span{from, to}})
			if err := d.attributes(n, t, from, to); err != nil {
				return err
			}
			if in = n; n.depth() > deepest {
				return d.syntaxAt(from, "elements are nested too deep")
			}
		case xml.EndElement:
			if in == d.Root || in.Key != xmlName(t.Name) {
				return d.syntaxAt(from, "</"+xmlName(t.Name)+"> closes nothing that is open here")
			}
			d.closed(in, from, to)
			in = in.Up
		case xml.CharData:
			if in != d.Root && strings.TrimSpace(string(t)) != "" {
				s := trimXML(d.Source, from, to)
				in.add(&Node{Type: Text, Key: "#text", Value: strings.TrimSpace(string(t)), At: s, whole: s})
			}
		}
	}
	if in != d.Root {
		return d.syntaxAt(in.whole.From, "<"+in.Key+"> is never closed")
	}
	if tops == 0 {
		return &SyntaxError{What: "there is no element in it"}
	}
	return nil
}

// depth is how many nodes hold a node.
func (n *Node) depth() (deep int) {
	for ; n.Up != nil; n = n.Up {
		deep++
	}
	return deep
}

func xmlName(n xml.Name) string {
	if n.Space != "" {
		return n.Space + ":" + n.Local
	}
	return n.Local
}

func xmlError(err error) *SyntaxError {
	var syntax *xml.SyntaxError
	if errors.As(err, &syntax) {
		return &SyntaxError{Line: syntax.Line, What: syntax.Msg}
	}
	return &SyntaxError{What: err.Error()}
}

// closed ends an element. One that holds nothing but text becomes that value.
func (d *Doc) closed(n *Node, from, to int) {
	n.At.To = from
	n.whole.To = to
	if from == to { // <name/>
		n.At = Span{n.At.From, n.At.From}
	}
	switch {
	case len(n.Items) == 0:
		n.Kind, n.style, n.Type = Scalar, plain, Text
		if n.At.From == n.whole.To {
			n.fixed = "it is written as an empty element; add a value to it with its whole text"
		}
		if inner := string(d.Source[n.At.From:n.At.To]); strings.TrimSpace(inner) != "" { // a comment, or a block of raw text
			n.fixed = "it holds no plain text"
		} else {
			n.At.To = n.At.From
		}
	case len(n.Items) == 1 && n.Items[0].Key == "#text":
		only := n.Items[0]
		n.Kind, n.style, n.Type, n.Value, n.At, n.Items = Scalar, plain, Text, only.Value, only.At, nil
		if raw := string(d.Source[n.At.From:n.At.To]); strings.HasPrefix(raw, openRaw) && strings.HasSuffix(raw, shutRaw) {
			n.At = Span{n.At.From + len(openRaw), n.At.To - len(shutRaw)}
			n.Value = string(d.Source[n.At.From:n.At.To])
		}
	}
}

// What stands between these signs is text as it is, without escapes.
const (
	openRaw = "<![CDATA["
	shutRaw = "]]>"
)

// inRaw tells whether a value stands in a block of raw text.
func (d *Doc) inRaw(n *Node) bool {
	return n != nil && bytes.HasSuffix(d.Source[:n.At.From], []byte(openRaw)) && !strings.HasPrefix(n.Key, "@")
}

func trimXML(text []byte, from, to int) Span {
	for from < to && strings.IndexByte(" \t\r\n", text[from]) >= 0 {
		from++
	}
	for to > from && strings.IndexByte(" \t\r\n", text[to-1]) >= 0 {
		to--
	}
	return Span{from, to}
}

// attributes finds where the values stand of what the library has read.
func (d *Doc) attributes(n *Node, t xml.StartElement, from, to int) error {
	at := n.KeyAt.To
	for _, a := range t.Attr {
		name := xmlName(a.Name)
		i := bytes.Index(d.Source[at:to], []byte(name))
		if i < 0 {
			return d.syntaxAt(from, "its attributes cannot be read")
		}
		key := Span{at + i, at + i + len(name)}
		open := key.To
		for open < to && d.Source[open] != '"' && d.Source[open] != '\'' {
			open++
		}
		shut := open + 1
		for shut < to && d.Source[shut] != d.Source[open] {
			shut++
		}
		if shut >= to {
			return d.syntaxAt(key.From, "the value of "+name+" has no quotes")
		}
		n.add(&Node{Type: Text, Key: "@" + name, KeyAt: key, Value: a.Value, At: Span{open, shut + 1}, whole: Span{key.From, shut + 1}})
		at = shut + 1
	}
	return nil
}

// writeXML writes text, or an attribute's value with its quotes.
func (d *Doc) writeXML(s string, like *Node) (string, error) {
	if d.inRaw(like) {
		if strings.Contains(s, shutRaw) || strings.TrimSpace(s) == "" {
			return "", &UnsafeError{What: "a block of raw text cannot hold that"}
		}
		return s, nil
	}
	out := strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(s)
	if like == nil || !strings.HasPrefix(like.Key, "@") {
		if strings.TrimSpace(s) != s {
			return "", &UnsafeError{What: "spaces around a value would not be kept here"}
		}
		return out, nil
	}
	q := `"`
	if !like.At.Empty() {
		q = string(d.Source[like.At.From])
	}
	if q == `"` {
		out = strings.ReplaceAll(out, `"`, "&quot;")
	} else {
		out = strings.ReplaceAll(out, "'", "&apos;")
	}
	return q + strings.NewReplacer("\n", "&#10;", "\r", "&#13;", "\t", "&#9;").Replace(out) + q, nil
}
