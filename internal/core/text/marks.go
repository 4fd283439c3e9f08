package text

import (
	"bytes"
	"regexp"
	"strings"
)

// dashed finds a line that begins as comments do where # and // begin none.
var dashed = regexp.MustCompile(`(?m)^[ \t]*--`)

// longComment finds a comment that ends with its own sign.
var longComment = regexp.MustCompile(`--\[=*\[`)

// marks are the signs of a format that are not values.
type marks struct {
	line       []string  // that begin a comment which ends with its line; the first is written
	open, shut string    // of a comment that ends anywhere; empty where there is none
	levels     bool      // open may have equals signs between its brackets, as shut then has
	spaced     bool      // a comment begins only at the start of a line or behind a space
	separators string    // between items in brackets; the first is written
	first      [256]bool // bytes with which a comment may begin
}

// marksOf gives a format's signs. Where a format has several, the one that the text uses
// most comes first.
func marksOf(f Format, text []byte) marks {
	var m marks
	switch f {
	case YAML:
		m = marks{line: []string{"#"}, spaced: true, separators: ","}
	case JSON, Tolerant:
		m = marks{line: []string{"//"}, open: "/*", shut: "*/", separators: ","}
	case TOML:
		m = marks{line: []string{"#"}, separators: ","}
	case INI:
		m = marks{line: []string{";", "#"}, spaced: true}
	case Properties:
		m = marks{line: []string{"#", "!"}, spaced: true}
	case XML:
		m = marks{open: "<!--", shut: "-->"}
	case Commands:
		m = marks{line: []string{"//", "#"}, spaced: true}
	case Script:
		m = marks{line: []string{"--", "//", "#"}, open: "/*", shut: "*/", separators: ",;"}
		if longComment.Match(text) {
			m.open, m.shut, m.levels = "--[[", "]]", true
		}
		if dashed.Match(text) { // then # is how long something is, and // a division
			m.line = m.line[:1]
		}
	default:
		m = marks{line: []string{"#", "//", ";", "--"}, spaced: true}
	}
	m.busiest(text)
	for _, sign := range append([]string{m.open}, m.line...) {
		if sign != "" {
			m.first[sign[0]] = true
		}
	}
	return m
}

// busiest puts the sign first that begins the most lines of a text.
func (m *marks) busiest(text []byte) {
	if len(m.line) < 2 {
		return
	}
	counts := make([]int, len(m.line))
	for at := 0; at < len(text); at = LineEnd(text, at) {
		first := skipBlanks(text, at)
		for i, sign := range m.line {
			if bytes.HasPrefix(text[first:], []byte(sign)) {
				counts[i]++
				break
			}
		}
	}
	best := 0
	for i, n := range counts {
		if n > counts[best] {
			best = i
		}
	}
	m.line[0], m.line[best] = m.line[best], m.line[0]
}

// comment gives the end of the comment that begins at i, without its line end, or i where
// none does.
func (d *Doc) comment(i int) int {
	if !d.marks.first[d.Source[i]] {
		return i
	}
	rest := d.Source[i:]
	if d.marks.levels && bytes.HasPrefix(rest, []byte("--[")) && opensLong(d.Source, i+2) > 0 {
		if end := shutsLong(d.Source, i+2); end >= 0 {
			return end
		}
		return len(d.Source)
	}
	if d.marks.open != "" && bytes.HasPrefix(rest, []byte(d.marks.open)) {
		if n := bytes.Index(rest[len(d.marks.open):], []byte(d.marks.shut)); n >= 0 {
			return i + len(d.marks.open) + n + len(d.marks.shut)
		}
		return len(d.Source)
	}
	for _, sign := range d.marks.line {
		if !bytes.HasPrefix(rest, []byte(sign)) {
			continue
		}
		if d.marks.spaced && i > 0 && strings.IndexByte(" \t\r\n[{,", d.Source[i-1]) < 0 && string(d.Source[:i]) != Mark {
			continue
		}
		return lineBody(d.Source, i)
	}
	return i
}

// behind gives the end of a comment that follows in the same line, or i where none does.
func (d *Doc) behind(i int) int {
	at := skipBlanks(d.Source, i)
	if at < len(d.Source) {
		if end := d.comment(at); end > at {
			return end
		}
	}
	return i
}

// Comment is what is said of a node beside it: behind it in its line, and in the lines
// directly above that are nothing but comment. The signs of comments are taken off.
func (d *Doc) Comment(n *Node) string {
	at := n.whole.From
	if n.whole.Empty() {
		at = n.At.From
	}
	var lines []string
	start := LineStart(d.Source, at)
	for start > 0 {
		above := LineStart(d.Source, start-1)
		text, is := d.bare(string(d.Source[above:lineBody(d.Source, above)]))
		if !is {
			break
		}
		lines = append([]string{text}, lines...)
		start = above
	}
	end := max(n.At.To, n.whole.To)
	if n.Kind != Scalar && n.style != flow && len(n.Items) > 0 {
		end = n.KeyAt.To // what stands behind its last item is said of that
	}
	if i := skipBlanks(d.Source, end); i < len(d.Source) && strings.IndexByte(",;:=", d.Source[i]) >= 0 && d.comment(i) == i {
		end = i + 1
	}
	if to := d.behind(end); to > end {
		if text, is := d.bare(string(d.Source[end:to])); is {
			lines = append(lines, text)
		}
	}
	return strings.TrimSpace(strings.Join(lines, "\n"))
}

// bare takes the signs of a comment off a line that is nothing but one.
func (d *Doc) bare(line string) (string, bool) {
	line = strings.TrimSpace(strings.TrimPrefix(line, Mark))
	if d.marks.open != "" && strings.HasPrefix(line, d.marks.open) && strings.HasSuffix(line, d.marks.shut) && len(line) >= len(d.marks.open)+len(d.marks.shut) {
		return strings.TrimSpace(line[len(d.marks.open) : len(line)-len(d.marks.shut)]), true
	}
	for _, sign := range d.marks.line {
		if rest, is := strings.CutPrefix(line, sign); is {
			return strings.TrimSpace(strings.TrimLeft(rest, sign)), true
		}
	}
	return "", false
}
