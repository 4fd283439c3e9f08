package tweak

import (
	"fmt"
	"strings"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/words"
)

// String says what a tweak does, as a person reads it: it goes on from the name of a text.
func (t Tweak) String() string {
	at := t.At
	if t.Hidden || text.SecretPath(t.At) || t.Do == Each && text.SecretPath(t.Item) {
		t.Value = text.Masked
	}
	if at == "" {
		at = "the whole"
	}
	switch t.Do {
	case Set:
		return fmt.Sprintf("sets %s to %s", at, short(t.Value))
	case Add:
		if t.Separator != "" {
			return fmt.Sprintf("adds %s to %s", short(t.Value), at)
		}
		return fmt.Sprintf("adds %s: %s", at, short(t.Value))
	case Drop:
		if t.Separator != "" {
			return fmt.Sprintf("takes %s out of %s", short(t.Value), at)
		}
		return "takes " + at + " out"
	case Comment:
		if t.Text != "" {
			return fmt.Sprintf("comments %q out", short(t.Text))
		}
		return "comments " + at + " out"
	case Uncomment:
		return fmt.Sprintf("has %q count again", short(t.Text))
	case Insert:
		return fmt.Sprintf("puts %q in", short(t.Text))
	case Cut:
		return fmt.Sprintf("takes %q out", short(t.Text))
	case Replace:
		return fmt.Sprintf("writes %q for %q", short(t.Value), short(t.Text))
	case Each:
		return fmt.Sprintf("sets %s of every item of %s to %s", t.Item, at, short(t.Value))
	case Copy:
		if t.Key != "" {
			return fmt.Sprintf("copies %s as %s", at, t.Key)
		}
		return "copies " + at
	case Begin:
		return fmt.Sprintf("is made (%s)", words.Count(strings.Count(t.Text, "\n")+1-len(t.Text)+len(strings.TrimSuffix(t.Text, "\n")), "line"))
	case End:
		return "is taken away"
	case Swap:
		return fmt.Sprintf("is swapped for %s (%s)", t.Text, words.Size(int64(t.Count)))
	case Edited:
		return "is edited as a whole"
	case All:
		if len(t.Tweaks) == 1 {
			return t.Tweaks[0].String()
		}
		return "makes " + words.Count(len(t.Tweaks), "change")
	}
	return string(t.Do)
}

// Check tells what is wrong with a tweak in itself, whatever the text.
func (t Tweak) Check() error {
	need := func(what, value string) error {
		if value == "" {
			return fmt.Errorf("%s needs %s", t.Do, what)
		}
		return nil
	}
	switch t.Do {
	case Set, Add, Drop:
		if t.Place.After != "" && t.Place.Before != "" {
			return fmt.Errorf("%s goes behind one neighbour or in front of one, not both", t.Do)
		}
		return need("a value path", t.At)
	case Comment:
		return need("a value path, or the lines", t.At+t.Text)
	case Uncomment, Insert, Cut, Begin:
		return need("the lines", t.Text)
	case Replace:
		return need("the words that are replaced", t.Text)
	case Each:
		return need("a value", t.Value)
	case Copy:
		return need("the item to copy", t.At)
	case All:
		for _, o := range t.Tweaks {
			if err := o.Check(); err != nil {
				return err
			}
		}
		return nil
	}
	return fmt.Errorf("%q is no tweak; they are %v", t.Do, Verbs())
}
