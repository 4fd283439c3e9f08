package text

import (
	"fmt"
	"regexp"
	"strings"
)

var (
	bareTOML = regexp.MustCompile(`^[A-Za-z0-9_-]+$`)
	bareName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)
	xmlNames = regexp.MustCompile(`^[\pL_][\pL\pN_.:-]*$`)
)

// writeKey writes a name, with the quotes that the neighbours have.
func (d *Doc) writeKey(key string, model *Node) (string, error) {
	if strings.ContainsAny(key, "\r\n\x00") || key == "" {
		return "", fmt.Errorf("%q cannot be a name", key)
	}
	first := byte(0)
	if model != nil {
		first = d.Source[model.KeyAt.From]
	}
	switch d.Format {
	case JSON, Tolerant:
		return quoteJSON(key)
	case YAML:
		switch {
		case first == '"':
			return quoteJSON(key)
		case first == '\'', !yamlPlain(key, true), strings.Contains(key, ": "):
			return "'" + strings.ReplaceAll(key, "'", "''") + "'", nil
		}
		return key, nil
	case TOML:
		if bareTOML.MatchString(key) && first != '"' {
			return key, nil
		}
		return quoteJSON(key)
	case Script:
		switch {
		case first == '"' || first == '\'':
			return quoteWith(key, first), nil
		case bareName.MatchString(key):
			return key, nil
		case model == nil:
			return "[" + quoteWith(key, '"') + "]", nil
		}
		return "", fmt.Errorf("%q cannot be a name among names without quotes", key)
	case Properties:
		return d.writeProperty(key, true), nil
	case Commands:
		if strings.ContainsAny(key, " \t\"'") || d.holdsSign(key) {
			return "", fmt.Errorf("%q cannot be a name in this format", key)
		}
		return key, nil
	}
	if strings.ContainsAny(key, "=:[]") || strings.TrimSpace(key) != key || d.holdsSign(key) {
		return "", fmt.Errorf("%q cannot be a name in this format", key)
	}
	return key, nil
}

// yaml puts lines into a mapping or a list of a YAML text.
func (a *adding) yaml() ([]byte, error) {
	in := a.in
	if in.Kind == Scalar && (in.Type != Null || !in.At.Empty()) {
		return nil, &UnsafeError{Line: a.Line(in), What: "what stands there is one value; nothing can be put into it"}
	}
	step := a.step()
	var at int
	var dent string
	eol := EOL(a.Source)
	switch {
	case in.Kind == Scalar: // a name with nothing behind it
		at, eol = LineEnd(a.Source, in.whole.From), eolAt(a.Source, in.whole.From)
		dent = strings.Repeat(" ", column(a.Source, in.KeyAt.From)) + step
	case len(in.Items) == 0:
		at = len(a.Source)
	case a.at < len(in.Items):
		n := in.Items[a.at]
		at, dent, eol = a.aboveComments(LineStart(a.Source, n.whole.From)), strings.Repeat(" ", in.indent), eolAt(a.Source, n.whole.From)
		if a.at == 0 && strings.TrimLeft(strings.TrimPrefix(string(a.Source[LineStart(a.Source, n.whole.From):n.whole.From]), Mark), " ") != "" {
			return nil, &UnsafeError{Line: a.Line(n), What: "its first line belongs to what holds it; name a neighbour behind which it shall go"}
		}
	default:
		last := in.Items[len(in.Items)-1]
		at, dent, eol = LineEnd(a.Source, max(last.whole.From, last.whole.To-1)), strings.Repeat(" ", in.indent), eolAt(a.Source, last.whole.From)
	}
	lines, err := a.yamlLines(dent, step, eol)
	if err != nil {
		return nil, err
	}
	return insertLines(a.Source, at, lines, eol), nil
}

func column(text []byte, at int) int {
	start := LineStart(text, at)
	return len([]rune(strings.TrimPrefix(string(text[start:at]), Mark)))
}

