package text

import (
	"bytes"
	"errors"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/pelletier/go-toml/v2"
	"github.com/pelletier/go-toml/v2/unstable"
)

// tomlReader reads TOML 1.0. Whether the text is right the library tells; where its parts
// stand it does not, so they are found here, in a text that is known to be right.
type tomlReader struct {
	*Doc
	at     int
	headed map[*Node]bool // tables that a heading of their own has begun
}

func (d *Doc) parseTOML() (err error) {
	defer caught(&err)
	body := strings.TrimPrefix(string(d.Source), Mark)
	if err := checkTOML([]byte(body)); err != nil {
		return err
	}
	r := &tomlReader{Doc: d, at: len(d.Source) - len(body), headed: map[*Node]bool{}}
	d.Root = &Node{Kind: Map, style: section, At: Span{0, len(d.Source)}, whole: Span{0, len(d.Source)}}
	in := d.Root
	for r.skip(); r.at < len(d.Source); r.skip() {
		if d.Source[r.at] == '[' {
			in = r.heading()
			continue
		}
		r.pair(in, section)
		r.lineEnds()
	}
	return d.soundTOML()
}

// soundTOML finds what the scanner lets through: keys that stand twice, and values that are
// none.
func (d *Doc) soundTOML() (err error) {
	d.Root.Walk(func(n *Node) bool {
		if n.Kind == Map {
			seen := map[string]bool{}
			for _, i := range n.Items {
				if seen[i.Key] {
					err = d.syntaxAt(i.whole.From, "the key "+i.Key+" stands twice; TOML does not allow that")
					return false
				}
				seen[i.Key] = true
			}
		}
		if n.Kind == Scalar && n.Type != Text && n.Type != Bool && !simpleNumber.MatchString(n.Value) {
			var v map[string]any
			if toml.Unmarshal([]byte("v = "+n.Value), &v) != nil {
				err = d.syntaxAt(n.At.From, n.Value+" is no value of TOML; a text needs quotes")
				return false
			}
		}
		return true
	})
	return err
}

var simpleNumber = regexp.MustCompile(`^-?(0|[1-9]\d*)(\.\d+)?$`)

// checkTOML reads a text with the library's own scanner. Its decoder would do the same, but
// looks for doubled keys in a time that grows with their square; those are found by
// [Doc.parseTOML].
func checkTOML(body []byte) error {
	var p unstable.Parser
	p.Reset(body)
	for p.NextExpression() { //nolint:revive // it is the reading that counts
	}
	err := p.Error()
	if err == nil {
		return nil
	}
	var at *unstable.ParserError
	if errors.As(err, &at) && len(at.Highlight) > 0 {
		from := int(p.Range(at.Highlight).Offset)
		start := LineStart(body, from)
		return &SyntaxError{Line: 1 + bytes.Count(body[:start], []byte("\n")), Column: 1 + utf8.RuneCount(body[start:from]), What: at.Message}
	}
	return &SyntaxError{What: strings.TrimPrefix(err.Error(), "toml: ")}
}

// skip goes behind blanks, line ends and comments.
func (r *tomlReader) skip() {
	for r.at < len(r.Source) {
		switch r.Source[r.at] {
		case ' ', '\t', '\r', '\n':
			r.at++
		case '#':
			r.at = lineBody(r.Source, r.at)
		default:
			return
		}
	}
}

// lineEnds looks that nothing but a comment follows in a line. The library's scanner is more
// patient than its decoder.
func (r *tomlReader) lineEnds() {
	if at := skipBlanks(r.Source, r.at); at < len(r.Source) && strings.IndexByte("\r\n#", r.Source[at]) < 0 {
		r.fail(at, "nothing can follow a value in its line")
	}
}

