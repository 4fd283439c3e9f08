package text

import (
	"bytes"
	"encoding/json"
	"errors"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/tailscale/hujson"
)

// parseJSON reads with hujson, whose tree keeps every byte and its place.
func (d *Doc) parseJSON() error {
	skip := 0
	body := string(d.Source)
	if rest, marked := strings.CutPrefix(body, Mark); marked {
		body, skip = rest, len(Mark)
	}
	v, err := hujson.Parse([]byte(body + "\n")) // a comment may end with the text; the library wants a line end
	if err != nil {
		if _, as := hujson.Parse([]byte(body)); as != nil { // where that is in the text as it stands
			err = as
		}
	}
	if err != nil {
		return parserError(err)
	}
	d.Root = d.json(&v, skip)
	return nil
}

func (d *Doc) json(v *hujson.Value, skip int) *Node {
	n := &Node{At: Span{v.StartOffset + skip, v.EndOffset + skip}}
	n.whole = n.At
	switch x := v.Value.(type) {
	case *hujson.Object:
		n.Kind, n.style = Map, flow
		for i := range x.Members {
			m := &x.Members[i]
			item := n.add(d.json(&m.Value, skip))
			item.KeyAt = Span{m.Name.StartOffset + skip, m.Name.EndOffset + skip}
			item.Key = jsonString(m.Name.Value.(hujson.Literal))
			item.whole.From = item.KeyAt.From
		}
	case *hujson.Array:
		n.Kind, n.style = List, flow
		for i := range x.Elements {
			n.add(d.json(&x.Elements[i], skip))
		}
	case hujson.Literal:
		n.Value = jsonString(x)
		switch x.Kind() {
		case '"':
			n.Type = Text
		case '0':
			n.Type = Number
		case 'n':
			n.Type = Null
		default:
			n.Type = Bool
		}
	}
	return n
}

// jsonString is what a literal says. Most strings have no escapes, and need not be decoded.
func jsonString(l hujson.Literal) string {
	if n := len(l); n > 1 && l[0] == '"' && bytes.IndexByte(l, '\\') < 0 && utf8.Valid(l) {
		return string(l[1 : n-1])
	}
	return l.String()
}

var position = regexp.MustCompile(`line (\d+)(?:, column (\d+))?: (.*)`)

// parserError takes the position out of a parser's words.
func parserError(err error) *SyntaxError {
	m := position.FindStringSubmatch(err.Error())
	if m == nil {
		return &SyntaxError{What: strings.TrimPrefix(err.Error(), "yaml: ")}
	}
	line, _ := strconv.Atoi(m[1]) // digits
	column, _ := strconv.Atoi(m[2])
	return &SyntaxError{Line: line, Column: column, What: m[3]}
}

// quoteJSON writes a string as JSON does.
func quoteJSON(s string) (string, error) {
	var out strings.Builder
	e := json.NewEncoder(&out)
	e.SetEscapeHTML(false)
	if err := e.Encode(s); err != nil {
		return "", err
	}
	return strings.TrimSuffix(out.String(), "\n"), nil
}

var jsonNumber = regexp.MustCompile(`^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$`)

func writeJSON(v Value) (string, error) {
	if v.As == Number && !jsonNumber.MatchString(v.Text) {
		return "", errors.New(strconv.Quote(v.Text) + " is no number as JSON writes one")
	}
	if v.As != Text {
		return v.Text, nil
	}
	return quoteJSON(v.Text)
}
