package manifest

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"github.com/magiconair/properties"
)

// readINI reads sections of key = value lines. Keys before the first section
// are at the top; a section is a mapping of its own. Names keep their case.
func readINI(text []byte) Value {
	top := map[string]Value{}
	in := top
	for line := range strings.Lines(string(text)) {
		line = strings.TrimSpace(line)
		if line == "" || line[0] == ';' || line[0] == '#' {
			continue
		}
		if name, ok := strings.CutPrefix(line, "["); ok && strings.HasSuffix(name, "]") {
			name = strings.TrimSpace(strings.TrimSuffix(name, "]"))
			section, ok := top[name].(map[string]Value)
			if !ok {
				section = map[string]Value{}
				top[name] = section
			}
			in = section
			continue
		}
		key, value, ok := strings.Cut(line, "=")
		if !ok {
			continue
		}
		in[strings.TrimSpace(key)] = unquote(strings.TrimSpace(value))
	}
	return top
}

func unquote(s string) string {
	if len(s) >= 2 && (s[0] == '"' || s[0] == '\'') && s[len(s)-1] == s[0] {
		return s[1 : len(s)-1]
	}
	return s
}

// readProperties reads the lines of a properties text. References to other keys stay as
// they are written.
func readProperties(text []byte) (Value, error) {
	// The library takes a line that goes on after \r\n for one that ends.
	p, err := (&properties.Loader{Encoding: properties.UTF8, DisableExpansion: true}).LoadBytes(bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")))
	if err != nil {
		return nil, err
	}
	out := map[string]Value{}
	for key, value := range p.Map() {
		out[key] = value
	}
	return out, nil
}

// readXML reads elements as mappings: an attribute is a key with @ before its
// name, text beside other things is under #text, an element that holds only
// text is that text, and elements of one name beside each other are a list.
// The root element's name is the first step.
func readXML(text []byte) (Value, error) {
	d := xml.NewDecoder(bytes.NewReader(text))
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			return nil, errors.New("it holds no element")
		}
		if err != nil {
			return nil, err
		}
		if e, ok := t.(xml.StartElement); ok {
			v, err := element(d, e, 0)
			return map[string]Value{e.Name.Local: v}, err
		}
	}
}

func element(d *xml.Decoder, e xml.StartElement, depth int) (Value, error) {
	if depth > maxDepth {
		return nil, errors.New("it is nested too deep")
	}
	out := map[string]Value{}
	for _, a := range e.Attr {
		out["@"+a.Name.Local] = a.Value
	}
	var words strings.Builder
	for {
		t, err := d.Token()
		if err != nil {
			return nil, err
		}
		switch t := t.(type) {
		case xml.CharData:
			words.Write(t)
		case xml.StartElement:
			v, err := element(d, t, depth+1)
			if err != nil {
				return nil, err
			}
			addElement(out, t.Name.Local, v)
		case xml.EndElement:
			said := strings.TrimSpace(words.String())
			if len(out) == 0 {
				return said, nil
			}
			if said != "" {
				out["#text"] = said
			}
			return out, nil
		}
	}
}

// addElement adds an element beside others of its name.
func addElement(out map[string]Value, name string, v Value) {
	switch there := out[name].(type) {
	case nil:
		out[name] = v
	case []Value:
		out[name] = append(there, v)
	default:
		out[name] = []Value{there, v}
	}
}