// heading reads [a.b] or [[a.b]] and gives the table whose entries follow.
func (r *tomlReader) heading() *Node {
	from := r.at
	array := strings.HasPrefix(string(r.Source[r.at:]), "[[")
	r.at++
	if array {
		r.at++
	}
	keys := r.keys()
	for r.at < len(r.Source) && r.Source[r.at] == ']' {
		r.at++
	}
	n := r.Root
	for i, k := range keys {
		last := i == len(keys)-1
		all := n.named(k.name)
		var next *Node
		if len(all) > 0 {
			next = all[0]
		}
		if next != nil && (next.Kind == Scalar || next.style == flow) {
			r.fail(k.at.From, k.name+" has a value already, so it is no table")
		}
		switch {
		case next == nil && last && array:
			list := n.add(&Node{Kind: List, style: section, Key: k.name, KeyAt: k.at, At: Span{from, r.at}, whole: Span{from, r.at}})
			next = list.add(&Node{Kind: Map, style: section, At: Span{from, r.at}, whole: Span{from, r.at}})
		case next == nil:
			next = n.add(&Node{Kind: Map, style: section, Key: k.name, KeyAt: k.at, At: Span{from, r.at}, whole: Span{from, r.at}})
		case last && array:
			next = next.add(&Node{Kind: Map, style: section, At: Span{from, r.at}, whole: Span{from, r.at}})
		case next.Kind == List && len(next.Items) > 0:
			next = next.Items[len(next.Items)-1]
		case last: // the table was made by one below it that came before
			next.At, next.whole, next.KeyAt = Span{from, r.at}, Span{from, r.at}, k.at
		}
		n = next
	}
	if r.headed[n] {
		r.fail(from, "the table "+keys[len(keys)-1].name+" stands twice; TOML does not allow that")
	}
	r.headed[n] = true
	grow(n, r.at)
	return n
}

// grow makes a table and those above it reach up to an offset.
func grow(n *Node, to int) {
	for ; n.Up != nil; n = n.Up {
		n.At.To, n.whole.To = max(n.At.To, to), max(n.whole.To, to)
	}
}

// tomlKey is one part of a key.
type tomlKey struct {
	name string
	at   Span
}

// keys reads a key of one or more parts.
func (r *tomlReader) keys() (out []tomlKey) {
	for {
		r.at = skipBlanks(r.Source, r.at)
		from := r.at
		if r.at >= len(r.Source) {
			r.fail(r.at, "a name was expected here")
		}
		switch r.Source[r.at] {
		case '"', '\'':
			r.at = r.stringEnd(r.at)
			out = append(out, tomlKey{tomlString(string(r.Source[from:r.at])), Span{from, r.at}})
		default:
			for r.at < len(r.Source) && strings.IndexByte(" \t.=]", r.Source[r.at]) < 0 {
				r.at++
			}
			out = append(out, tomlKey{string(r.Source[from:r.at]), Span{from, r.at}})
		}
		r.at = skipBlanks(r.Source, r.at)
		if r.at >= len(r.Source) || r.Source[r.at] != '.' {
			return out
		}
		r.at++
	}
}

// pair reads KEY = VALUE into a table.
func (r *tomlReader) pair(in *Node, how style) {
	from := r.at
	keys := r.keys()
	r.at = skipBlanks(r.Source, r.at)
	if r.at >= len(r.Source) || r.Source[r.at] != '=' {
		r.fail(r.at, "= was expected here")
	}
	r.at++
	r.at = skipBlanks(r.Source, r.at)
	value := r.value()
	for _, k := range keys[:len(keys)-1] {
		all := in.named(k.name)
		if len(all) == 0 {
			in.add(&Node{Kind: Map, style: how, Key: k.name, KeyAt: k.at, At: Span{from, r.at}, whole: Span{from, r.at}, fixed: "it is written with dots"})
			all = in.named(k.name)
		}
		in = all[0]
		if in.Kind != Map || how == section && in.style == flow {
			r.fail(k.at.From, k.name+" has a value already, so it is no table")
		}
	}
	k := keys[len(keys)-1]
	value.Key, value.KeyAt, value.whole = k.name, k.at, Span{from, value.At.To}
	in.add(value)
	if how == section {
		grow(in, value.At.To)
	}
}

