package text

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
)

// parseProperties reads NAME=VALUE lines as java.util.Properties describes them: a value
// goes on in the next line behind a backslash. Libraries give the values and not where they
// stand.
func (d *Doc) parseProperties() {
	d.Root = &Node{Kind: Map, style: section, At: Span{0, len(d.Source)}, whole: Span{0, len(d.Source)}}
	at := 0
	if bytes.HasPrefix(d.Source, []byte(Mark)) {
		at = len(Mark)
	}
	for at < len(d.Source) {
		from := skipProperty(d.Source, at)
		end := lineBody(d.Source, at)
		if from >= end || d.Source[from] == '#' || d.Source[from] == '!' {
			at = LineEnd(d.Source, at)
			continue
		}
		for goesOn(d.Source[from:end]) && LineEnd(d.Source, end) < len(d.Source) {
			end = lineBody(d.Source, LineEnd(d.Source, end))
		}
		d.Root.add(d.property(from, end))
		at = LineEnd(d.Source, end)
	}
}

func skipProperty(text []byte, at int) int {
	for at < len(text) && (text[at] == ' ' || text[at] == '\t' || text[at] == '\f') {
		at++
	}
	return at
}

// goesOn tells whether a line ends in an odd number of backslashes.
func goesOn(line []byte) bool {
	n := len(line) - len(bytes.TrimRight(line, `\`))
	return n%2 == 1
}

func (d *Doc) property(from, end int) *Node {
	i := from
	for i < end && strings.IndexByte("=: \t\f", d.Source[i]) < 0 {
		if d.Source[i] == '\\' {
			i++
		}
		i++
	}
	key := Span{from, min(i, end)}
	i = skipProperty(d.Source, key.To)
	if i < end && (d.Source[i] == '=' || d.Source[i] == ':') {
		i = skipProperty(d.Source, i+1)
	}
	value := Span{min(i, end), end}
	n := &Node{Type: Text, Key: unescapeProperty(string(d.Source[key.From:key.To])), KeyAt: key, At: value, whole: Span{key.From, end}}
	n.Value = unescapeProperty(string(d.Source[value.From:value.To]))
	return n
}

func unescapeProperty(raw string) string {
	if !strings.Contains(raw, `\`) {
		return raw
	}
	var out strings.Builder
	for i := 0; i < len(raw); i++ {
		if raw[i] != '\\' || i+1 >= len(raw) {
			out.WriteByte(raw[i])
			continue
		}
		i++
		switch raw[i] {
		case 't':
			out.WriteByte('\t')
		case 'n':
			out.WriteByte('\n')
		case 'r':
			out.WriteByte('\r')
		case 'f':
			out.WriteByte('\f')
		case 'u':
			if v, err := strconv.ParseUint(raw[min(i+1, len(raw)):min(i+5, len(raw))], 16, 32); err == nil && i+5 <= len(raw) {
				out.WriteRune(rune(v))
				i += 4
			}
		case '\r', '\n':
			for i+1 < len(raw) && strings.IndexByte("\r\n \t\f", raw[i+1]) >= 0 {
				i++
			}
		default:
			out.WriteByte(raw[i])
		}
	}
	return out.String()
}

// writeProperty writes a value so that readers of every age take it for the same: what is
// not ASCII as \uXXXX, unless the text has such signs as they are.
func (d *Doc) writeProperty(s string, key bool) string {
	open := bytes.ContainsFunc(bytes.TrimPrefix(d.Source, []byte(Mark)), func(r rune) bool { return r > 0x7e })
	var out strings.Builder
	for i, r := range s {
		switch {
		case r == '\\':
			out.WriteString(`\\`)
		case r == '\n':
			out.WriteString(`\n`)
		case r == '\r':
			out.WriteString(`\r`)
		case r == '\t' && (i == 0 || key):
			out.WriteString(`\t`)
		case r == '\f':
			out.WriteString(`\f`)
		case r == ' ' && (i == 0 || key), key && strings.ContainsRune("=:#!", r):
			out.WriteString(`\` + string(r))
		case r > 0xffff && !open:
			r -= 0x10000
			fmt.Fprintf(&out, `\u%04X\u%04X`, 0xd800+r>>10, 0xdc00+r&0x3ff)
		case r > 0x7e && !open:
			fmt.Fprintf(&out, `\u%04X`, r)
		default:
			out.WriteRune(r)
		}
	}
	return out.String()
}
