package text

import (
	"bytes"
	"strings"
)

// blockOfCode goes behind a function or another block, which ends with its own end.
func (r *scriptReader) blockOfCode() {
	from, depth := r.at, 0
	for r.at < len(r.Source) {
		if end := r.comment(r.at); end > r.at {
			r.at = end
			continue
		}
		if opensLong(r.Source, r.at) > 0 {
			r.longText()
			continue
		}
		c := r.Source[r.at]
		if c == '"' || c == '\'' {
			end := quotedIn(r.Source, r.at)
			if end < 0 {
				r.fail(r.at, "this quote is not closed")
			}
			r.at = end
			continue
		}
		name := r.ident()
		if name.Empty() {
			r.at++
			continue
		}
		switch r.word(name) {
		case "function", "if", "do", "repeat":
			depth++
		case "end", "until":
			depth--
			if depth <= 0 {
				if r.word(name) == "until" {
					r.restOfLine()
				}
				return
			}
		}
	}
	r.fail(from, "this block has no end")
}

// opensLong gives the length of the sign that opens a long text: [[, or [=[ with any number of
// equals signs. It is 0 where none stands.
func opensLong(source []byte, at int) int {
	if source[at] != '[' {
		return 0
	}
	for i := at + 1; i < len(source); i++ {
		switch source[i] {
		case '=':
		case '[':
			return i + 1 - at
		default:
			return 0
		}
	}
	return 0
}

// shutsLong gives the end of the long text that the sign at a place opens: the same number of
// equals signs closes it. It is -1 where nothing does.
func shutsLong(source []byte, at int) int {
	sign := opensLong(source, at)
	shut := []byte("]" + strings.Repeat("=", sign-2) + "]")
	if i := bytes.Index(source[at+sign:], shut); i >= 0 {
		return at + sign + i + sign
	}
	return -1
}

// longText goes behind a long text, and gives where that is.
func (r *scriptReader) longText() int {
	end := shutsLong(r.Source, r.at)
	if end < 0 {
		r.fail(r.at, "this long text is not closed by ]"+strings.Repeat("=", opensLong(r.Source, r.at)-2)+"]")
	}
	r.at = end
	return end
}

// restOfLine steps over a statement that is no data.
func (r *scriptReader) restOfLine() {
	end := lineBody(r.Source, r.at)
	for r.at < end {
		if strings.IndexByte("({[", r.Source[r.at]) >= 0 {
			r.brackets()
			end = lineBody(r.Source, r.at)
			continue
		}
		r.at++
	}
}

// scriptString takes the escapes out of what stands between quotes.
func scriptString(body string) string {
	if !strings.Contains(body, `\`) {
		return body
	}
	var out strings.Builder
	for i := 0; i < len(body); i++ {
		if body[i] != '\\' || i+1 >= len(body) {
			out.WriteByte(body[i])
			continue
		}
		i++
		switch body[i] {
		case 'n':
			out.WriteByte('\n')
		case 't':
			out.WriteByte('\t')
		case 'r':
			out.WriteByte('\r')
		default:
			out.WriteByte(body[i])
		}
	}
	return out.String()
}

func (d *Doc) writeScript(v Value, like *Node) string {
	if v.As != Text {
		return v.Text
	}
	q := `"`
	if like != nil && !like.At.Empty() && d.Source[like.At.From] == '\'' {
		q = "'"
	}
	return q + strings.NewReplacer(`\`, `\\`, q, `\`+q, "\n", `\n`, "\r", `\r`).Replace(v.Text) + q
}
