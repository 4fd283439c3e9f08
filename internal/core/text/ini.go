package text

import (
	"bytes"
	"strings"
)

// parseINI reads sections of NAME = VALUE. No library keeps where the parts of such a text
// stand, and there is no standard: a line that is none of the known ones is left alone.
func (d *Doc) parseINI() {
	d.Root = &Node{Kind: Map, style: section, At: Span{0, len(d.Source)}, whole: Span{0, len(d.Source)}}
	in := d.Root
	d.eachLine(func(from, to int) {
		s := trimBlanks(d.Source, from, to)
		if s.Empty() || d.comment(s.From) > s.From {
			return
		}
		if d.Source[s.From] == '[' {
			if shut := bytes.IndexByte(d.Source[s.From:s.To], ']'); shut > 0 {
				key := trimBlanks(d.Source, s.From+1, s.From+shut)
				in = d.Root.add(&Node{Kind: Map, style: section, Key: string(d.Source[key.From:key.To]), KeyAt: key, At: Span{s.From, s.From + shut + 1}, whole: Span{s.From, s.From + shut + 1}})
				return
			}
		}
		n := d.named(s, "=:")
		in.add(n)
		grow(in, n.whole.To)
	})
}

// eachLine gives every line without its end, and without a byte-order mark.
func (d *Doc) eachLine(do func(from, to int)) {
	at := 0
	if bytes.HasPrefix(d.Source, []byte(Mark)) {
		at = len(Mark)
	}
	for at < len(d.Source) {
		do(at, lineBody(d.Source, at))
		at = LineEnd(d.Source, at)
	}
}

// named reads NAME = VALUE # comment, with one of some signs between the two. A line with
// none of them is a name without a value.
func (d *Doc) named(s Span, signs string) *Node {
	i := bytes.IndexAny(d.Source[s.From:s.To], signs)
	if i < 0 {
		end := s.To
		for at := s.From; at < s.To; at++ {
			if d.comment(at) > at {
				end = at
				break
			}
		}
		key := trimBlanks(d.Source, s.From, end)
		return &Node{Type: Null, Key: string(d.Source[key.From:key.To]), KeyAt: key, At: Span{key.To, key.To}, whole: key}
	}
	key := trimBlanks(d.Source, s.From, s.From+i)
	from := skipBlanks(d.Source, s.From+i+1)
	value := d.rest(min(from, s.To), s.To)
	n := &Node{Type: Text, Key: unquoted(string(d.Source[key.From:key.To])), KeyAt: key, At: value, whole: Span{key.From, max(value.To, s.From+i+1)}}
	n.Value = unquoted(string(d.Source[value.From:value.To]))
	return n
}

// rest is a value up to the comment that ends its line. In quotes a sign of comments is
// none.
func (d *Doc) rest(from, to int) Span {
	if from < to && (d.Source[from] == '"' || d.Source[from] == '\'') {
		if end := quotedIn(d.Source[:to], from); end > 0 && (end == to || d.behind(end) > end || strings.TrimSpace(string(d.Source[end:to])) == "") {
			return Span{from, end}
		}
	}
	for at := from; at < to; at++ {
		if (at == from || d.Source[at-1] == ' ' || d.Source[at-1] == '\t') && d.comment(at) > at {
			return trimBlanks(d.Source, from, at)
		}
	}
	return trimBlanks(d.Source, from, to)
}

// quotedIn is behind the closing quote of what begins at a quote; a backslash escapes. -1
// where none closes it.
func quotedIn(text []byte, at int) int {
	for i := at + 1; i < len(text); i++ {
		switch text[i] {
		case '\\':
			i++
		case text[at]:
			return i + 1
		}
	}
	return -1
}

// unquoted takes quotes off a value.
func unquoted(s string) string {
	if len(s) >= 2 && (s[0] == '"' || s[0] == '\'') && s[len(s)-1] == s[0] {
		return strings.NewReplacer(`\`+s[:1], s[:1], `\\`, `\`).Replace(s[1 : len(s)-1])
	}
	return s
}

// writeINI writes a value with the quotes that stood there, or with such as it needs.
func (d *Doc) writeINI(v Value, like *Node) (string, error) {
	s := v.Text
	if strings.ContainsAny(s, "\r\n") {
		return "", &UnsafeError{What: "a value of this format cannot hold a line end"}
	}
	first := byte(0)
	if like != nil && !like.At.Empty() {
		first = d.Source[like.At.From]
	}
	switch {
	case first == '"' || first == '\'':
		return quoteWith(s, first), nil
	case d.Format == Commands && (strings.ContainsAny(s, " \t") && (like == nil || !strings.ContainsAny(like.Value, " \t")) || s == ""):
		return quoteWith(s, '"'), nil
	case strings.TrimSpace(s) != s, d.holdsSign(s), len(s) > 1 && (s[0] == '"' || s[0] == '\''):
		return quoteWith(s, '"'), nil
	}
	return s, nil
}

func quoteWith(s string, q byte) string {
	return string(q) + strings.NewReplacer(string(q), `\`+string(q)).Replace(s) + string(q)
}

// holdsSign tells whether a part of a value would be taken for a comment.
func (d *Doc) holdsSign(s string) bool {
	for _, sign := range d.marks.line {
		if strings.HasPrefix(s, sign) || strings.Contains(s, " "+sign) || strings.Contains(s, "\t"+sign) {
			return true
		}
	}
	return false
}
