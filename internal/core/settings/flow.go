package settings

import (
	"strings"

	"github.com/tailscale/hujson"
)

// flow is a list in brackets, as JSON and YAML have it, with where its parts
// stand in the text.
type flow struct {
	text  []byte
	yaml  bool // comments begin with # instead of // and /*
	open  int  // the opening bracket
	close int
	items []flowItem
}

// flowItem is an item without the spaces and comments around it, and the comma
// behind it, -1 where there is none.
type flowItem struct{ start, end, comma int }

// flowOf is a list of a JSON text whose syntax tree begins at skip.
func flowOf(text []byte, v *hujson.Value, list *hujson.Array, skip int) flow {
	f := flow{text: text, open: v.StartOffset + skip, close: v.EndOffset + skip - 1}
	for _, e := range list.Elements {
		it := flowItem{start: e.StartOffset + skip, end: e.EndOffset + skip, comma: -1}
		if at := it.end + len(e.AfterExtra); text[at] == ',' {
			it.comma = at
		}
		f.items = append(f.items, it)
	}
	return f
}

// scanFlow reads a list of a YAML text that begins at open and is known to be right: its
// parser does not tell where a list ends.
func scanFlow(text []byte, open int) flow {
	f := flow{text: text, yaml: true, open: open, close: len(text)}
	it := flowItem{start: -1, comma: -1}
	depth := 0
	for i := open + 1; i < len(text); {
		if n := f.comment(i); n > i {
			i = n
			continue
		}
		c := text[i]
		switch {
		case depth == 0 && (c == ',' || c == ']'):
			if it.start >= 0 {
				if c == ',' {
					it.comma = i
				}
				f.items = append(f.items, it)
			}
			if it = (flowItem{start: -1, comma: -1}); c == ']' {
				f.close = i
				return f
			}
			i++
			continue
		case c == ' ' || c == '\t' || c == '\r' || c == '\n':
			i++
			continue
		}
		if it.start < 0 {
			it.start = i
		}
		switch c {
		case '[', '{':
			depth++
			i++
		case ']', '}':
			depth--
			i++
		case '"':
			i = f.quoted(i)
		case '\'':
			if i == it.start || depth > 0 {
				i = f.quoted(i)
			} else {
				i++
			}
		default:
			i++
		}
		it.end = i
	}
	return f
}

// quoted gives the end of the quoted text that begins at i.
func (f *flow) quoted(i int) int {
	q := f.text[i]
	for i++; i < len(f.text); i++ {
		switch {
		case f.text[i] == '\\' && q == '"':
			i++
		case f.text[i] == q:
			return i + 1
		}
	}
	return len(f.text)
}

// comment gives the end of the comment that begins at i, or i where there is none.
func (f *flow) comment(i int) int {
	rest := f.text[i:]
	line := func() int {
		if n := strings.IndexAny(string(rest), "\r\n"); n >= 0 {
			return i + n
		}
		return len(f.text)
	}
	switch {
	case f.yaml && rest[0] == '#' && (i == 0 || strings.IndexByte(" \t\r\n[", f.text[i-1]) >= 0):
		return line()
	case !f.yaml && len(rest) > 1 && string(rest[:2]) == "//":
		return line()
	case !f.yaml && len(rest) > 1 && string(rest[:2]) == "/*":
		if n := strings.Index(string(rest), "*/"); n >= 0 {
			return i + n + 2
		}
	}
	return i
}

// behind gives the end of a comment that follows in the same line, or i where none does.
func (f *flow) behind(i int) int {
	at := i
	for at < len(f.text) && (f.text[at] == ' ' || f.text[at] == '\t') {
		at++
	}
	if at < len(f.text) {
		if end := f.comment(at); end > at {
			return end
		}
	}
	return i
}

// before gives the start of the spaces directly before i.
func (f *flow) before(i int) int {
	return f.open + 1 + len(strings.TrimRight(string(f.text[f.open+1:i]), " \t\r\n"))
}

func (f *flow) spaces(i int) string { return string(f.text[f.before(i):i]) }

// gap is the text between two items of the list.
func (f *flow) gap() string {
	n := len(f.items)
	if s := f.spaces(f.items[n-1].start); n > 1 || strings.Contains(s, "\n") {
		return s
	}
	return " "
}

// add puts an item in front of the one with index i, or behind all. No comma is
// left behind the last one but one that stands there already.
func (f *flow) add(i int, item string) []byte {
	n := len(f.items)
	switch {
	case n == 0:
		inner := string(f.text[f.open+1 : f.close])
		at := f.open + 1 + len(strings.TrimRight(inner, " \t\r\n"))
		if !strings.Contains(inner, "\n") {
			return splice(f.text, at, at, item)
		}
		return splice(f.text, at, at, eol(f.text)+f.indent(f.close)+"  "+item)
	case i >= n:
		last, gap := f.items[n-1], f.gap()
		if last.comma >= 0 {
			at := f.behind(last.comma + 1)
			return splice(f.text, at, at, gap+item)
		}
		at := f.behind(last.end)
		return splice(splice(f.text, at, at, gap+item), last.end, last.end, ",")
	case i > 0:
		at := f.behind(f.items[i-1].comma + 1)
		return splice(f.text, at, at, f.spaces(f.items[i].start)+item+",")
	}
	first := f.items[0].start
	if s := f.spaces(first); strings.Contains(s, "\n") {
		return splice(f.text, f.before(first), f.before(first), s+item+",")
	}
	return splice(f.text, first, first, item+","+f.gap())
}

// cut takes an item out, with the comma that it needs no more. Comments stay.
func (f *flow) cut(i int) []byte {
	n, it := len(f.items), f.items[i]
	from, to := f.before(it.start), it.end
	if it.comma >= 0 {
		to = it.comma + 1
	}
	alone := strings.Contains(string(f.text[from:it.start]), "\n")
	if alone && f.behind(to) > to { // the comment in its line stays in it
		from = it.start
		for f.text[to] == ' ' || f.text[to] == '\t' {
			to++
		}
	}
	if i == 0 && n > 1 && !alone {
		from = it.start
		if next := f.items[1].start; f.before(next) <= to {
			to = next
		}
	}
	text := splice(f.text, from, to, "")
	if i == n-1 && n > 1 {
		comma := f.items[i-1].comma
		text = splice(text, comma, comma+1, "")
	}
	return text
}

// indent gives the indentation of the line at an offset.
func (f *flow) indent(at int) string {
	line := string(f.text[lineStart(f.text, at):at])
	return line[:len(line)-len(strings.TrimLeft(line, " \t"))]
}