func (r *tomlReader) value() *Node {
	from := r.at
	if from >= len(r.Source) {
		r.fail(from, "a value was expected here")
	}
	n := &Node{}
	switch c := r.Source[r.at]; c {
	case '"', '\'':
		r.at = r.stringEnd(r.at)
		n.Type, n.Value = Text, tomlString(string(r.Source[from:r.at]))
	case '[', '{':
		n.style = flow
		n.Kind = List
		if c == '{' {
			n.Kind = Map
		}
		r.at++
		for {
			for r.skip(); r.at < len(r.Source) && r.Source[r.at] == ','; r.skip() {
				r.at++
			}
			if r.at >= len(r.Source) || r.Source[r.at] == ']' || r.Source[r.at] == '}' {
				r.at++
				break
			}
			if n.Kind == Map {
				r.pair(n, flow)
			} else {
				n.add(r.value())
			}
		}
	default:
		for r.at < len(r.Source) && strings.IndexByte(",]}#\r\n", r.Source[r.at]) < 0 {
			r.at++
		}
		r.at = trimBlanks(r.Source, from, r.at).To
		n.Value = string(r.Source[from:r.at])
		n.Type = looks(n.Value)
		if n.Type == Text || n.Type == Null {
			n.Type = Code // a date, inf, nan
		}
	}
	n.At = Span{from, min(r.at, len(r.Source))}
	n.whole = n.At
	return n
}

// stringEnd is behind the closing quotes of what begins at a quote.
func (r *tomlReader) stringEnd(at int) int {
	q := string(r.Source[at])
	if strings.HasPrefix(string(r.Source[at:min(at+3, len(r.Source))]), strings.Repeat(q, 3)) {
		i := at + 3
		for i < len(r.Source) {
			if r.Source[i] == '\\' && q == `"` {
				i += 2
				continue
			}
			if strings.HasPrefix(string(r.Source[i:min(i+3, len(r.Source))]), strings.Repeat(q, 3)) {
				i += 3
				for i < len(r.Source) && string(r.Source[i]) == q { // up to two quotes may stand before the end
					i++
				}
				return i
			}
			i++
		}
		return len(r.Source)
	}
	for i := at + 1; i < len(r.Source); i++ {
		if r.Source[i] == '\\' && q == `"` {
			i++
		} else if string(r.Source[i]) == q {
			return i + 1
		}
	}
	return len(r.Source)
}

// tomlString reads a string as it is written.
func tomlString(raw string) string {
	q := raw[:1]
	multi := len(raw) >= 6 && strings.HasPrefix(raw, strings.Repeat(q, 3))
	body := raw[1 : len(raw)-1]
	if multi {
		body = raw[3 : len(raw)-3]
		body = strings.TrimPrefix(strings.TrimPrefix(body, "\r"), "\n")
	}
	if q == "'" || !strings.Contains(body, `\`) {
		return body
	}
	var out strings.Builder
	for i := 0; i < len(body); i++ {
		if body[i] != '\\' || i+1 >= len(body) {
			out.WriteByte(body[i])
			continue
		}
		i++
		switch c := body[i]; c {
		case 'b', 't', 'n', 'f', 'r', 'e':
			out.WriteByte(map[byte]byte{'b': '\b', 't': '\t', 'n': '\n', 'f': '\f', 'r': '\r', 'e': 0x1b}[c])
		case 'u', 'U':
			n := 4
			if c == 'U' {
				n = 8
			}
			if i+n < len(body) {
				if v, err := strconv.ParseUint(body[i+1:i+1+n], 16, 32); err == nil {
					out.WriteRune(rune(v))
				}
			}
			i += n
		case ' ', '\t', '\r', '\n': // the line goes on below
			for i < len(body) && strings.IndexByte(" \t\r\n", body[i]) >= 0 {
				i++
			}
			i--
		default:
			out.WriteByte(c)
		}
	}
	return out.String()
}

func (d *Doc) writeTOML(v Value, like *Node) (string, error) {
	if v.As == Null {
		return "", errors.New("TOML has no null; remove the key instead")
	}
	if v.As != Text {
		return v.Text, nil
	}
	if like != nil && !like.At.Empty() && d.Source[like.At.From] == '\'' && !strings.ContainsAny(v.Text, "'\r\n") {
		return "'" + v.Text + "'", nil
	}
	return quoteJSON(v.Text)
}
