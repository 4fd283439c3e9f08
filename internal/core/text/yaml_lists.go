package text

import (
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// entry reads a name and its value.
func (r *yamlReader) entry(key, value *yaml.Node, in int, inFlow bool) *Node {
	probe := &Node{}
	at, colon := r.name(key, probe, inFlow)
	item := r.node(value, in, inFlow, colon)
	item.Key, item.KeyAt = key.Value, probe.KeyAt
	if probe.fixed != "" {
		item.fixed = probe.fixed
	}
	item.whole = Span{r.offset(key), max(item.At.To, colon)}
	if at < item.whole.From {
		item.whole.From = at
	}
	return item
}

// block reads a mapping or a list whose items stand in lines of their own.
func (r *yamlReader) block(y *yaml.Node, in int) *Node {
	n := &Node{Kind: Map, style: block}
	if y.Kind == yaml.SequenceNode {
		n.Kind = List
	}
	if y.Kind == yaml.MappingNode {
		for i := 0; i+1 < len(y.Content); i += 2 {
			col := r.column(r.offset(y.Content[i]))
			n.add(r.entry(y.Content[i], y.Content[i+1], col, false))
			n.indent = col
		}
	} else {
		at := r.offset(y)
		for at < len(r.Source) && (r.Source[at] == '&' || r.Source[at] == '!') {
			at = r.nextContent(LineEnd(r.Source, at))
		}
		n.indent = r.column(at)
		for _, c := range y.Content {
			dash := r.nextDash(at, n.indent)
			item := n.add(r.node(c, n.indent, false, dash+1))
			item.whole = Span{dash, max(item.At.To, dash+1)}
			at = item.whole.To
		}
	}
	if len(n.Items) > 0 {
		n.At = Span{n.Items[0].whole.From, n.Items[len(n.Items)-1].whole.To}
	}
	n.whole = n.At
	return n
}

// column counts the bytes from the start of the line.
func (r *yamlReader) column(at int) int {
	start := LineStart(r.Source, at)
	return utf8.RuneCountInString(strings.TrimPrefix(string(r.Source[start:at]), Mark))
}

// nextDash finds the dash of the next item of a list, whose dashes stand in a column.
func (r *yamlReader) nextDash(at, column int) int {
	for at < len(r.Source) {
		if r.Source[at] == '-' && r.column(at) == column {
			return at
		}
		at = r.nextContent(LineEnd(r.Source, at))
	}
	return max(0, len(r.Source)-1)
}

// nextContent is where the next line that is not blank or a comment has its first sign.
func (r *yamlReader) nextContent(at int) int {
	for at < len(r.Source) {
		first := skipBlanks(r.Source, at)
		if first < lineBody(r.Source, at) && r.Source[first] != '#' {
			return first
		}
		at = LineEnd(r.Source, at)
	}
	return at
}

// flow reads a mapping or a list in brackets. The library does not tell where it ends.
func (r *yamlReader) flow(y *yaml.Node, in int) *Node {
	n := &Node{Kind: Map, style: flow}
	at := r.start(y)
	end := at + 1
	if y.Kind == yaml.SequenceNode {
		n.Kind = List
		for _, c := range y.Content {
			item := n.add(r.node(c, in, true, end))
			if c.Kind == yaml.MappingNode && (item.At.From >= len(r.Source) || r.Source[item.At.From] != '{') {
				item.fixed = "it is an entry that stands in a list without brackets of its own"
			}
			end = max(end, item.At.To)
		}
	} else {
		for i := 0; i+1 < len(y.Content); i += 2 {
			item := n.add(r.entry(y.Content[i], y.Content[i+1], in, true))
			end = max(end, item.whole.To)
		}
	}
	for end < len(r.Source) && r.Source[end] != ']' && r.Source[end] != '}' {
		if c := r.comment(end); c > end {
			end = c
			continue
		}
		end++
	}
	n.At = Span{at, min(end+1, len(r.Source))}
	n.whole = n.At
	return n
}

// yamlPlain tells whether a text means itself where it stands without quotes.
func yamlPlain(s string, inFlow bool) bool {
	if s == "" || strings.ContainsAny(s, "\r\n\t") || strings.TrimSpace(s) != s || inFlow && strings.ContainsAny(s, ",[]{}") {
		return false
	}
	var v yaml.Node
	if yaml.Unmarshal([]byte("k: "+s+"\n"), &v) != nil || len(v.Content) == 0 || v.Content[0].Kind != yaml.MappingNode || len(v.Content[0].Content) != 2 {
		return false
	}
	value := v.Content[0].Content[1]
	if value.Kind != yaml.ScalarNode || value.ShortTag() != "!!str" || value.Value != s || value.Style != 0 || value.Anchor != "" {
		return false
	}
	// What readers of older YAML take for yes and no, or for a time of day, keeps its quotes.
	switch strings.ToLower(s) {
	case "y", "n", "yes", "no", "on", "off":
		return false
	}
	return !strings.Contains(s, ":") || !strings.ContainsAny(s[:1], "0123456789")
}

// writeYAML writes a scalar as the one that stood there was written.
func (d *Doc) writeYAML(v Value, like *Node, inFlow bool) (string, error) {
	if v.As != Text {
		return v.Text, nil
	}
	first := byte(0)
	if like != nil && !like.At.Empty() {
		first = d.Source[like.At.From]
	}
	switch {
	case (first == '|' || first == '>') && like.Type == Text && strings.Contains(v.Text, "\n"):
		return d.writeBlock(v.Text, like)
	case first == '"', strings.ContainsAny(v.Text, "\r\n\t"):
		return quoteJSON(v.Text)
	case first != '\'' && !yamlPlain(v.Text, inFlow) && !strings.ContainsAny(v.Text, `"\`):
		return quoteJSON(v.Text)
	case first == '\'', !yamlPlain(v.Text, inFlow):
		return "'" + strings.ReplaceAll(v.Text, "'", "''") + "'", nil
	}
	return v.Text, nil
}

// writeBlock writes a text of several lines below a sign, indented as the one that stands
// there.
func (d *Doc) writeBlock(s string, like *Node) (string, error) {
	header := string(d.Source[like.At.From:lineBody(d.Source, like.At.From)])
	next := LineEnd(d.Source, like.At.From)
	if next >= like.At.To {
		return quoteJSON(s)
	}
	eol, dent := eolAt(d.Source, like.At.From), dentOf(d.Source, next)
	sign := "|"
	if !strings.HasSuffix(s, "\n") {
		sign = "|-"
	}
	if i := strings.Index(header, " #"); i >= 0 {
		sign += header[i:]
	}
	var out strings.Builder
	out.WriteString(sign)
	for _, line := range strings.Split(strings.TrimSuffix(s, "\n"), "\n") {
		out.WriteString(eol)
		if line != "" {
			out.WriteString(dent + line)
		}
	}
	return out.String(), nil
}
