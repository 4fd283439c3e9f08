package text

import "strings"

// blockOfCode goes behind a function or another block, which ends with its own end.
func (r *scriptReader) blockOfCode() {
	from, depth := r.at, 0
	for r.at < len(r.Source) {
		if end := r.comment(r.at); end > r.at {
			r.at = end
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
