package tweak

import (
	"errors"
	"fmt"
	"slices"

	"restlesscrate/internal/core/text"
)

func copied(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	n, err := d.Find(t.At)
	if err != nil {
		return nil, Tweak{}, err
	}
	if n.Up == nil {
		return nil, Tweak{}, errors.New("the whole text is no item that can be copied")
	}
	steps := text.Steps(t.At)
	at := text.Join(append(slices.Clone(steps[:len(steps)-1]), t.Key)...)
	if next, where := following(d, n); where != "" {
		at = text.Join(append(slices.Clone(steps[:len(steps)-1]), where)...)
		if next != nil && alike(d, n, next, t) {
			return d.Source, Tweak{}, nil
		}
	} else if there, err := d.Find(at); err == nil {
		out, _, err := all(d.Source, below(t.Tweaks, at, t.Format))
		if err != nil || string(out) != string(d.Source) {
			return nil, Tweak{}, fmt.Errorf("%s is in the text already, and another one, in line %d", at, d.Line(there))
		}
		return d.Source, Tweak{}, nil
	}
	out, err := d.Copy(n, t.Key)
	if err != nil {
		return nil, Tweak{}, err
	}
	if out, _, err = all(out, below(t.Tweaks, at, t.Format)); err != nil {
		return nil, Tweak{}, err
	}
	return out, Tweak{Do: Drop, Format: t.Format, At: at}, nil
}

// below gives tweaks of an item as tweaks of the text that holds it.
func below(tweaks []Tweak, at string, f text.Format) (out []Tweak) {
	for _, t := range tweaks {
		t.At, t.Format = at+t.At, f
		out = append(out, t)
	}
	return out
}

// following gives, where a copy stands among others of its kind, the one that stands behind
// an item now and the step to it; nothing where the copy gets a name of its own.
func following(d *text.Doc, n *text.Node) (next *text.Node, step string) {
	if n.Up.Kind != text.Map {
		i := slices.Index(n.Up.Items, n) + 1
		if i < len(n.Up.Items) {
			next = n.Up.Items[i]
		}
		return next, fmt.Sprint(i)
	}
	if d.Format != text.XML {
		return nil, ""
	}
	at := 0
	for _, o := range n.Up.Items {
		if o.Key != n.Key {
			continue
		}
		if at++; o == n {
			step = fmt.Sprintf("%s#%d", n.Key, at+1)
		} else if step != "" {
			return o, step
		}
	}
	return nil, step
}

// alike tells whether the item behind one is already the changed copy of it.
func alike(d *text.Doc, n, next *text.Node, t Tweak) bool {
	if len(t.Tweaks) == 0 {
		return d.Raw(n) == d.Raw(next)
	}
	out, _, err := all(d.Source, below(t.Tweaks, d.Path(next), t.Format))
	return err == nil && string(out) == string(d.Source)
}
