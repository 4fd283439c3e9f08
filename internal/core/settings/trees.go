package settings

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"restlesscrate/internal/core/text"
)

// treeForm is the strings of a list in a JSON or YAML text.
type treeForm struct{ List }

func (f *treeForm) parse(source []byte) (*text.Doc, error) {
	format := text.YAML
	if f.Form == JSONForm {
		format = text.JSON
	}
	return text.Parse(source, format)
}

// find gives the list, or a name with nothing behind it, which is a list that is not begun.
func (f *treeForm) find(d *text.Doc) (*text.Node, error) {
	if d.Format == text.YAML && d.Root.Kind == text.Map && len(d.Root.Items) == 0 && d.Root.At.Empty() {
		return nil, fmt.Errorf("it is empty: %w", ErrNoList)
	}
	n, err := d.Find(f.At)
	if err != nil {
		return nil, fmt.Errorf("there is nothing at %s: %w", f.At, ErrNoList)
	}
	begun := d.Format == text.YAML && n.Kind == text.Scalar && n.Type == text.Null && n.Value == "" && n.Up != nil
	if n.Kind != text.List && !begun {
		return nil, fmt.Errorf("what is at %s is no list: %w", f.where(), ErrNoList)
	}
	return n, nil
}

func (f *treeForm) where() string {
	if f.At == "" {
		return "the top"
	}
	return f.At
}

// begun gives a text that does not hold the list with its key, and no items. The mapping
// that is to hold the key must be there.
func (f *treeForm) begun(d *text.Doc) (*text.Doc, error) {
	i := strings.LastIndexByte(f.At, '/')
	if i < 0 {
		return nil, fmt.Errorf("the whole text is the list: %w", ErrNoList)
	}
	in, err := d.Find(f.At[:i])
	if err != nil {
		return nil, fmt.Errorf("there is nothing at %s: %w", f.At[:i], ErrNoList)
	}
	if _, err := d.Find(f.At); err == nil || in.Kind != text.Map || d.Format == text.YAML && !in.At.Empty() && d.Source[in.At.From] == '{' {
		return nil, fmt.Errorf("no list can be begun at %s: %w", f.At[:i], ErrNoList)
	}
	value := text.Value{Raw: true}
	if f.Form == JSONForm {
		value.Text = "[]"
	}
	out, err := d.Add(f.At, value, text.Spot{})
	if err != nil {
		return nil, fmt.Errorf("no list can be begun at %s: %w: %w", f.At[:i], err, ErrNoList)
	}
	return f.parse(out)
}

// notThere tells whether an error is the absence of a list that can be begun.
func (f *treeForm) notThere(d *text.Doc, err error) bool {
	if !f.Begin || !errors.Is(err, ErrNoList) {
		return false
	}
	_, err = f.begun(d)
	return err == nil
}

func (f *treeForm) read(source []byte) ([]Item, error) {
	d, err := f.parse(source)
	if err != nil {
		return nil, err
	}
	at, err := f.find(d)
	if f.notThere(d, err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []Item
	for _, n := range at.Items {
		it := Item{start: n.At.From, end: n.At.To}
		switch {
		case n.Kind == text.Scalar && n.Type == text.Text:
			it.Key, it.Text = f.key(n.Value), n.Value
		case n.Kind == text.Scalar && n.Type != text.Null: // a number, as a person may write a name
			it.Key, it.Text = f.key(d.Raw(n)), d.Raw(n)
		}
		out = append(out, it)
	}
	return out, nil
}

func (f *treeForm) apply(source []byte, items []Item, op Op) ([]byte, error) {
	d, err := f.parse(source)
	if err != nil {
		return nil, err
	}
	switch op.Do {
	case Drop, Off:
		return f.drop(d, items, op.Key)
	}
	if op.Off { // there is no way to write one that does not count
		return f.drop(d, items, op.Key)
	}
	entry, err := f.entry(op)
	if err != nil {
		return nil, err
	}
	at, err := f.find(d)
	if f.notThere(d, err) {
		if d, err = f.begun(d); err == nil {
			at, err = f.find(d)
		}
	}
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(items, func(it Item) bool { return it.Key == op.Key }); i >= 0 {
		if op.Do == On || items[i].Text == entry {
			return source, nil
		}
		return d.Set(at.Items[i], text.Value{Text: entry, As: text.Text})
	}
	step := "-"
	if i := f.place(items, op); i < len(items) {
		step = strconv.Itoa(i)
	}
	return d.Add(f.At+"/"+step, text.Value{Text: entry, As: text.Text}, text.Spot{})
}

// drop takes every item of a name out.
func (f *treeForm) drop(d *text.Doc, items []Item, key string) ([]byte, error) {
	for i := len(items) - 1; i >= 0; i-- {
		if items[i].Key != key {
			continue
		}
		at, err := f.find(d)
		if err != nil {
			return nil, err
		}
		out, err := d.Remove(at.Items[i])
		if err != nil {
			return nil, err
		}
		if d, err = f.parse(out); err != nil {
			return nil, err
		}
	}
	return d.Source, nil
}
