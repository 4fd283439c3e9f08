package text

import (
	"bytes"
	"strconv"
	"strings"
)

// scriptReader reads data as script languages write it: NAME = VALUE at the top and in
// tables, ["NAME"] = VALUE, items without a name, calls such as vec(0.0, 0.71). Statements
// that are no data are stepped over. There is no library for it: it is what several
// languages have in common.
type scriptReader struct {
	*Doc
	at int
}

// parseError ends the reading of a text; the reader is left with a panic and comes out as
// an error, as in encoding/json.
type parseError struct{ err *SyntaxError }

// caught turns a [parseError] into an error.
func caught(err *error) {
	if p := recover(); p != nil {
		known, ours := p.(parseError)
		if !ours {
			panic(p)
		}
		*err = known.err
	}
}

// fail ends the reading of a text.
func (d *Doc) fail(at int, what string) {
	panic(parseError{d.syntaxAt(min(at, len(d.Source)), what)})
}

func (d *Doc) parseScript() (err error) {
	defer caught(&err)
	r := &scriptReader{Doc: d}
	if bytes.HasPrefix(d.Source, []byte(Mark)) {
		r.at = len(Mark)
	}
	d.Root = &Node{Kind: Map, style: section, At: Span{0, len(d.Source)}, whole: Span{0, len(d.Source)}}
	for r.skip(); r.at < len(d.Source); r.skip() {
		r.statement()
	}
	if len(d.Root.Items) == 1 && d.Root.Items[0].Key == "return" && d.Root.Items[0].style == flow {
		d.Root = d.Root.Items[0] // the text is one table
		d.Root.Up, d.Root.Key, d.Root.KeyAt, d.Root.whole = nil, "", Span{}, d.Root.At
	}
	return nil
}

// skip goes behind blanks, line ends and comments.
func (r *scriptReader) skip() {
	for r.at < len(r.Source) {
		if strings.IndexByte(" \t\r\n", r.Source[r.at]) >= 0 {
			r.at++
		} else if end := r.comment(r.at); end > r.at {
			r.at = end
		} else {
			return
		}
	}
}

func (r *scriptReader) peek() byte {
	if r.at < len(r.Source) {
		return r.Source[r.at]
	}
	return 0
}

// ident reads a name with dots; it is empty where none begins here.
func (r *scriptReader) ident() Span {
	from := r.at
	for r.at < len(r.Source) {
		c := r.Source[r.at]
		if c == '_' || c == '.' && r.at > from || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80 || c >= '0' && c <= '9' && r.at > from {
			r.at++
			continue
		}
		break
	}
	return Span{from, r.at}
}

// statement reads one at the top.
func (r *scriptReader) statement() {
	from := r.at
	if r.peek() == ';' {
		r.at++
		return
	}
	name := r.ident()
	if r.word(name) == "local" {
		r.skip()
		name = r.ident()
	}
	switch word := r.word(name); {
	case name.Empty():
		r.fail(from, "a statement was expected here, such as NAME = VALUE")
	case word == "return":
		if r.skip(); r.at >= len(r.Source) {
			return
		}
		n := r.Root.add(r.value())
		n.Key, n.KeyAt, n.whole = word, name, Span{from, n.At.To}
		return
	case word == "function" || word == "if" || word == "for" || word == "while" || word == "do" || word == "repeat":
		r.at = name.From
		r.blockOfCode()
		return
	case word == "else" || word == "end" || word == "until":
		r.fail(from, "“"+word+"” belongs to nothing here")
	}
	in := r.Root
	key := r.word(name)
	keyAt := name
	for r.peek() == '[' { // a["b"]
		_, inner, span := r.bracket()
		in, key, keyAt = r.within(in, key), inner, span
	}
	if at := r.at; r.peek() != '=' {
		r.skip()
		if r.peek() != '=' && strings.IndexByte("({\"'", r.peek()) < 0 {
			r.at = at
			r.restOfLine()
			return
		}
	}
	var n *Node
	if r.peek() == '=' {
		r.at++
		r.skip()
		n = r.value()
		if i := strings.LastIndexByte(key, '.'); i >= 0 && in == r.Root {
			for _, part := range strings.Split(key[:i], ".") {
				in = r.within(in, part)
			}
			key, keyAt = key[i+1:], Span{name.From + i + 1, name.To}
		}
	} else {
		n = r.called(name)
	}
	n.Key, n.KeyAt, n.whole = key, keyAt, Span{from, n.At.To}
	in.add(n)
}

