// Package tweak changes a settings text by meaning: a value is set, an entry comes or goes,
// lines are put in, commented out or in again. Every other byte stays.
//
// A [Tweak] is an operation that can be kept as JSON and done again, to a text that has
// become another one since. It is idempotent: what is so already stays as it is. [Apply]
// gives the new text and the tweak that takes it back.
package tweak

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/words"
)

// Verb is what a [Tweak] does.
type Verb string

// The verbs.
const (
	Set       Verb = "set"       // make the value at At be Value
	Add       Verb = "add"       // put Value at At, where nothing is
	Drop      Verb = "drop"      // take what is at At out
	Comment   Verb = "comment"   // make a comment of what is at At, or of the lines Text
	Uncomment Verb = "uncomment" // make the lines Text count that are a comment
	Insert    Verb = "insert"    // put the lines Text in
	Cut       Verb = "cut"       // take the lines Text out
	Replace   Verb = "replace"   // write Value for every Text, Count times
	Each      Verb = "each"      // set Item of every item of the collection at At
	Copy      Verb = "copy"      // copy the item at At, and change the copy
	All       Verb = "all"       // do Tweaks, one after the other
	Begin     Verb = "begin"     // make the text Text, where there is none
	End       Verb = "end"       // take the text away, if it still is Text
	Swap      Verb = "swap"      // says that a person's own file stands there; it is no operation on a text. Value is its digest, Count its size in bytes, Text its name
	Edited    Verb = "edited"    // says that a person has edited the text as a whole; it is no operation
)

// Verbs lists those that a person may ask for by name, one change each.
func Verbs() []Verb {
	return []Verb{Set, Add, Drop, Comment, Uncomment, Insert, Cut, Replace, Each, Copy}
}

// Tweak is one change of a text.
type Tweak struct {
	Do     Verb        `json:"do"`
	Format text.Format `json:"format,omitempty"` // of the text; never empty once it is drafted
	At     string      `json:"at,omitempty"`     // a value path, see [text.Doc.Find]
	Value  string      `json:"value,omitempty"`  // with Comment: the sign, where it is not the text's usual one
	As     text.Type   `json:"as,omitempty"`     // the type that the value shall have; empty keeps the one it has
	Raw    bool        `json:"raw,omitempty"`    // Value is written as it is
	// Hidden says that Value is a secret, which no words about the tweak show.
	Hidden bool `json:"hidden,omitempty"`
	// Make lets Set and Each put the value in where it is not there.
	Make bool `json:"make,omitempty"`
	// Separator makes a value a list of items between such signs: Add and Drop are about
	// the item Value.
	Separator string    `json:"separator,omitempty"`
	Place     text.Spot `json:"place,omitzero"`
	// Text is lines, or with Replace any words.
	Text  string `json:"text,omitempty"`
	Where Where  `json:"where,omitzero"` // with Insert
	// Label names lines that are put in: comments in front of them and behind them say it.
	Label string `json:"label,omitempty"`
	// Item is a value path in each item of a collection; empty for the item itself. Except
	// names items that stay.
	Item   string   `json:"item,omitempty"`
	Except []string `json:"except,omitempty"`
	// Count is how often Replace and Each shall find something. 0 says nothing. With Only it is
	// how many items beside each other say so.
	Count  int     `json:"count,omitempty"`
	Words  bool    `json:"words,omitempty"`  // with Replace: not within longer names
	Skip   []int   `json:"skip,omitempty"`   // with Replace: which of the places stay, from 1
	Key    string  `json:"key,omitempty"`    // with Copy: the name of the copy
	Tweaks []Tweak `json:"tweaks,omitempty"` // with Copy: of the copy; with All
	// Only says which value must stand there; with another one nothing is done: in an undo, and
	// in what [Bind] gives.
	Only *string `json:"only,omitempty"`
}

// Where says where lines go. One of them is given; none is the end of the text.
type Where struct {
	Start  bool   `json:"start,omitempty"`
	Before string `json:"before,omitempty"` // the line in front of which, without the blanks around it
	After  string `json:"after,omitempty"`  // the line behind which
	Like   string `json:"like,omitempty"`   // how lines begin, behind the last of which
}

// CountError is another number of places than was expected.
type CountError struct{ Want, Found int }

func (e *CountError) Error() string {
	return fmt.Sprintf("%s expected, and %d found; nothing was changed", words.Count(e.Want, "place"), e.Found)
}

