// Package manifest reads values out of the texts in which authors describe
// their add-ons, whatever format those are in. It keeps values as they are
// written: a version 1.20 stays "1.20".
package manifest

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path"
	"strconv"
	"strings"

	"github.com/pelletier/go-toml/v2"
	"github.com/tailscale/hujson"
	"go.yaml.in/yaml/v3"
)

// Format is how a manifest is written.
type Format string

// The formats.
const (
	TOML       Format = "toml"
	YAML       Format = "yaml"
	JSON       Format = "json" // comments and trailing commas are borne with
	INI        Format = "ini"
	XML        Format = "xml"
	Properties Format = "properties"
)

// Formats lists all, for messages.
var Formats = []string{string(TOML), string(YAML), string(JSON), string(INI), string(XML), string(Properties)}

var bySuffix = map[string]Format{
	".toml": TOML, ".yaml": YAML, ".yml": YAML, ".json": JSON, ".json5": JSON,
	".ini": INI, ".cfg": INI, ".xml": XML, ".properties": Properties,
}

// FormatOf tells the format by a file's suffix; empty where it does not tell.
func FormatOf(file string) Format { return bySuffix[strings.ToLower(path.Ext(file))] }

// Value is a manifest or a part of it: a string, a []Value or a map[string]Value.
type Value any

// Read parses a manifest.
func Read(f Format, text []byte) (Value, error) {
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	switch f {
	case TOML:
		var v map[string]any
		if err := toml.Unmarshal(text, &v); err != nil {
			return nil, err
		}
		return plain(v), nil
	case YAML:
		var n yaml.Node
		if err := yaml.Unmarshal(text, &n); err != nil {
			return nil, err
		}
		return fromYAML(&n, 0)
	case JSON:
		return readJSON(text)
	case INI:
		return readINI(text), nil
	case Properties:
		return readProperties(text)
	case XML:
		return readXML(text)
	}
	return nil, fmt.Errorf("%q is no format of manifests; there are %s", f, strings.Join(Formats, ", "))
}

func readJSON(text []byte) (Value, error) {
	std, err := hujson.Standardize(bytes.Clone(text))
	if err != nil {
		return nil, err
	}
	d := json.NewDecoder(bytes.NewReader(std))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return nil, err
	}
	return plain(v), nil
}

// plain makes a parser's values ours.
func plain(v any) Value {
	switch v := v.(type) {
	case map[string]any:
		out := make(map[string]Value, len(v))
		for k, x := range v {
			out[k] = plain(x)
		}
		return out
	case []any:
		out := make([]Value, len(v))
		for i, x := range v {
			out[i] = plain(x)
		}
		return out
	case nil:
		return ""
	}
	return fmt.Sprint(v)
}

// maxDepth bounds how deep a manifest may be nested, aliases followed.
const maxDepth = 64

func fromYAML(n *yaml.Node, depth int) (Value, error) {
	if depth > maxDepth {
		return nil, fmt.Errorf("line %d: nested more than %d deep", n.Line, maxDepth)
	}
	switch n.Kind {
	case yaml.DocumentNode:
		return fromYAML(n.Content[0], depth+1)
	case yaml.AliasNode:
		return nil, fmt.Errorf("line %d: an alias (*%s) is not followed", n.Line, n.Value)
	case yaml.SequenceNode:
		out := make([]Value, len(n.Content))
		for i, c := range n.Content {
			v, err := fromYAML(c, depth+1)
			if err != nil {
				return nil, err
			}
			out[i] = v
		}
		return out, nil
	case yaml.MappingNode:
		out := map[string]Value{}
		for i := 0; i+1 < len(n.Content); i += 2 {
			v, err := fromYAML(n.Content[i+1], depth+1)
			if err != nil {
				return nil, err
			}
			out[n.Content[i].Value] = v
		}
		return out, nil
	}
	if n.Tag == "!!null" {
		return "", nil
	}
	return n.Value, nil
}

// At finds the value that a JSON Pointer (RFC 6901) names.
func At(v Value, pointer string) (Value, bool) {
	if pointer == "" {
		return v, true
	}
	for _, step := range strings.Split(pointer, "/")[1:] {
		step = strings.NewReplacer("~1", "/", "~0", "~").Replace(step)
		switch in := v.(type) {
		case map[string]Value:
			next, ok := in[step]
			if !ok {
				return nil, false
			}
			v = next
		case []Value:
			i, err := strconv.Atoi(step)
			if err != nil || i < 0 || i >= len(in) {
				return nil, false
			}
			v = in[i]
		default:
			return nil, false
		}
	}
	return v, true
}

// CheckPointer tells what is wrong with a JSON Pointer.
func CheckPointer(p string) error {
	if p != "" && !strings.HasPrefix(p, "/") {
		return fmt.Errorf("%q is no JSON Pointer: it begins with a slash, as in /mod/version", p)
	}
	for i := 0; i < len(p); i++ {
		if p[i] == '~' && (i+1 == len(p) || p[i+1] != '0' && p[i+1] != '1') {
			return fmt.Errorf("%q is no JSON Pointer: a ~ is written ~0, a / in a name ~1", p)
		}
	}
	return nil
}