// within is the table of a name that an assignment goes into; it may be written in parts.
func (r *scriptReader) within(in *Node, key string) *Node {
	for _, n := range in.named(key) {
		if n.Kind == Map {
			return n
		}
	}
	return in.add(&Node{Kind: Map, style: section, Key: key, At: Span{r.at, r.at}, whole: Span{r.at, r.at}, fixed: "it is written in parts"})
}

// called reads what follows a name at the top: arguments in brackets, or one table or text.
func (r *scriptReader) called(name Span) *Node {
	if r.peek() == '(' {
		return r.call(name)
	}
	return r.value()
}

// bracket reads [KEY].
func (r *scriptReader) bracket() (from int, key string, at Span) {
	from = r.at
	r.at++
	r.skip()
	v := r.value()
	r.skip()
	if r.peek() != ']' || v.Kind != Scalar {
		r.fail(from, "this bracket is not closed, or holds no name")
	}
	r.at++
	return from, v.Value, v.At
}

// value reads a value, or an expression that is not understood.
func (r *scriptReader) value() *Node {
	from := r.at
	var n *Node
	switch c := r.peek(); {
	case c == '{':
		return r.table()
	case c == '"' || c == '\'':
		end := quotedIn(r.Source, r.at)
		if end < 0 || bytes.IndexByte(r.Source[from:end], '\n') >= 0 && r.Source[lineBody(r.Source, from)-1] != '\\' {
			r.fail(from, "this quote is not closed in its line")
		}
		r.at = end
		n = &Node{Type: Text, Value: scriptString(string(r.Source[from+1 : end-1]))}
	case c == '`': // a name that stands for its number
		end := bytes.IndexByte(r.Source[from+1:lineBody(r.Source, from)], '`')
		if end < 0 {
			r.fail(from, "this quote is not closed in its line")
		}
		r.at += end + 2
		n = &Node{Type: Code, Value: string(r.Source[from:r.at])}
	case c == '[' && opensLong(r.Source, r.at) > 0:
		sign := opensLong(r.Source, r.at)
		end := r.longText()
		body := strings.TrimPrefix(string(r.Source[from+sign:end-sign]), "\r")
		n = &Node{Type: Text, Value: strings.TrimPrefix(body, "\n")}
	case c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9':
		r.at++
		for r.at < len(r.Source) && (r.Source[r.at] == '.' || r.Source[r.at] == '+' && isExponent(r.Source[from:r.at]) || r.Source[r.at] == '-' && isExponent(r.Source[from:r.at]) || isAlnum(r.Source[r.at])) {
			r.at++
		}
		n = &Node{Type: Number, Value: string(r.Source[from:r.at])}
		if !number.MatchString(n.Value) {
			n.Type = Code
		}
	case c == '#': // how long something is
		r.at++
		r.skip()
		r.value()
		n = &Node{Type: Code, Value: string(r.Source[from:r.at])}
	default:
		name := r.ident()
		if name.Empty() {
			r.fail(from, "a value was expected here")
		}
		word := r.word(name)
		if word == "not" {
			r.skip()
			r.value()
			n = &Node{Type: Code, Value: string(r.Source[from:r.at])}
			break
		}
		if word == "function" {
			r.at = from
			r.blockOfCode()
			n = &Node{Type: Code}
			break
		}
		if r.peek() == '(' {
			n = r.call(name)
			break
		}
		n = &Node{Type: looks(word), Value: word}
		if n.Type == Text {
			n.Type = Code // the name of something
		}
	}
	n.At = Span{from, r.at}
	n.whole = n.At
	return r.expression(n)
}

func isExponent(sofar []byte) bool {
	last := sofar[len(sofar)-1]
	return (last == 'e' || last == 'E') && !bytes.HasPrefix(sofar, []byte("0x"))
}

func isAlnum(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
}

