package settings

import (
	"errors"
	"fmt"
	"strings"

	txt "restlesscrate/internal/core/text"
)

// valueForm is one value, as a list of at most one item: what the first group of
// Match finds. It is set and not added to.
type valueForm struct{ joinedForm }

func (f *valueForm) read(text []byte) ([]Item, error) {
	from, to, err := f.value(text)
	if err != nil {
		return nil, err
	}
	value := string(text[from:to])
	key := strings.TrimSpace(value)
	if key == "" {
		return nil, nil
	}
	start := from + strings.Index(value, key)
	return []Item{{Key: key, Text: key, start: start, end: start + len(key)}}, nil
}

func (f *valueForm) apply(text []byte, items []Item, op Op) ([]byte, error) {
	if op.Do != Set {
		return nil, errors.New("a value is set, and nothing is added to it or taken out")
	}
	if strings.ContainsAny(op.Key, "\r\n\x00") || strings.TrimSpace(op.Key) != op.Key {
		return nil, fmt.Errorf("the value %q cannot be written here", op.Key)
	}
	if len(items) == 0 {
		from, to, err := f.value(text)
		if err != nil {
			return nil, err
		}
		if strings.TrimSpace(string(text[from:to])) == "" { // spaces that are there stay in front
			from = to
		}
		return txt.Splice(text, from, from, op.Key), nil
	}
	return txt.Splice(text, items[0].start, items[0].end, op.Key), nil
}

// valueOf is the value among the items of a [ValueForm].
func valueOf(items []Item) string {
	if len(items) == 0 {
		return ""
	}
	return items[0].Key
}
