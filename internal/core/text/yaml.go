package text

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// yamlReader turns the library's nodes, which know where they begin, into ours, which know
// where they end too.
type yamlReader struct {
	*Doc
	breaks []int // where lines begin, as YAML counts them
}

func (d *Doc) parseYAML() error {
	body := d.Source
	skip := 0
	if rest, marked := bytes.CutPrefix(body, []byte(Mark)); marked {
		body, skip = rest, len(Mark)
	}
	r := &yamlReader{Doc: d, breaks: yamlBreaks(d.Source)}
	r.breaks[0] = skip
	d.oddLines(r.breaks)
	dec := yaml.NewDecoder(bytes.NewReader(body))
	var docs []*Node
	for {
		var n yaml.Node
		if err := dec.Decode(&n); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return parserError(err)
		}
		docs = append(docs, r.node(n.Content[0], -1, false, 0))
	}
	switch len(docs) {
	case 0:
		d.Root = &Node{Kind: Map, style: block, At: Span{len(d.Source), len(d.Source)}}
	case 1:
		d.Root = docs[0]
	default:
		d.Root = &Node{Kind: List, style: plain, At: Span{0, len(d.Source)}, fixed: "it holds several documents"}
		for _, n := range docs {
			d.Root.add(n)
		}
	}
	d.Root.whole = d.Root.At
	return nil
}

// oddLines looks whether a line ends where only YAML sees it: in a carriage return of its own, or
// a line end of Unicode. Values can be set there; lines cannot be told apart safely.
func (d *Doc) oddLines(breaks []int) {
	for i, at := range breaks[1:] {
		if d.Source[at-1] != '\n' {
			d.lined = &UnsafeError{Line: i + 1, What: "the line ends in a sign that is a line end to YAML alone; no lines are put in or taken out of such a text"}
			return
		}
	}
}

// yamlBreaks gives where lines begin, by the line ends that YAML 1.1 knows.
func yamlBreaks(text []byte) []int {
	out := []int{0}
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '\n', c == '\r' && (i+1 == len(text) || text[i+1] != '\n'):
			out = append(out, i+1)
		case c == 0xc2 && i+1 < len(text) && text[i+1] == 0x85:
			out = append(out, i+2)
		case c == 0xe2 && i+2 < len(text) && text[i+1] == 0x80 && (text[i+2] == 0xa8 || text[i+2] == 0xa9):
			out = append(out, i+3)
		}
	}
	return out
}

// offset turns a position of the library, whose columns count runes, into one in the text.
func (r *yamlReader) offset(n *yaml.Node) int {
	if n.Line < 1 || n.Line > len(r.breaks) {
		return len(r.Source)
	}
	at := r.breaks[n.Line-1]
	for range n.Column - 1 {
		_, size := utf8.DecodeRune(r.Source[at:])
		at += size
	}
	return at
}

// start is where a node's value begins, behind an anchor and a tag.
func (r *yamlReader) start(n *yaml.Node) int {
	at := r.offset(n)
	for at < len(r.Source) && (r.Source[at] == '&' || r.Source[at] == '!') {
		for at < len(r.Source) && strings.IndexByte(" \t\r\n", r.Source[at]) < 0 {
			at++
		}
		next := skipBlanks(r.Source, at)
		if next == len(r.Source) || r.Source[next] == '\n' || r.Source[next] == '\r' || r.Source[next] == '#' {
			return at // nothing, or a collection in the next lines
		}
		at = next
	}
	return at
}

// node reads one node. In is the column of what holds it, in a block; from is where the
// value may begin at the earliest.
func (r *yamlReader) node(y *yaml.Node, in int, inFlow bool, from int) *Node {
	switch y.Kind {
	case yaml.MappingNode, yaml.SequenceNode:
		if y.Style&yaml.FlowStyle != 0 {
			return r.flow(y, in)
		}
		return r.block(y, in)
	case yaml.AliasNode:
		at := r.offset(y)
		end := at
		for end < len(r.Source) && strings.IndexByte(" \t\r\n,]}", r.Source[end]) < 0 {
			end++
		}
		return &Node{Type: Code, Value: string(r.Source[at:end]), At: Span{at, end}, whole: Span{at, end}}
	}
	n := &Node{Value: y.Value, Type: yamlType(y)}
	if y.Tag == "!!null" && y.Value == "" {
		n.At = Span{from, from}
		n.whole = n.At
		return n
	}
	at := r.start(y)
	end := r.scalarEnd(y, at, in, inFlow)
	if end < 0 {
		n.fixed = "where this value ends cannot be told safely"
		end = lineBody(r.Source, at)
	}
	n.At = Span{at, end}
	n.whole = n.At
	return n
}

