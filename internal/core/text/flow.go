package text

import "strings"

// flowList is a node in brackets, with where its separators stand.
type flowList struct {
	doc         *Doc
	open, close int // the brackets
	items       []flowItem
}

// flowItem is an item without the spaces and comments around it, and the separator behind
// it, -1 where there is none.
type flowItem struct{ start, end, comma int }

// flowOf finds the separators of a node in brackets. It refuses one of which a separator is not
// where it is looked for.
func (d *Doc) flowOf(n *Node) (*flowList, error) {
	f := &flowList{doc: d, open: n.open(d), close: n.At.To - 1}
	for _, i := range n.Items {
		it := flowItem{start: i.whole.From, end: i.whole.To, comma: -1}
		for at := it.end; at < f.close; {
			if end := d.comment(at); end > at {
				at = end
				continue
			}
			if strings.IndexByte(d.marks.separators, d.Source[at]) >= 0 {
				it.comma = at
				break
			}
			if strings.IndexByte(" \t\r\n", d.Source[at]) < 0 {
				break
			}
			at++
		}
		f.items = append(f.items, it)
	}
	for i := range f.items {
		if i+1 < len(f.items) && f.items[i].comma < 0 || f.items[i].start <= f.open || f.items[i].end > f.close {
			return nil, &UnsafeError{Line: d.Line(n), What: "where its items end cannot be told safely"}
		}
	}
	return f, nil
}

// open is where a node's bracket stands: behind the name of a call.
func (n *Node) open(d *Doc) int {
	at := n.At.From
	for at < n.At.To && strings.IndexByte("[{(", d.Source[at]) < 0 {
		at++
	}
	return at
}

// before gives the start of the spaces directly before i.
func (f *flowList) before(i int) int {
	return f.open + 1 + len(strings.TrimRight(string(f.doc.Source[f.open+1:i]), " \t\r\n"))
}

func (f *flowList) spaces(i int) string { return string(f.doc.Source[f.before(i):i]) }

// gap is the text between two items of the list.
func (f *flowList) gap() string {
	n := len(f.items)
	if s := f.spaces(f.items[n-1].start); n > 1 || strings.Contains(s, "\n") {
		return s
	}
	return " "
}

// separator is the sign between the items.
func (f *flowList) separator() string {
	for _, it := range f.items {
		if it.comma >= 0 {
			return string(f.doc.Source[it.comma])
		}
	}
	return f.doc.marks.separators[:1]
}

// add puts an item in front of the one with index i, or behind all. No separator is left
// behind the last one but one that stands there already.
func (f *flowList) add(i int, item string) []byte {
	text, n := f.doc.Source, len(f.items)
	switch {
	case n == 0:
		inner := string(text[f.open+1 : f.close])
		at := f.open + 1 + len(strings.TrimRight(inner, " \t\r\n"))
		if !strings.Contains(inner, "\n") {
			if at == f.open+1 && inner != "" { // { }: the spaces stay on both sides
				item = inner[:1] + item
			}
			return Splice(text, at, at, item)
		}
		return Splice(text, at, at, eolAt(text, f.open)+dentOf(text, f.close)+f.doc.step()+item)
	case i >= n:
		last, gap := f.items[n-1], f.gap()
		if last.comma >= 0 {
			at := f.doc.behind(last.comma + 1) // the last one keeps its separator, and so does the new one
			return Splice(text, at, at, gap+item+f.separator())
		}
		at := f.doc.behind(last.end)
		return Splice(Splice(text, at, at, gap+item), last.end, last.end, f.separator())
	case i > 0:
		at := f.doc.behind(f.items[i-1].comma + 1)
		return Splice(text, at, at, f.spaces(f.items[i].start)+item+f.separator())
	}
	first := f.items[0].start
	if s := f.spaces(first); strings.Contains(s, "\n") {
		return Splice(text, f.before(first), f.before(first), s+item+f.separator())
	}
	return Splice(text, first, first, item+f.separator()+f.gap())
}

// cut takes an item out, with the separator that it needs no more. Comments stay.
func (f *flowList) cut(i int) []byte {
	text, n, it := f.doc.Source, len(f.items), f.items[i]
	from, to := f.before(it.start), it.end
	if it.comma >= 0 {
		to = it.comma + 1
	}
	alone := strings.Contains(string(text[from:it.start]), "\n")
	if alone && f.doc.behind(to) > to { // the comment in its line stays in it
		from = it.start
		for text[to] == ' ' || text[to] == '\t' {
			to++
		}
	}
	if alone && f.underComment(from) && strings.TrimSpace(string(text[to:lineBody(text, to)])) != "" {
		from = it.start // what follows must not get into the comment above
	}
	if i == 0 && n > 1 && !alone {
		from = it.start
		if next := f.items[1].start; f.before(next) <= to {
			to = next
		}
	}
	out := Splice(text, from, to, "")
	if i == n-1 && n > 1 && it.comma < 0 {
		comma := f.items[i-1].comma
		out = Splice(out, comma, comma+1, "")
	}
	return out
}

// underComment tells whether the text up to an offset ends in a comment that ends with its
// line.
func (f *flowList) underComment(at int) bool {
	for i := LineStart(f.doc.Source, at); i < at; i++ {
		if end := f.doc.comment(i); end > i {
			return end >= at && (f.doc.marks.open == "" || !strings.HasPrefix(string(f.doc.Source[i:]), f.doc.marks.open))
		}
	}
	return false
}

// step is one step of indentation in this text.
func (d *Doc) step() string {
	var least string
	d.Root.Walk(func(n *Node) bool {
		if n.Up == nil || n.Up.Up == nil {
			return true
		}
		outer, inner := dentOf(d.Source, n.Up.whole.From), dentOf(d.Source, n.whole.From)
		if LineStart(d.Source, n.Up.whole.From) != LineStart(d.Source, n.whole.From) && len(inner) > len(outer) && strings.HasPrefix(inner, outer) {
			least = inner[len(outer):]
			return false
		}
		return true
	})
	if least == "" {
		return "  "
	}
	return least
}
