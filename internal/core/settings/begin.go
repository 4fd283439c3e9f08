package settings

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"github.com/tailscale/hujson"
	"go.yaml.in/yaml/v3"
)

// begun gives a text that does not hold the list with its key, and no items. The mapping
// that is to hold the key must be there. The text is not written to.
func (f *treeForm) begun(text []byte) ([]byte, error) {
	i := strings.LastIndexByte(f.At, '/')
	if i < 0 {
		return nil, fmt.Errorf("the whole text is the list: %w", ErrNoList)
	}
	parent, key := f.At[:i], unescaped(f.At[i+1:])
	out, err := text, error(nil)
	if f.Form == JSONForm {
		out, err = begunJSON(text, parent, key)
	} else {
		out, err = begunYAML(text, parent, key)
	}
	if err != nil {
		return nil, err
	}
	if _, err := f.find(out); err != nil {
		return nil, err
	}
	return out, nil
}

// notThere tells whether an error is the absence of a list that can be begun.
func (f *treeForm) notThere(text []byte, err error) bool {
	if !f.Begin || !errors.Is(err, ErrNoList) {
		return false
	}
	_, err = f.begun(text)
	return err == nil
}

// unescaped is a step of a JSON Pointer as the key that it names (RFC 6901).
func unescaped(step string) string {
	return strings.ReplaceAll(strings.ReplaceAll(step, "~1", "/"), "~0", "~")
}

func begunJSON(text []byte, parent, key string) ([]byte, error) {
	body, skip := withoutMark(text)
	v, err := hujson.Parse(body)
	if err != nil {
		return nil, syntax(err)
	}
	at := v.Find(parent)
	if at == nil {
		return nil, fmt.Errorf("there is nothing at %s: %w", parent, ErrNoList)
	}
	object, ok := at.Value.(*hujson.Object)
	if !ok || v.Find(parent+"/"+strings.ReplaceAll(strings.ReplaceAll(key, "~", "~0"), "/", "~1")) != nil {
		return nil, fmt.Errorf("no list can be begun at %s: %w", parent, ErrNoList)
	}
	name, err := json.Marshal(key)
	if err != nil {
		return nil, err
	}
	fl := membersOf(text, at, object, skip)
	return fl.add(len(fl.items), string(name)+": []"), nil
}

// membersOf are the members of a JSON object, as [flowOf] gives the items of a list.
func membersOf(text []byte, v *hujson.Value, object *hujson.Object, skip int) flow {
	f := flow{text: text, open: v.StartOffset + skip, close: v.EndOffset + skip - 1}
	for _, m := range object.Members {
		it := flowItem{start: m.Name.StartOffset + skip, end: m.Value.EndOffset + skip, comma: -1}
		if at := it.end + len(m.Value.AfterExtra); text[at] == ',' {
			it.comma = at
		}
		f.items = append(f.items, it)
	}
	return f
}

func begunYAML(text []byte, parent, key string) ([]byte, error) {
	body, _ := withoutMark(text)
	var doc yaml.Node
	if err := yaml.Unmarshal(body, &doc); err != nil {
		return nil, syntax(err)
	}
	if len(doc.Content) == 0 && parent == "" {
		return appendedLine(text, len(text), key+":"), nil
	}
	if len(doc.Content) == 0 {
		return nil, fmt.Errorf("it is empty: %w", ErrNoList)
	}
	n := doc.Content[0]
	for _, step := range strings.Split(parent, "/")[min(1, len(parent)):] {
		if parent != "" {
			n = under(n, unescaped(step))
		}
		if n == nil {
			return nil, fmt.Errorf("there is nothing at %s: %w", parent, ErrNoList)
		}
	}
	if n.Kind != yaml.MappingNode || n.Style&yaml.FlowStyle != 0 || len(n.Content) == 0 || under(n, key) != nil {
		return nil, fmt.Errorf("no list can be begun at %s: %w", parent, ErrNoList)
	}
	last := n.Content[len(n.Content)-2]
	from := offset(text, last.Line, last.Column)
	start := lineStart(text, from)
	dent := string(text[start:from])
	if strings.TrimLeft(strings.TrimPrefix(dent, mark), " ") != "" {
		return nil, fmt.Errorf("no list can be begun at %s, whose keys do not stand in lines of their own: %w", parent, ErrNoList)
	}
	dent = strings.TrimPrefix(dent, mark)
	end := lineEnd(text, from)
	for end < len(text) { // what stands further in belongs to the last key, and so do dashes below it
		line := string(text[end:lineEnd(text, end)])
		inner := strings.TrimLeft(line, " ")
		in := len(line) - len(inner)
		if strings.TrimSpace(inner) == "" || in < len(dent) || in == len(dent) && !strings.HasPrefix(inner, "- ") {
			break
		}
		end = lineEnd(text, end)
	}
	return appendedLine(text, end, dent+key+":"), nil
}

// under is the value of a key in a mapping; nil where there is none.
func under(n *yaml.Node, key string) *yaml.Node {
	if n.Kind != yaml.MappingNode {
		return nil
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return n.Content[i+1]
		}
	}
	return nil
}

// appendedLine puts a line in front of the offset at, which is the start of a line or the
// end of the text.
func appendedLine(text []byte, at int, line string) []byte {
	if at > 0 && text[at-1] != '\n' && string(text[:at]) != mark {
		return splice(text, at, at, eol(text)+line)
	}
	return splice(text, at, at, line+eol(text))
}