// Apply does a tweak. It gives the new text and the tweak that takes it back on its own, whose
// Do is empty where nothing changes. The text is UTF-8 and is not written to. Errors are a
// *[text.SyntaxError], a *[text.UnsafeError] or a *[CountError], wrap [text.ErrNotThere], or
// say what is wrong with the tweak.
func Apply(source []byte, t Tweak) (after []byte, undo Tweak, err error) {
	switch t.Do {
	case All:
		return all(source, t.Tweaks)
	case Begin:
		after, undo = begin(source, t)
		return after, undo, nil
	case End:
		after, undo = end(source, t)
		return after, undo, nil
	case Insert, Cut, Replace, Uncomment:
		return byLines(source, t)
	case Comment:
		if t.Text != "" {
			return byLines(source, t)
		}
	}
	d, err := text.Parse(source, t.Format)
	if err != nil {
		return nil, Tweak{}, err
	}
	switch t.Do {
	case Set:
		return set(d, t)
	case Add:
		return add(d, t)
	case Drop:
		return drop(d, t)
	case Comment:
		return comment(d, t)
	case Each:
		return each(d, t)
	case Copy:
		return copied(d, t)
	}
	return nil, Tweak{}, fmt.Errorf("%q is no tweak; they are %v", t.Do, Verbs())
}

func all(source []byte, tweaks []Tweak) (after []byte, undo Tweak, err error) {
	after, undo = source, Tweak{Do: All}
	for _, t := range tweaks {
		var back Tweak
		if after, back, err = Apply(after, t); err != nil {
			return nil, Tweak{}, err
		}
		if back.Do != "" {
			undo.Tweaks = append([]Tweak{back}, undo.Tweaks...)
		}
	}
	if len(undo.Tweaks) == 0 {
		undo = Tweak{}
	}
	return after, undo, nil
}

func (t Tweak) value() text.Value { return text.Value{Text: t.Value, As: t.As, Raw: t.Raw} }

func set(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	n, err := d.Find(t.At)
	if errors.Is(err, text.ErrNotThere) && t.Make {
		return add(d, t)
	}
	steps := text.Steps(t.At)
	byValue := len(steps) > 0 && strings.HasPrefix(steps[len(steps)-1], "[=")
	undoAt := t.At
	if byValue {
		undoAt = text.Join(append(slices.Clone(steps[:len(steps)-1]), "[="+t.Value+"]")...)
		if _, there := d.Find(undoAt); err != nil && there == nil {
			return d.Source, Tweak{}, nil // it is that one already
		}
	}
	if err != nil {
		return nil, Tweak{}, err
	}
	was := d.Raw(n)
	if t.Only != nil && was != *t.Only {
		return d.Source, Tweak{}, nil
	}
	out, err := d.Set(n, t.value())
	if err != nil {
		return nil, Tweak{}, err
	}
	if string(out) == string(d.Source) {
		return out, Tweak{}, nil
	}
	now := string(out[n.At.From : len(out)-(len(d.Source)-n.At.To)])
	now = strings.TrimLeft(now, " ")
	return out, Tweak{Do: Set, Format: t.Format, At: undoAt, Value: was, Raw: true, Only: &now}, nil
}

func add(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	if t.Separator != "" {
		return joined(d, t)
	}
	steps := text.Steps(t.At)
	if len(steps) == 0 {
		return nil, Tweak{}, errors.New("say under which name the value shall stand")
	}
	last := steps[len(steps)-1]
	undo := Tweak{Do: Drop, Format: t.Format, At: t.At}
	if in, err := d.Find(text.Join(steps[:len(steps)-1]...)); err == nil && in.Kind != text.Map && last == "-" {
		for _, i := range in.Items {
			if i.Kind == text.Scalar && i.Value == t.Value && !t.Raw {
				return d.Source, Tweak{}, nil
			}
		}
		undo.At = text.Join(append(slices.Clone(steps[:len(steps)-1]), "[="+t.Value+"]")...)
		if t.Raw {
			undo.At = text.Join(append(slices.Clone(steps[:len(steps)-1]), fmt.Sprint(len(in.Items)))...)
		}
	} else if n, err := d.Find(t.At); err == nil && in.Kind == text.Map {
		if d.Raw(n) == t.Value || n.Kind == text.Scalar && n.Value == t.Value {
			return d.Source, Tweak{}, nil
		}
		return nil, Tweak{}, fmt.Errorf("%s is in the text already, as %s; set it instead", t.At, short(d.Raw(n)))
	}
	out, err := d.Add(t.At, t.value(), t.Place)
	if err != nil {
		return nil, Tweak{}, err
	}
	// Groups that were begun for it go with it.
	for i := 1; i < len(steps); i++ {
		if _, err := d.Find(text.Join(steps[:i]...)); err != nil && undo.At == t.At {
			undo.At = text.Join(steps[:i]...)
			break
		}
	}
	return out, undo, nil
}

