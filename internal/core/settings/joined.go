package settings

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	txt "restlesscrate/internal/core/text"
)

// joinedForm is the items of one value with a separator between them.
type joinedForm struct{ List }

// value finds the value.
func (f *joinedForm) value(text []byte) (from, to int, err error) {
	expr, err := regexp.Compile(f.Match)
	if err != nil {
		return 0, 0, fmt.Errorf("the expression %s: %w", f.Match, err)
	}
	all := expr.FindAllSubmatchIndex(text, 2)
	switch {
	case len(all) == 0:
		return 0, 0, fmt.Errorf("no part of it is like %s: %w", f.Match, ErrNoList)
	case len(all) > 1:
		line := 1 + strings.Count(string(text[:all[1][0]]), "\n")
		return 0, 0, &SyntaxError{Line: line, What: fmt.Sprintf("a second part of the text is like %s; it is not clear which one counts", f.Match)}
	case all[0][2] < 0:
		return 0, 0, fmt.Errorf("the first group of %s found nothing: %w", f.Match, ErrNoList)
	}
	from, to = all[0][2], all[0][3]
	if to > from && text[to-1] == '\r' { // the end of the line, not of the value
		to--
	}
	return from, to, nil
}

func (f *joinedForm) read(text []byte) (out []Item, err error) {
	from, to, err := f.value(text)
	if errors.Is(err, ErrNoList) && f.Missing != "" {
		if _, err = f.begun(text); err == nil {
			return nil, nil
		}
	}
	if err != nil {
		return nil, err
	}
	core := strings.TrimSpace(f.Separator)
	if core == "" {
		core = f.Separator
	}
	at := from
	for _, part := range strings.Split(string(text[from:to]), core) {
		item := strings.TrimSpace(part)
		if item != "" {
			start := at + strings.Index(part, item)
			out = append(out, Item{Key: f.key(item), Text: item, start: start, end: start + len(item)})
		}
		at += len(part) + len(core)
	}
	return out, nil
}

func (f *joinedForm) apply(text []byte, items []Item, op Op) ([]byte, error) {
	switch op.Do {
	case Drop, Off:
		for i := len(items) - 1; i >= 0; i-- {
			if items[i].Key == op.Key {
				text, items = f.cut(text, items, i)
			}
		}
		return text, nil
	}
	entry, err := f.entry(op)
	if err != nil {
		return nil, err
	}
	if op.Off { // there is no way to write one that does not count
		return f.apply(text, items, Op{List: op.List, Do: Drop, Key: op.Key})
	}
	if i := slices.IndexFunc(items, func(it Item) bool { return it.Key == op.Key }); i >= 0 {
		if op.Do == On {
			return text, nil
		}
		return txt.Splice(text, items[i].start, items[i].end, entry), nil
	}
	if len(items) == 0 {
		if _, _, err := f.value(text); errors.Is(err, ErrNoList) {
			if text, err = f.begun(text); err != nil {
				return nil, err
			}
		}
		from, to, err := f.value(text)
		if err != nil {
			return nil, err
		}
		if strings.TrimSpace(string(text[from:to])) == "" { // spaces that are there stay in front
			from = to
		}
		return txt.Splice(text, from, from, entry), nil
	}
	gap := f.Separator
	if n := len(items); n > 1 {
		gap = string(text[items[n-2].end:items[n-1].start])
	}
	if i := f.place(items, op); i < len(items) {
		return txt.Splice(text, items[i].start, items[i].start, entry+gap), nil
	}
	last := items[len(items)-1].end
	return txt.Splice(text, last, last, gap+entry), nil
}

// begun gives a text that has no such value with the line that holds an empty
// one, ended as the text ends its lines. The text is not written to.
func (f *joinedForm) begun(text []byte) ([]byte, error) {
	eol, at := "\n", len(text)
	if bytes.Contains(text, []byte("\r\n")) {
		eol = "\r\n"
	}
	if f.Below != "" {
		at = -1
		for from := 0; from < len(text); {
			to := len(text)
			if i := bytes.IndexByte(text[from:], '\n'); i >= 0 {
				to = from + i + 1
			}
			if strings.TrimSpace(string(text[from:to])) == f.Below {
				at = to
				break
			}
			from = to
		}
		if at < 0 {
			return nil, fmt.Errorf("no part of it is like %s, and it has no line %s below which to begin: %w", f.Match, f.Below, ErrNoList)
		}
	}
	line := f.Missing + eol
	if at > 0 && text[at-1] != '\n' {
		line = eol + f.Missing
	}
	out := txt.Splice(text, at, at, line)
	if _, _, err := f.value(out); err != nil {
		return nil, err
	}
	return out, nil
}

// cut takes one item out, with the separator towards its neighbour.
func (f *joinedForm) cut(text []byte, items []Item, i int) ([]byte, []Item) {
	from, to := items[i].start, items[i].end
	switch {
	case i+1 < len(items):
		to = items[i+1].start
	case i > 0:
		from = items[i-1].end
	}
	text = txt.Splice(text, from, to, "")
	rest := slices.Clone(items[:i])
	for _, later := range items[i+1:] {
		later.start, later.end = later.start-(to-from), later.end-(to-from)
		rest = append(rest, later)
	}
	return text, rest
}
