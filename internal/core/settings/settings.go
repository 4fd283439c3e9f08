// Package settings changes a text by meaning and leaves every other byte of it
// alone: comments, order, indentation, quotes, line ends, a byte-order mark.
//
// A change is an [Op], not a pair of texts, so that it can be done to a text
// that has become another one since it was drafted. [Apply] does one and gives
// its undo, which is an Op again. Every form of text works in the same way: find
// the bytes that mean the thing, splice, read what is about to be written, and
// compare that with what was meant.
//
// Load lists, the texts that name what a server loads, are the first forms:
// [List] says where the names stand in a text and how one is written.
package settings

import (
	"bytes"
	"errors"
	"fmt"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tweak"
)

// ErrNoList is wrapped where a text does not hold what a [List] points at.
var ErrNoList = errors.New("the list is not in the text")

// SyntaxError is a text that cannot be read in its form.
type SyntaxError = text.SyntaxError

// Verb is what an [Op] does.
type Verb string

// The verbs. Each is idempotent: what is so already stays as it is.
const (
	Add  Verb = "add"  // name it, or write it as it shall be written now
	Drop Verb = "drop" // take every entry of that name out
	On   Verb = "on"   // make a disabled entry count
	Off  Verb = "off"  // disable it without deleting, where the form has a way
	Set  Verb = "set"  // make it the value, of a text that holds one
)

// Op is one change of a text. It can be kept as JSON.
type Op struct {
	List List   `json:"list,omitzero"`
	Do   Verb   `json:"do"`
	Key  string `json:"key"` // the name, exactly as the server has it
	// With Add: what the other placeholders of the entry are, or else the entry
	// itself.
	Values map[string]string `json:"values,omitempty"`
	Text   string            `json:"text,omitempty"`
	Off    bool              `json:"off,omitempty"` // with Add: it comes disabled
	// With Add: where it goes. Behind the entry After if that is there, else in
	// front of the first one of Before, else where the list's order says.
	After  string   `json:"after,omitempty"`
	Before []string `json:"before,omitempty"`
	// With Set, in an undo: it is done only where the value still is this one.
	Only string `json:"only,omitempty"`
	// Hunk is set in an undo. Where the text still holds what the change left,
	// exactly what stood there comes back.
	Hunk *Hunk `json:"hunk,omitempty"`
	// With TweakIt and MergeIt, which are about no list.
	Tweak *tweak.Tweak `json:"tweak,omitempty"`
	Merge *Merging     `json:"merge,omitempty"`
	// Inside is the file inside a packed one that Tweak or Merge is about.
	Inside string `json:"inside,omitempty"`
}

// Hunk is the lines that a change left, with the line above and below, and what
// had stood there.
type Hunk struct {
	Left string `json:"left"`
	Was  string `json:"was"`
}

// Apply does one change. It gives the new text and the change that takes it back
// on its own, also after others; undo.Do is empty where nothing changes. The text
// is not written to. Errors wrap [ErrNoList] or are a *[SyntaxError], or say why
// the name cannot be written in this form.
func Apply(text []byte, op Op) (after []byte, undo Op, err error) {
	if op.Inside != "" {
		return inside(text, op)
	}
	if op.Tweak != nil || op.Merge != nil {
		return whole(text, op)
	}
	items, err := op.List.Read(text)
	if err != nil {
		return nil, Op{}, err
	}
	if op.Do == Set && op.Only != "" && valueOf(items) != op.Only {
		return text, Op{}, nil
	}
	if after = op.Hunk.restore(text); after == nil {
		if after, err = op.List.form().apply(text, items, op); err != nil {
			return nil, Op{}, err
		}
	}
	if bytes.Equal(text, after) {
		return after, Op{}, nil
	}
	then, err := op.List.Read(after)
	if err != nil {
		return nil, Op{}, fmt.Errorf("the changed text would not be readable: %w", err)
	}
	if err := checkEffect(items, then, op); err != nil {
		return nil, Op{}, err
	}
	undo = inverse(items, then, op)
	undo.Hunk = hunk(after, text)
	return after, undo, nil
}

// ApplyAll does changes one after the other. The undos come in the order in
// which they are to be done.
func ApplyAll(text []byte, ops []Op) (after []byte, undo []Op, err error) {
	after = text
	for _, op := range ops {
		var u Op
		if after, u, err = Apply(after, op); err != nil {
			return nil, nil, err
		}
		if u.Do != "" {
			undo = append([]Op{u}, undo...)
		}
	}
	return after, undo, nil
}

// checkEffect checks what is about to be written: every other entry is as it was, and
// this one is as it shall be.
func checkEffect(before, after []Item, op Op) error {
	if op.Do == Set {
		if valueOf(after) != op.Key {
			return fmt.Errorf("setting %q would not come out as meant in this text; nothing was changed", op.Key)
		}
		return nil
	}
	others := func(items []Item) (out []Item) {
		for _, i := range items {
			if i.Key != op.Key {
				out = append(out, Item{Key: i.Key, Off: i.Off})
			}
		}
		return out
	}
	a, b := others(before), others(after)
	same := len(a) == len(b)
	for i := 0; same && i < len(a); i++ {
		same = a[i] == b[i]
	}
	there, counts := false, false
	for _, i := range after {
		if i.Key == op.Key {
			there, counts = true, counts || !i.Off
		}
	}
	if !same || op.Do == Add && !there || op.Do == Drop && there || op.Do == On && !counts || op.Do == Off && counts {
		return fmt.Errorf("%s %q would not come out as meant in this text; nothing was changed", op.Do, op.Key)
	}
	return nil
}

// inverse is the change back, by meaning.
func inverse(before, after []Item, op Op) Op {
	if op.Do == Set {
		return Op{List: op.List, Do: Set, Key: valueOf(before), Only: op.Key}
	}
	was, had := find(before, op.Key)
	_, has := find(after, op.Key)
	back := Op{List: op.List, Key: op.Key}
	switch {
	case !had:
		back.Do = Drop
	case !has, was.Off == op.Off && op.Do == Add:
		back.Do, back.Text, back.Off = Add, was.Text, was.Off
		for i, it := range before {
			if it.Key != op.Key {
				continue
			}
			if i > 0 {
				back.After = before[i-1].Key
			}
			for _, later := range before[i+1:] {
				back.Before = append(back.Before, later.Key)
			}
			break
		}
	case was.Off:
		back.Do = Off
	default:
		back.Do = On
	}
	return back
}

func find(items []Item, key string) (Item, bool) {
	for _, i := range items {
		if i.Key == key {
			return i, true
		}
	}
	return Item{}, false
}