func short(s string) string {
	if s = strings.Join(strings.Fields(s), " "); len(s) > 60 {
		return s[:strings.LastIndexFunc(s[:58], func(r rune) bool { return r < 0x80 })] + " …"
	}
	return s
}

func drop(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	if t.Separator != "" {
		return joined(d, t)
	}
	n, err := d.Find(t.At)
	if errors.Is(err, text.ErrNotThere) {
		return d.Source, Tweak{}, nil
	}
	if err != nil {
		return nil, Tweak{}, err
	}
	if n.Up == nil {
		return nil, Tweak{}, errors.New("the whole text is no entry that can be taken out")
	}
	if t.Only != nil && (d.Raw(n) != *t.Only || twins(d, n) < t.Count) {
		return d.Source, Tweak{}, nil // it is gone; another one has its number
	}
	i := slices.Index(n.Up.Items, n)
	out, err := d.Remove(n)
	if err != nil {
		return nil, Tweak{}, err
	}
	undo := Tweak{Do: Add, Format: t.Format, At: d.Path(n), Value: d.Raw(n), Raw: true}
	if n.Up.Kind == text.Map && i > 0 {
		undo.Place.After = n.Up.Items[i-1].Key
	} else if n.Up.Kind == text.Map && len(n.Up.Items) > 1 {
		undo.Place.Before = n.Up.Items[1].Key
	}
	if lines, err := d.LinesOf(n); err == nil && strings.Contains(undo.Value, "\n") && i > 0 {
		// It has lines of its own: those come back, behind the line that was above.
		above := strings.TrimSpace(lastLine(string(d.Source[:lines.From])))
		undo = Tweak{Do: Insert, Format: t.Format, Text: strings.TrimRight(string(d.Source[lines.From:lines.To]), "\r\n"), Where: Where{After: above}}
	}
	return out, undo, nil
}

// Bind gives a tweak as it can be done again: an item of a list that is taken out by its number
// is known by what it says, since another one has the number afterwards. The text is UTF-8;
// where it cannot be read, or holds nothing there, the tweak stays as it is.
func Bind(source []byte, t Tweak) Tweak {
	if t.Do != Drop && t.Do != Comment || t.Only != nil || t.Separator != "" || t.At == "" {
		return t
	}
	d, err := text.Parse(source, t.Format)
	if err != nil {
		return t
	}
	if n, err := d.Find(t.At); err == nil && n.Up != nil && (n.Up.Kind != text.Map || n.KeyAt.Empty() || strings.Contains(t.At, "#")) {
		raw := d.Raw(n)
		t.Only, t.Count = &raw, twins(d, n)
	}
	return t
}

// twins counts the items beside one, and itself, that say the same under the same name.
func twins(d *text.Doc, n *text.Node) (same int) {
	for _, o := range n.Up.Items {
		if (o == n || o.Key == n.Key) && d.Raw(o) == d.Raw(n) {
			same++
		}
	}
	return same
}

func lastLine(s string) string {
	s = strings.TrimRight(s, "\r\n")
	return s[strings.LastIndexByte(s, '\n')+1:]
}

func comment(d *text.Doc, t Tweak) ([]byte, Tweak, error) {
	n, err := d.Find(t.At)
	if errors.Is(err, text.ErrNotThere) {
		return d.Source, Tweak{}, nil // it does not count already
	}
	if err != nil {
		return nil, Tweak{}, err
	}
	if t.Only != nil && (d.Raw(n) != *t.Only || twins(d, n) < t.Count) {
		return d.Source, Tweak{}, nil // it is one; another item has its number
	}
	lines, err := d.LinesOf(n)
	if err != nil {
		return nil, Tweak{}, err
	}
	out, undo, err := outcomment(d, lines, t)
	if err != nil {
		return nil, Tweak{}, err
	}
	return out, undo, d.Without(n, out)
}
