package settings

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/tailscale/hujson"
	"go.yaml.in/yaml/v3"
)

// treeForm is the strings of a list in a JSON or YAML text.
type treeForm struct{ List }

// found is a list as it stands in a text: in brackets, in lines, or not begun.
type found struct {
	flow  *flow
	block *block
}

func (f *treeForm) find(text []byte) (found, error) {
	if f.Form == JSONForm {
		return f.findJSON(text)
	}
	return f.findYAML(text)
}

var position = regexp.MustCompile(`line (\d+)(?:, column (\d+))?: (.*)`)

// syntax takes the position out of a parser's words.
func syntax(err error) error {
	m := position.FindStringSubmatch(err.Error())
	if m == nil {
		return &SyntaxError{What: err.Error()}
	}
	line, _ := strconv.Atoi(m[1]) // digits
	column, _ := strconv.Atoi(m[2])
	return &SyntaxError{Line: line, Column: column, What: m[3]}
}

func (f *treeForm) findJSON(text []byte) (found, error) {
	body, skip := withoutMark(text)
	v, err := hujson.Parse(body)
	if err != nil {
		return found{}, syntax(err)
	}
	at := v.Find(f.At)
	if at == nil {
		return found{}, fmt.Errorf("there is nothing at %s: %w", f.At, ErrNoList)
	}
	list, ok := at.Value.(*hujson.Array)
	if !ok {
		return found{}, fmt.Errorf("what is at %s is no list: %w", f.where(), ErrNoList)
	}
	fl := flowOf(text, at, list, skip)
	return found{flow: &fl}, nil
}

func (f *treeForm) where() string {
	if f.At == "" {
		return "the top"
	}
	return f.At
}

func withoutMark(text []byte) ([]byte, int) {
	if rest, ok := strings.CutPrefix(string(text), mark); ok {
		return []byte(rest), len(mark)
	}
	return slices.Clone(text), 0
}

func (f *treeForm) read(text []byte) ([]Item, error) {
	at, err := f.find(text)
	if f.notThere(text, err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []Item
	add := func(raw string, start, end int) {
		var value any
		if f.Form == JSONForm {
			std, err := hujson.Standardize([]byte(raw))
			if err != nil || json.Unmarshal(std, &value) != nil {
				value = nil // the whole text was read, so it is no string
			}
		} else if yaml.Unmarshal([]byte(raw), &value) != nil {
			value = nil
		}
		it := Item{start: start, end: end}
		switch v := value.(type) {
		case string:
			it.Key, it.Text = f.key(v), v
		case map[string]any, []any, nil:
		default: // a number, as a person may write a name
			it.Key, it.Text = f.key(raw), raw
		}
		out = append(out, it)
	}
	if at.flow != nil {
		for _, it := range at.flow.items {
			add(string(text[it.start:it.end]), it.start, it.end)
		}
		return out, nil
	}
	for _, it := range at.block.items {
		add(it.raw, it.start, it.start+len(it.raw))
	}
	return out, nil
}

func (f *treeForm) apply(text []byte, items []Item, op Op) ([]byte, error) {
	switch op.Do {
	case Drop, Off:
		for i := len(items) - 1; i >= 0; i-- {
			if items[i].Key != op.Key {
				continue
			}
			at, err := f.find(text)
			if err != nil {
				return nil, err
			}
			if at.flow != nil {
				text = at.flow.cut(i)
			} else {
				text = at.block.cut(i)
			}
		}
		return text, nil
	}
	if op.Off { // there is no way to write one that does not count
		return f.apply(text, items, Op{List: op.List, Do: Drop, Key: op.Key})
	}
	entry, err := f.entry(op)
	if err != nil {
		return nil, err
	}
	at, err := f.find(text)
	if f.notThere(text, err) {
		if text, err = f.begun(text); err == nil {
			at, err = f.find(text)
		}
	}
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(items, func(it Item) bool { return it.Key == op.Key }); i >= 0 {
		if op.Do == On || items[i].Text == entry {
			return text, nil
		}
		written, err := f.scalar(entry, string(text[items[i].start:items[i].end]))
		return splice(text, items[i].start, items[i].end, written), err
	}
	model := ""
	if n := len(items); n > 0 {
		model = string(text[items[n-1].start:items[n-1].end])
	}
	written, err := f.scalar(entry, model)
	if err != nil {
		return nil, err
	}
	if at.flow != nil {
		return at.flow.add(f.place(items, op), written), nil
	}
	return at.block.add(f.place(items, op), written), nil
}

// scalar writes a string, with the quotes that the model has.
func (f *treeForm) scalar(s, model string) (string, error) {
	if f.Form == JSONForm || strings.HasPrefix(model, `"`) {
		var out strings.Builder
		e := json.NewEncoder(&out)
		e.SetEscapeHTML(false)
		err := e.Encode(s)
		return strings.TrimSuffix(out.String(), "\n"), err
	}
	if strings.HasPrefix(model, "'") {
		return "'" + strings.ReplaceAll(s, "'", "''") + "'", nil
	}
	raw, err := yaml.Marshal([]string{s}) // in a list: what is plain there may need quotes elsewhere
	if err != nil {
		return "", err
	}
	plain := strings.TrimSuffix(strings.TrimPrefix(string(raw), "- "), "\n")
	if strings.ContainsAny(plain, ",[]{}") && plain == s { // plain in lines, but not in brackets
		plain = "'" + s + "'"
	}
	if strings.Contains(plain, "\n") {
		return "", errors.New("a name of more than one line cannot be written in this list")
	}
	return plain, nil
}
