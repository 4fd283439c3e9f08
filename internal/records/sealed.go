package records

import (
	"encoding/json"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tweak"
)

// Sealer seals what the database must not hold in clear. A copied database is worth nothing then
// without the key, which lies elsewhere.
type Sealer interface {
	Seal(plain []byte) ([]byte, error)
	Unseal(sealed []byte) ([]byte, error)
}

// SealWith has the edits of texts that hold secrets be sealed from now on, and those that are
// sealed be opened. It is called once, before anything is read.
func (db *handle) SealWith(v Sealer) { db.sealer = v }

// What of an edit and of a tweak is sealed: all that may hold words of the text.
type (
	sealedEdit struct {
		Op   settings.Op `json:"op"`
		Undo settings.Op `json:"undo"`
		Why  string      `json:"why"`
	}
	sealedTweak struct {
		Tweak tweak.Tweak  `json:"tweak"`
		Undo  *settings.Op `json:"undo,omitempty"`
	}
)

// lost stands for an operation that another key has sealed: doing it is refused, and says so.
func lost() tweak.Tweak { return tweak.Tweak{Do: tweak.Edited} }

// lostWhy is said of what another key has sealed.
const lostWhy = "sealed in the records with another key"

func (db *handle) seal(v any) ([]byte, error) {
	raw, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	return db.sealer.Seal(raw)
}

// open reads what was sealed; ok is false where another key has sealed it.
func (db *handle) open(sealed []byte, v any) (ok bool) {
	if db.sealer == nil {
		return false
	}
	raw, err := db.sealer.Unseal(sealed)
	return err == nil && json.Unmarshal(raw, v) == nil
}

// sealEdits gives edits of which those are sealed that are of texts with secrets.
func (db *handle) sealEdits(list []draft.Edit) ([]draft.Edit, error) {
	out := list
	for i, e := range list {
		if !e.Secret || db.sealer == nil || len(e.Sealed) > 0 {
			continue
		}
		raw, err := db.seal(sealedEdit{e.Op, e.Undo, e.Why})
		if err != nil {
			return nil, err
		}
		if &out[0] == &list[0] {
			out = slices.Clone(list)
		}
		out[i] = draft.Edit{Addon: e.Addon, Tweak: e.Tweak, Secret: true, Sealed: raw}
	}
	return out, nil
}

func (db *handle) openEdits(list []draft.Edit) {
	for i := range list {
		e := &list[i]
		if len(e.Sealed) == 0 {
			continue
		}
		was := sealedEdit{Op: settings.Tweaked(lost()), Undo: settings.Tweaked(lost()), Why: lostWhy}
		db.open(e.Sealed, &was)
		e.Op, e.Undo, e.Why, e.Sealed = was.Op, was.Undo, was.Why, nil
	}
}

func (db *handle) sealTweaks(list []draft.Tweaked) ([]draft.Tweaked, error) {
	out := list
	for i, k := range list {
		if !k.Secret || db.sealer == nil || len(k.Sealed) > 0 {
			continue
		}
		raw, err := db.seal(sealedTweak{k.Tweak, k.Undo})
		if err != nil {
			return nil, err
		}
		if &out[0] == &list[0] {
			out = slices.Clone(list)
		}
		k.Tweak, k.Undo, k.Sealed = tweak.Tweak{}, nil, raw
		out[i] = k
	}
	return out, nil
}

func (db *handle) openTweaks(list []draft.Tweaked) {
	for i := range list {
		k := &list[i]
		if len(k.Sealed) == 0 {
			continue
		}
		was := sealedTweak{Tweak: lost()}
		if !db.open(k.Sealed, &was) {
			k.Note = lostWhy
		}
		k.Tweak, k.Undo, k.Sealed = was.Tweak, was.Undo, nil
	}
}

// sealChange gives a change of which what is secret is sealed.
func (db *handle) sealChange(c draft.Change) (_ draft.Change, err error) {
	if c.Edits, err = db.sealEdits(c.Edits); err == nil {
		if c.TweaksBefore, err = db.sealTweaks(c.TweaksBefore); err == nil {
			c.TweaksAfter, err = db.sealTweaks(c.TweaksAfter)
		}
	}
	return c, err
}

func (db *handle) openChange(c *draft.Change) {
	db.openEdits(c.Edits)
	db.openTweaks(c.TweaksBefore)
	db.openTweaks(c.TweaksAfter)
}

// sealOutline gives what does not grow of a draft as it is kept: the texts of its next leg are
// in it.
func (db *handle) sealOutline(o draft.Outline) (_ draft.Outline, err error) {
	o.Deferred = slices.Clone(o.Deferred)
	for i := range o.Deferred {
		x := &o.Deferred[i]
		if x.Edits, err = db.sealEdits(x.Edits); err != nil {
			return o, err
		}
		if x.Tweaks, err = db.sealTweaks(x.Tweaks); err != nil {
			return o, err
		}
	}
	return o, nil
}

func (db *handle) openOutline(o *draft.Outline) {
	for i := range o.Deferred {
		db.openEdits(o.Deferred[i].Edits)
		db.openTweaks(o.Deferred[i].Tweaks)
	}
}

// sealedAsk is what is kept of an ask that holds secrets.
type sealedAsk struct {
	Sealed []byte `json:"sealed"`
}

// sealAsk gives an ask as it is kept; delicate says that it holds secrets.
func (db *handle) sealAsk(ask json.RawMessage, delicate bool) (string, error) {
	if !delicate || db.sealer == nil {
		return string(ask), nil
	}
	raw, err := db.sealer.Seal(ask)
	if err != nil {
		return "", err
	}
	return text(sealedAsk{raw}), nil
}

// openAsk gives an ask as it was made; one that another key has sealed stays as it is kept.
func (db *handle) openAsk(kept string) json.RawMessage {
	var s sealedAsk
	if json.Unmarshal([]byte(kept), &s) != nil || len(s.Sealed) == 0 || db.sealer == nil {
		return json.RawMessage(kept)
	}
	raw, err := db.sealer.Unseal(s.Sealed)
	if err != nil {
		return json.RawMessage(kept)
	}
	return raw
}
