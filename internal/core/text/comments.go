package text

import (
	"bytes"
	"errors"
	"strings"
)

// Sign is the sign by which a line of this text is made a comment; empty where the format
// has none that ends with its line.
func (d *Doc) Sign() string {
	if d.Format == JSON || len(d.marks.line) == 0 {
		return ""
	}
	return d.marks.line[0]
}

// LinesOf gives the whole lines of an entry, where nothing else stands in them but a comment
// and a separator.
func (d *Doc) LinesOf(n *Node) (Span, error) {
	if d.lined != nil {
		return Span{}, d.lined
	}
	from := LineStart(d.Source, n.whole.From)
	last := max(n.whole.From, n.whole.To-1)
	to := LineEnd(d.Source, last)
	lead := strings.TrimPrefix(string(d.Source[from:n.whole.From]), Mark)
	end := n.whole.To
	if i := skipBlanks(d.Source, end); i < len(d.Source) && strings.IndexByte(d.marks.separators+" ", d.Source[i]) >= 0 {
		end = i + 1
	}
	rest := strings.TrimSpace(string(d.Source[d.behind(end):lineBody(d.Source, last)]))
	if strings.TrimLeft(lead, " \t") != "" || rest != "" {
		return Span{}, &UnsafeError{Line: d.Line(n), What: "other things stand in its lines"}
	}
	if from == 0 && bytes.HasPrefix(d.Source, []byte(Mark)) {
		from = len(Mark)
	}
	return Span{from, to}, nil
}

// Outcomment gives the text with lines made comments: the sign goes behind the indentation
// that all of them have. Lead is the sign with what stands behind it; empty for what the text
// itself uses.
func (d *Doc) Outcomment(lines Span, lead string) ([]byte, error) {
	if d.Sign() == "" {
		return nil, errors.New("this format has no comments of a line")
	}
	dent := ""
	for at, first := lines.From, true; at < lines.To; at = LineEnd(d.Source, at) {
		if skipBlanks(d.Source, at) >= lineBody(d.Source, at) {
			continue
		}
		own := string(d.Source[at:skipBlanks(d.Source, at)])
		if first {
			dent, first = own, false
		}
		for !strings.HasPrefix(own, dent) {
			dent = dent[:len(dent)-1]
		}
	}
	sign := lead
	if sign == "" {
		sign = d.Sign() + d.blankBehind()
	}
	var out bytes.Buffer
	out.Write(d.Source[:lines.From])
	for at := lines.From; at < lines.To; at = LineEnd(d.Source, at) {
		line := d.Source[at:min(LineEnd(d.Source, at), lines.To)]
		if skipBlanks(d.Source, at) < lineBody(d.Source, at) {
			out.WriteString(dent + sign)
			line = line[len(dent):]
		}
		out.Write(line)
	}
	out.Write(d.Source[lines.To:])
	return out.Bytes(), nil
}

// blankBehind is what this text has behind the signs of its comments.
func (d *Doc) blankBehind() string {
	with, without := 0, 0
	d.eachLine(func(from, to int) {
		at := skipBlanks(d.Source, from)
		if rest, is := bytes.CutPrefix(d.Source[at:to], []byte(d.Sign())); is && len(rest) > 0 {
			if rest[0] == ' ' {
				with++
			} else {
				without++
			}
		}
	})
	if without > with {
		return ""
	}
	return " "
}

// Commented finds lines that are comments and would read, without their signs, as the given
// ones; blanks around a line do not count. It gives their place, how they would stand, and the
// sign of the first line with what stands behind it.
func (d *Doc) Commented(want []string) (found []Span, bare, leads []string) {
	type line struct {
		at   Span
		text string // without sign, with its indentation and line end
		is   bool
		lead string
	}
	var all []line
	at := 0
	if bytes.HasPrefix(d.Source, []byte(Mark)) {
		at = len(Mark)
	}
	for ; at < len(d.Source); at = LineEnd(d.Source, at) {
		l := line{at: Span{at, LineEnd(d.Source, at)}}
		first := skipBlanks(d.Source, at)
		for _, sign := range d.marks.line {
			if rest, is := bytes.CutPrefix(d.Source[first:l.at.To], []byte(sign)); is && d.Format != JSON {
				l.lead = sign
				if bytes.HasPrefix(rest, []byte(" ")) {
					rest, l.lead = rest[1:], sign+" "
				}
				l.text, l.is = string(d.Source[at:first])+string(rest), true
				break
			}
		}
		all = append(all, l)
	}
	for i := 0; i+len(want) <= len(all) && len(want) > 0; i++ {
		fits, text := true, ""
		for j, w := range want {
			l := all[i+j]
			if !l.is || strings.TrimSpace(l.text) != strings.TrimSpace(w) {
				fits = false
				break
			}
			text += l.text
		}
		if fits {
			found = append(found, Span{all[i].at.From, all[i+len(want)-1].at.To})
			bare = append(bare, text)
			leads = append(leads, all[i].lead)
		}
	}
	return found, bare, leads
}