// expression takes what follows a value along where that goes on, such as 2 * 30.
func (r *scriptReader) expression(n *Node) *Node {
	at := skipBlanks(r.Source, r.at)
	if at >= len(r.Source) || r.comment(at) > at || strings.IndexByte("+-*/%^.<>~=|&:", r.Source[at]) < 0 && !bytes.HasPrefix(r.Source[at:], []byte("or ")) && !bytes.HasPrefix(r.Source[at:], []byte("and ")) {
		return n
	}
	for r.at < len(r.Source) && strings.IndexByte(",;\r\n})]", r.Source[r.at]) < 0 && r.comment(r.at) == r.at {
		switch r.Source[r.at] {
		case '(', '{', '[':
			r.brackets()
		case '"', '\'':
			if end := quotedIn(r.Source, r.at); end > 0 {
				r.at = end
			} else {
				r.fail(r.at, "this quote is not closed")
			}
		default:
			r.at++
		}
	}
	s := trimBlanks(r.Source, n.At.From, r.at)
	return &Node{Type: Code, Value: r.word(s), At: s, whole: s}
}

// brackets goes behind a bracket and all that is in it.
func (r *scriptReader) brackets() {
	from, depth := r.at, 0
	for r.at < len(r.Source) {
		if opensLong(r.Source, r.at) > 0 {
			if r.longText(); depth == 0 {
				return
			}
			continue
		}
		switch c := r.Source[r.at]; c {
		case '(', '{', '[':
			depth++
		case ')', '}', ']':
			if depth--; depth == 0 {
				r.at++
				return
			}
		case '"', '\'':
			if end := quotedIn(r.Source, r.at); end > 0 {
				r.at = end - 1
			}
		}
		if end := r.comment(r.at); end > r.at {
			r.at = end
			continue
		}
		r.at++
	}
	r.fail(from, "this bracket is not closed")
}

// call reads NAME(ARGUMENTS).
func (r *scriptReader) call(name Span) *Node {
	n := &Node{Kind: Call, style: flow, Value: r.word(name)}
	r.at++
	for r.skip(); r.peek() != ')'; r.skip() {
		if r.at >= len(r.Source) {
			r.fail(name.From, "the bracket behind this name is not closed")
		}
		n.add(r.value())
		if r.skip(); r.peek() == ',' {
			r.at++
		} else if r.peek() != ')' {
			r.fail(r.at, "a comma or a closing bracket was expected here")
		}
	}
	r.at++
	n.At = Span{name.From, r.at}
	n.whole = n.At
	return n
}

// table reads what stands in braces: a map where an item has a name, else a list.
func (r *scriptReader) table() *Node {
	n := &Node{Kind: List, style: flow}
	from := r.at
	r.at++
	bare := 0
	for r.skip(); r.peek() != '}'; r.skip() {
		if r.at >= len(r.Source) {
			r.fail(from, "this brace is not closed")
		}
		item := n.add(r.item())
		if item.KeyAt.Empty() {
			bare++
			item.Key = strconv.Itoa(bare) // as script languages count
		} else {
			n.Kind = Map
		}
		if r.skip(); r.peek() == ',' || r.peek() == ';' {
			r.at++
		} else if r.peek() != '}' {
			r.fail(r.at, "a comma or a closing brace was expected here")
		}
	}
	r.at++
	if n.Kind == List {
		for _, i := range n.Items {
			i.Key = ""
		}
	}
	n.At = Span{from, r.at}
	n.whole = n.At
	return n
}

// item reads one item of a table.
func (r *scriptReader) item() *Node {
	from := r.at
	if r.peek() == '[' && opensLong(r.Source, r.at) == 0 {
		_, key, at := r.bracket()
		if r.skip(); r.peek() != '=' {
			r.fail(r.at, "= was expected behind the name in brackets")
		}
		r.at++
		r.skip()
		n := r.value()
		n.Key, n.KeyAt, n.whole = key, at, Span{from, n.At.To}
		return n
	}
	if name := r.ident(); !name.Empty() {
		if r.skip(); r.peek() == '=' && !bytes.HasPrefix(r.Source[r.at:], []byte("==")) {
			r.at++
			r.skip()
			n := r.value()
			n.Key, n.KeyAt, n.whole = r.word(name), name, Span{from, n.At.To}
			return n
		}
	}
	r.at = from
	return r.value()
}
