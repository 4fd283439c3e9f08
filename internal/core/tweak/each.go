package tweak

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/text"
)

// each sets a value in every item of a collection.
func each(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	in, err := d.Find(t.At)
	if err != nil {
		return nil, Tweak{}, err
	}
	if in.Kind == text.Scalar {
		return nil, Tweak{}, fmt.Errorf("what stands at %s is one value, and no collection", t.At)
	}
	for _, e := range t.Except {
		if !slices.ContainsFunc(in.Items, func(n *text.Node) bool { return isCalled(n, e) }) {
			return nil, Tweak{}, fmt.Errorf("no item is called %q, which shall stay as it is", e)
		}
	}
	var tweaks []Tweak
	for i, n := range in.Items {
		if slices.ContainsFunc(t.Except, func(e string) bool { return isCalled(n, e) }) {
			continue
		}
		at := d.Path(n)
		if in.Kind != text.Map {
			at = t.At + "/" + fmt.Sprint(i)
		}
		if t.Item != "" && !t.Make {
			if _, err := d.Find(at + t.Item); errors.Is(err, text.ErrNotThere) {
				continue
			}
		}
		tweaks = append(tweaks, Tweak{Do: Set, Format: t.Format, At: at + t.Item, Value: t.Value, As: t.As, Raw: t.Raw, Make: t.Make})
	}
	if t.Count > 0 && len(tweaks) != t.Count {
		return nil, Tweak{}, &CountError{Want: t.Count, Found: len(tweaks)}
	}
	if len(tweaks) == 0 {
		return nil, Tweak{}, fmt.Errorf("no item of %s has %s: %w", t.At, t.Item, text.ErrNotThere)
	}
	return all(d.Source, tweaks)
}

// isCalled tells whether an item goes by a name: its own, or what it says under a usual key.
func isCalled(n *text.Node, name string) bool {
	if n.Key == name || n.Kind == text.Scalar && n.Value == name {
		return true
	}
	for _, i := range n.Items {
		switch strings.ToLower(strings.TrimPrefix(i.Key, "@")) {
		case "id", "name", "key":
			if i.Kind == text.Scalar && i.Value == name {
				return true
			}
		}
	}
	return false
}

// joined adds an item to a value that is a list of items between separators, or takes it
// out.
func joined(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	n, err := d.Find(t.At)
	if err != nil {
		return nil, Tweak{}, err
	}
	if n.Kind != text.Scalar {
		return nil, Tweak{}, fmt.Errorf("what stands at %s is a %s, and not one value with items in it", t.At, n.Kind)
	}
	core := strings.TrimSpace(t.Separator)
	if core == "" {
		core = t.Separator
	}
	if strings.Contains(t.Value, core) || t.Value == "" {
		return nil, Tweak{}, fmt.Errorf("%q cannot be an item between %q", t.Value, core)
	}
	undo := Tweak{Do: Drop, Format: t.Format, At: t.At, Separator: t.Separator, Value: t.Value}
	var value string
	if t.Do == Add {
		value = withItem(n.Value, core, t)
	} else {
		var behind string
		value, behind = withoutItem(n.Value, core, t.Value)
		undo.Do, undo.Place = Add, text.Spot{After: behind}
	}
	if value == n.Value {
		return d.Source, Tweak{}, nil
	}
	out, err := d.Set(n, text.Value{Text: value, As: text.Text})
	return out, undo, err
}

func withItem(value, core string, t Tweak) string {
	parts := strings.Split(value, core)
	if strings.TrimSpace(value) == "" {
		return value + t.Value
	}
	at := len(parts)
	for i, p := range parts {
		switch strings.TrimSpace(p) {
		case t.Value:
			return value
		case t.Place.After:
			if t.Place.After != "" {
				at = i + 1
			}
		}
	}
	lead, tail := "", "" // as the others are set apart
	switch {
	case len(parts) > 1:
		lead = parts[1][:len(parts[1])-len(strings.TrimLeft(parts[1], " "))]
		tail = parts[0][len(strings.TrimRight(parts[0], " ")):]
	case core != t.Separator:
		lead = t.Separator[strings.Index(t.Separator, core)+len(core):]
		tail = t.Separator[:strings.Index(t.Separator, core)]
	}
	if at == len(parts) {
		if strings.TrimSpace(parts[at-1]) == "" { // a separator stands behind the last one
			parts[at-1] = lead + t.Value
			return strings.Join(parts, core) + core
		}
		parts[at-1] += tail
		return strings.Join(append(parts, lead+t.Value), core)
	}
	return strings.Join(slices.Insert(parts, at, lead+t.Value+tail), core)
}

func withoutItem(value, core, item string) (out, behind string) {
	parts := strings.Split(value, core)
	for i := len(parts) - 1; i >= 0; i-- {
		if strings.TrimSpace(parts[i]) != item {
			continue
		}
		if i > 0 {
			behind = strings.TrimSpace(parts[i-1])
		}
		switch {
		case i == 0 && len(parts) > 1:
			parts[1] = strings.TrimLeft(parts[1], " ")
		case i == len(parts)-1 && i > 0:
			parts[i-1] = strings.TrimRight(parts[i-1], " ")
		}
		parts = slices.Delete(parts, i, i+1)
	}
	return strings.Join(parts, core), behind
}