func yamlType(y *yaml.Node) Type {
	switch y.ShortTag() {
	case "!!str":
		return Text
	case "!!int", "!!float":
		return Number
	case "!!bool":
		return Bool
	case "!!null":
		return Null
	}
	return Code
}

// scalarEnd finds where a scalar ends, -1 where that cannot be told.
func (r *yamlReader) scalarEnd(y *yaml.Node, at, in int, inFlow bool) int {
	switch {
	case y.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0:
		return r.blockEnd(at, in)
	case y.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0:
		if at >= len(r.Source) || r.Source[at] != '"' && r.Source[at] != '\'' {
			return -1
		}
		return quotedEnd(r.Source, at)
	}
	end := r.plainEnd(at, inFlow)
	if string(r.Source[at:end]) == y.Value {
		return end
	}
	for end < len(r.Source) { // over several lines, which are folded
		next := LineEnd(r.Source, end)
		if next >= len(r.Source) {
			break
		}
		end = r.plainEnd(skipBlanks(r.Source, next), inFlow)
		if fold(string(r.Source[at:end])) == y.Value {
			return end
		}
	}
	return -1
}

// fold joins the lines of a plain scalar, as YAML does.
func fold(raw string) string {
	var out strings.Builder
	blank := 0
	for i, line := range strings.Split(strings.ReplaceAll(raw, "\r\n", "\n"), "\n") {
		line = strings.Trim(line, " \t")
		switch {
		case i == 0:
			out.WriteString(line)
			continue
		case line == "":
			blank++
			continue
		case blank > 0:
			out.WriteString(strings.Repeat("\n", blank))
		default:
			out.WriteByte(' ')
		}
		blank = 0
		out.WriteString(line)
	}
	return out.String()
}

// plainEnd is where a plain scalar ends in its line.
func (r *yamlReader) plainEnd(at int, inFlow bool) int {
	end := at
	for i := at; i < len(r.Source); i++ {
		c := r.Source[i]
		if c == '\n' || c == '\r' {
			break
		}
		last := i+1 == len(r.Source) || strings.IndexByte(" \t\r\n", r.Source[i+1]) >= 0
		if c == ':' && (last || inFlow && strings.IndexByte(",[]{}", r.Source[i+1]) >= 0) ||
			c == '#' && i > at && (r.Source[i-1] == ' ' || r.Source[i-1] == '\t') ||
			inFlow && strings.IndexByte(",[]{}", c) >= 0 {
			break
		}
		if c != ' ' && c != '\t' {
			end = i + 1
		}
	}
	return end
}

// blockEnd is where the lines of a literal or folded scalar end: what stands further in
// than what holds it.
func (r *yamlReader) blockEnd(at, in int) int {
	end := lineBody(r.Source, at)
	for next := LineEnd(r.Source, at); next < len(r.Source); next = LineEnd(r.Source, next) {
		body := lineBody(r.Source, next)
		first := skipBlanks(r.Source, next)
		if first >= body {
			continue
		}
		if first-next <= in {
			break
		}
		end = body
	}
	return end
}

// quotedEnd is behind the closing quote of what begins at a quote; a backslash escapes in
// double quotes, a doubled quote in single ones.
func quotedEnd(text []byte, at int) int {
	q := text[at]
	for i := at + 1; i < len(text); i++ {
		switch {
		case text[i] == '\\' && q == '"':
			i++
		case text[i] == q && q == '\'' && i+1 < len(text) && text[i+1] == q:
			i++
		case text[i] == q:
			return i + 1
		}
	}
	return -1
}

// name reads the key of an entry.
func (r *yamlReader) name(y *yaml.Node, item *Node, inFlow bool) (at, colon int) {
	at = r.start(y)
	end := at + len(y.Value)
	if y.Kind != yaml.ScalarNode {
		item.fixed = "its name is a list or a mapping"
		return at, at
	}
	if y.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0 {
		if e := quotedEnd(r.Source, at); e > 0 {
			end = e
		}
	} else if end > len(r.Source) || string(r.Source[at:end]) != y.Value {
		item.fixed = "its name is written over several lines"
		return at, at
	}
	item.KeyAt = Span{at, end}
	colon = skipBlanks(r.Source, end)
	if colon >= len(r.Source) || r.Source[colon] != ':' {
		if !inFlow { // ? key
			item.fixed = "its name and its value stand in different lines"
		}
		return at, end
	}
	return at, colon + 1
}
