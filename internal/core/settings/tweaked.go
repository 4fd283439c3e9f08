package settings

import (
	"fmt"

	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tweak"
)

// The verbs of whole texts.
const (
	TweakIt Verb = "tweak" // do Tweak
	MergeIt Verb = "merge" // bring in what the author of an add-on changed
)

// Merging is a new version of a text that an add-on ships. The server's text is merged with
// it three ways.
type Merging struct {
	Format text.Format           `json:"format"`
	Was    []byte                `json:"was"` // what was shipped before
	Now    []byte                `json:"now"` // what is shipped now
	Keep   map[string]merge.Side `json:"keep,omitempty"`
}

// Tweaked is the change of a text that a tweak makes.
func Tweaked(t tweak.Tweak) Op { return Op{Do: TweakIt, Tweak: &t} }

// What says what a change does, as a person reads it.
func (op Op) What() string {
	switch {
	case op.Tweak != nil && op.Inside != "":
		return "in " + op.Inside + " it " + op.Tweak.String()
	case op.Tweak != nil:
		return "it " + op.Tweak.String()
	case op.Merge != nil:
		return "bring in what the new version changes"
	}
	return fmt.Sprintf("%s %s", op.Do, op.Key)
}

// OpenError is a merge in which both sides changed the same and nobody has decided.
type OpenError struct{ Conflicts []merge.Conflict }

func (e *OpenError) Error() string {
	return fmt.Sprintf("both the server and the new version changed %s", e.Conflicts[0].Key)
}

// Merge merges a server's text with the new version, in the encoding that it has.
func (m Merging) Merge(raw []byte) (merge.Result, error) {
	switch {
	case len(raw) == 0 && len(m.Was) == 0: // it is put for the first time
		return merge.Result{Text: m.Now}, nil
	case len(m.Now) == 0 && Packed(m.Was): // and taken away again
		return merge.Result{}, nil
	}
	if Packed(m.Was) && Packed(m.Now) && Packed(raw) {
		return m.mergePacked(raw)
	}
	enc, base, mine, theirs, err := m.decoded(raw)
	if err != nil {
		return merge.Result{}, err
	}
	r := merge.Merge(merge.Three{Format: m.Format, Base: base, Mine: mine, Theirs: theirs, Keep: m.Keep})
	r.Text, err = enc.Encode(r.Text)
	return r, err
}

func (m Merging) decoded(raw []byte) (enc text.Encoding, base, mine, theirs []byte, err error) {
	enc, mine, err = decoded(raw)
	if err != nil {
		return enc, nil, nil, nil, err
	}
	if _, base, err = decoded(m.Was); err != nil {
		return enc, nil, nil, nil, err
	}
	_, theirs, err = decoded(m.Now)
	return enc, base, mine, theirs, err
}

func decoded(raw []byte) (text.Encoding, []byte, error) {
	enc, is := text.EncodingOf(raw)
	if !is {
		return "", nil, &SyntaxError{What: "it is no text"}
	}
	out, err := enc.Decode(raw)
	return enc, out, err
}

// whole does a change that is no entry of a list.
func whole(raw []byte, op Op) (after []byte, undo Op, err error) {
	if after = op.Hunk.restore(raw); after != nil {
		undo = Op{Do: op.Do, Hunk: hunk(after, raw)}
		if op.Tweak != nil {
			undo.Tweak = &tweak.Tweak{Do: tweak.All, Format: op.Tweak.Format}
		}
		return after, undo, nil
	}
	if op.Do == MergeIt {
		return op.Merge.apply(raw)
	}
	enc, mine, err := decoded(raw)
	if err != nil {
		return nil, Op{}, err
	}
	after, back, err := tweak.Apply(mine, *op.Tweak)
	if err != nil {
		return nil, Op{}, err
	}
	if back.Do == "" {
		return raw, Op{}, nil
	}
	if after, err = enc.Encode(after); err != nil {
		return nil, Op{}, err
	}
	if back.Do == tweak.Begin || back.Do == tweak.End { // there are no lines around it
		return after, Op{Do: TweakIt, Tweak: &back}, nil
	}
	return after, Op{Do: TweakIt, Tweak: &back, Hunk: hunk(after, raw)}, nil
}

func (m *Merging) apply(raw []byte) ([]byte, Op, error) {
	r, err := m.Merge(raw)
	if err != nil {
		return nil, Op{}, err
	}
	if open := r.Open(); len(open) > 0 {
		return nil, Op{}, &OpenError{Conflicts: open}
	}
	if string(r.Text) == string(raw) {
		return raw, Op{}, nil
	}
	back := Merging{Format: m.Format, Was: m.Now, Now: m.Was, Keep: map[string]merge.Side{merge.Everywhere: merge.Theirs}}
	if Packed(raw) || Packed(r.Text) { // its bytes are no lines
		return r.Text, Op{Do: MergeIt, Merge: &back}, nil
	}
	return r.Text, Op{Do: MergeIt, Merge: &back, Hunk: hunk(r.Text, raw)}, nil
}