// yamlLines writes an item, or a name and what is below it.
func (a *adding) yamlLines(dent, step, eol string) (string, error) {
	if a.in.Kind == List || a.in.Kind == Scalar && a.steps[0] == "-" {
		value, err := a.Doc.write(a.v, a.like(a.in), false)
		lead := "- "
		if n := len(a.in.Items); n > 0 {
			it := a.in.Items[n-1]
			if !it.At.Empty() && LineStart(a.Source, it.At.From) == LineStart(a.Source, it.whole.From) && it.Kind == Scalar {
				lead = string(a.Source[it.whole.From:it.At.From])
				if strings.TrimLeft(lead, "- ") != "" { // behind an anchor or a tag
					lead = "- "
				}
			}
		}
		return dent + lead + value, err
	}
	var out strings.Builder
	for i := range a.steps[:len(a.steps)-1] {
		key, err := a.writeKey(a.steps[i], nil)
		if err != nil {
			return "", err
		}
		out.WriteString(dent + key + ":" + eol)
		dent += step
	}
	in := a.in
	if len(a.steps) > 1 {
		in = &Node{Kind: Map, style: block}
	}
	entry, err := a.entry(in, a.steps[len(a.steps)-1:], false)
	return out.String() + dent + entry, err
}

// element puts an element or an attribute into an XML text.
func (a *adding) element() ([]byte, error) {
	in := a.in
	if len(in.Items) > 1 && len(in.named("#text")) > 0 {
		return nil, &UnsafeError{Line: a.Line(in), What: "words and elements stand mixed in it; where another one would belong cannot be told"}
	}
	if name, attr := strings.CutPrefix(a.steps[0], "@"); attr {
		if in.Up == nil || !xmlNames.MatchString(name) || in.KeyAt.Empty() {
			return nil, fmt.Errorf("%q cannot be an attribute here", name)
		}
		value, err := a.writeXML(a.v.Text, &Node{Key: a.steps[0]})
		if err != nil {
			return nil, err
		}
		at := in.KeyAt.To
		for _, n := range in.Items {
			if strings.HasPrefix(n.Key, "@") {
				at = n.At.To
			}
		}
		return Splice(a.Source, at, at, " "+name+"="+value), nil
	}
	for _, s := range a.steps {
		if !xmlNames.MatchString(s) {
			return nil, fmt.Errorf("%q cannot be the name of an element", s)
		}
	}
	inner := a.v.Text
	if !a.v.Raw {
		var err error
		if inner, err = a.writeXML(a.v.Text, nil); err != nil {
			return nil, err
		}
	}
	for i := len(a.steps) - 1; i >= 0; i-- {
		inner = "<" + a.steps[i] + ">" + inner + "</" + a.steps[i] + ">"
	}
	var last *Node
	for _, n := range in.Items {
		if !strings.HasPrefix(n.Key, "@") && n.Key != "#text" {
			last = n
		}
	}
	switch {
	case in.Kind == Scalar, in.Up == nil:
		return nil, &UnsafeError{Line: a.Line(in), What: "what stands there holds no elements; nothing can be put into it"}
	case last == nil:
		open := strings.LastIndexByte(string(a.Source[:in.At.From]), '>')
		if strings.HasSuffix(string(a.Source[:open]), "/") {
			return nil, &UnsafeError{Line: a.Line(in), What: "what stands there is an empty element; nothing can be put into it"}
		}
		return Splice(a.Source, open+1, open+1, inner), nil
	}
	if a.at < len(in.Items) {
		next := in.Items[a.at]
		return Splice(a.Source, next.whole.From, next.whole.From, inner+a.gapBefore(next)), nil
	}
	return Splice(a.Source, last.whole.To, last.whole.To, a.gapBefore(last)+inner), nil
}

// gapBefore is the blank space in front of an element.
func (d *Doc) gapBefore(n *Node) string {
	from := n.whole.From
	for from > 0 && strings.IndexByte(" \t\r\n", d.Source[from-1]) >= 0 {
		from--
	}
	gap := string(d.Source[from:n.whole.From])
	if i := strings.LastIndexByte(gap, '\n'); i >= 0 { // one line end is enough
		end := "\n"
		if i > 0 && gap[i-1] == '\r' {
			end = "\r\n"
		}
		return end + gap[i+1:]
	}
	return gap
}
