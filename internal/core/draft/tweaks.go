package draft

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// Tweaked is a tweak that holds on a text of a server: it is done again to what an update
// brings, and can be taken back on its own.
type Tweaked struct {
	ID    string      `json:"id"` // see [TweakID]
	Tweak tweak.Tweak `json:"tweak"`
	// Inside is the file inside a packed one that it is about.
	Inside string `json:"inside,omitempty"`
	Addon  string `json:"addon,omitempty"` // for which it is, and with which it goes; empty for a person's own
	Note   string `json:"note,omitempty"`  // why, in a person's words
	Ruled  bool   `json:"ruled,omitempty"` // the rulebook says that its add-on needs it
	// From is where the value comes from, such as {game}; it is written again when that
	// changes. Empty where a person gave the value.
	From string `json:"from,omitempty"`
	// If is the key of an add-on: the tweak is done only while that is on the server. Off
	// says that it is not.
	If   string       `json:"if,omitempty"`
	Off  bool         `json:"off,omitempty"`
	Undo *settings.Op `json:"undo,omitempty"`
	// Was is, of a swap, what stood there before; nil where nothing did.
	Was *Bytes `json:"was,omitempty"`
	// Secret says that its text holds secrets; Sealed is then what the records keep in place of
	// Tweak and Undo, and empty everywhere else.
	Secret bool   `json:"secret,omitempty"`
	Sealed []byte `json:"sealed,omitempty"`
}

// op is the change that the tweak makes.
func (k Tweaked) op() settings.Op {
	op := settings.Tweaked(k.Tweak)
	op.Inside = k.Inside
	return op
}

// Holds is the operation that changes nothing while a tweak holds; ok is false for one of which
// that cannot be told, such as a text that was edited as a whole.
func (k Tweaked) Holds() (op settings.Op, ok bool) {
	return k.op(), !k.Off && !slices.Contains([]tweak.Verb{tweak.Edited, tweak.Begin, tweak.Swap}, k.Tweak.Do)
}

// Does says what it does, as a person reads it behind the name of its text.
func (k Tweaked) Does() string { return k.op().What() }

// TweakID names a tweak of a text. It is the same for the same tweak of the same text.
func TweakID(p tree.Path, t tweak.Tweak) string {
	t.Format = ""
	raw, err := json.Marshal(t)
	if err != nil {
		panic(fmt.Sprintf("a tweak cannot be written as JSON: %v", err)) // only basic types are in it
	}
	sum := sha256.Sum256(append([]byte(p+"\x00"), raw...))
	return "t-" + hex.EncodeToString(sum[:3])
}

// TweakWish is a tweak that shall hold on a text.
type TweakWish struct {
	Path    tree.Path
	Tweaked Tweaked
	// Instead is the ID of a tweak in whose place it comes: the same with a new value.
	Instead string
}

// TextPut is a text that a person has edited as a whole: what they began with, and what they
// made of it. What has become of the server's text meanwhile is merged with it.
type TextPut struct {
	Path     tree.Path
	Format   text.Format
	Was, Now []byte
	Note     string
}

// same tells whether two lists of tweaks hold the same.
func sameTweaks(a, b []Tweaked) bool {
	return slices.EqualFunc(a, b, func(x, y Tweaked) bool { return x.ID == y.ID && x.Off == y.Off })
}

// TweakedTexts lists the texts of a ledger on which tweaks hold, sorted. A ledger may be long,
// and they are few.
func TweakedTexts(ledger map[tree.Path]Row) (out []tree.Path) {
	for p, row := range ledger {
		if len(row.Tweaks) > 0 {
			out = append(out, p)
		}
	}
	slices.Sort(out)
	return out
}

// tweaks turns the tweaks that are wished, taken back, or that depend on what comes and goes
// into edits.
func (g *goals) tweaks(req *Request) {
	for _, p := range TweakedTexts(req.Ledger) {
		for _, k := range req.Ledger[p].Tweaks {
			if k.Tweak.Do != tweak.Swap { // see [goals.swaps]
				g.tweaked(req, p, k)
			}
		}
	}
	for _, put := range req.Puts {
		at := g.text(req, put.Path)
		k := Tweaked{Tweak: tweak.Tweak{Do: tweak.Edited, Format: put.Format, Value: tree.Sum(put.Now).Short()}, Note: put.Note}
		k.ID = TweakID(put.Path, k.Tweak)
		at.tweaks = append(slices.DeleteFunc(at.tweaks, func(o Tweaked) bool { return o.ID == k.ID }), k)
		at.edits = append(at.edits, Edit{Op: settings.Op{Do: settings.MergeIt, Merge: &settings.Merging{Format: put.Format, Was: put.Was, Now: put.Now, Keep: req.Keep[put.Path]}},
			Why: cmp.Or(put.Note, "as you edited it"), Tweak: k.ID})
	}
	for _, w := range req.Tweaks {
		at := g.text(req, w.Path)
		k := w.Tweaked
		if w.Instead != "" && k.Tweak.Do == tweak.Begin {
			g.remade(at, w)
			continue
		}
		if w.Instead != "" {
			if i := slices.IndexFunc(at.tweaks, func(o Tweaked) bool { return o.ID == w.Instead }); i >= 0 && at.tweaks[i].Undo != nil && !at.tweaks[i].Off {
				// First back to what was there before any of them, so that this is where the new one leads back to.
				at.edits = append(at.edits, Edit{Op: *at.tweaks[i].Undo, Addon: k.Addon, Why: "in place of " + w.Instead})
			}
			at.tweaks = slices.DeleteFunc(at.tweaks, func(o Tweaked) bool { return o.ID == w.Instead })
		}
		if i := slices.IndexFunc(at.tweaks, func(o Tweaked) bool { return o.ID == k.ID }); i >= 0 {
			k.Undo = at.tweaks[i].Undo // it leads back to what was there before the first of them
			at.tweaks = slices.Delete(at.tweaks, i, i+1)
		}
		k.Off = k.If != "" && !g.present(req, k.If)
		at.tweaks = append(at.tweaks, k)
		if k.Off {
			g.findings = append(g.findings, finding.Finding{Level: finding.Note, Code: "tweak-waits", Path: w.Path,
				What: fmt.Sprintf("%s is done once %s is on the server: %s.", k.ID, k.If, k.Does())})
			continue
		}
		at.edits = append(at.edits, Edit{Op: k.op(), Addon: k.Addon, Why: cmp.Or(k.Note, "as you wish"), Tweak: k.ID})
	}
}

// remade has a text that was made from a template follow what the template makes now: as
// settings do over an update.
func (g *goals) remade(at *edited, w TweakWish) {
	i := slices.IndexFunc(at.tweaks, func(o Tweaked) bool { return o.ID == w.Instead })
	if i < 0 {
		return
	}
	was := at.tweaks[i].Tweak
	at.tweaks[i] = w.Tweaked
	at.edits = append(at.edits, Edit{Op: settings.Op{Do: settings.MergeIt, Merge: &settings.Merging{Format: was.Format, Was: []byte(was.Text), Now: []byte(w.Tweaked.Tweak.Text)}},
		Addon: w.Tweaked.Addon, Why: cmp.Or(w.Tweaked.Note, "its template says otherwise now"), Tweak: w.Tweaked.ID})
}

// present tells whether an add-on is on the server once the request is done.
func (g *goals) present(req *Request, addon string) bool {
	if removes(req, addon) {
		return false
	}
	if i := slices.IndexFunc(req.Toggles, func(t Toggle) bool { return t.Addon == addon }); i >= 0 {
		return !req.Toggles[i].Off
	}
	return replaces(req, addon) || req.Present[addon]
}

// tweaked decides what becomes of a tweak that the ledger knows.
func (g *goals) tweaked(req *Request, p tree.Path, k Tweaked) {
	drop := func(why string) {
		at := g.text(req, p)
		at.tweaks = slices.DeleteFunc(at.tweaks, func(o Tweaked) bool { return o.ID == k.ID })
		if k.Tweak.Do == tweak.Begin {
			at.edits = append(at.edits, Edit{Op: settings.Tweaked(tweak.Tweak{Do: tweak.End, Text: k.Tweak.Text}), Addon: k.Addon, Why: why})
			return
		}
		if k.Undo != nil && !k.Off {
			// The newest goes first: each way back begins with what its tweak left.
			at.edits = append([]Edit{{Op: *k.Undo, Addon: k.Addon, Why: why}}, at.edits...)
		}
	}
	turn := func(off bool, why string) {
		at := g.text(req, p)
		for i := range at.tweaks {
			if at.tweaks[i].ID == k.ID {
				at.tweaks[i].Off = off
			}
		}
		if off && k.Undo != nil {
			at.edits = append(at.edits, Edit{Op: *k.Undo, Addon: k.Addon, Why: why})
		} else if !off {
			at.edits = append(at.edits, Edit{Op: k.op(), Addon: k.Addon, Why: why, Tweak: k.ID})
		}
	}
	switch {
	case slices.Contains(req.Untweak, k.ID):
		drop(k.ID + " is taken back")
	case k.Addon != "" && removes(req, k.Addon):
		drop("it was for " + k.Addon + ", which goes")
	case k.Ruled && replaces(req, k.Addon) && !slices.ContainsFunc(req.Tweaks, func(w TweakWish) bool { return w.Tweaked.ID == k.ID || w.Instead == k.ID }):
		drop(k.Addon + " does not need it any more")
	case k.If != "" && len(req.Back) == 0 && g.present(req, k.If) == k.Off:
		if k.Off {
			turn(false, k.If+" is there now")
		} else {
			turn(true, k.If+" is not there any more")
		}
	}
}

// formats gives every tweak the format of its text, where nobody has named one.
func (m *decider) formats(e *edited, before []byte) {
	guess := func(inside string) text.Format {
		if inside == "" {
			return m.format(e.path, before)
		}
		member, err := settings.Member(before, inside)
		if err != nil {
			return text.Lines // it is said where the edit is done
		}
		return m.format(e.path+tree.Path("!/"+inside), member)
	}
	for i := range e.edits {
		op := &e.edits[i].Op
		if op.Tweak != nil && op.Tweak.Format == "" {
			known := inFormat(*op.Tweak, guess(op.Inside))
			op.Tweak = &known
		}
		if op.Tweak != nil {
			bound := tweak.Bind(plainText(before, op.Inside), *op.Tweak)
			op.Tweak = &bound
			for n := range e.tweaks {
				if e.tweaks[n].ID == e.edits[i].Tweak {
					e.tweaks[n].Tweak = bound
				}
			}
		}
	}
	for i := range e.tweaks {
		if k := &e.tweaks[i]; k.Tweak.Format == "" {
			k.Tweak = inFormat(k.Tweak, guess(k.Inside))
		}
	}
}

// plainText is a text, or one inside a packed file, as UTF-8; nothing where it is none.
func plainText(raw []byte, inside string) []byte {
	if inside != "" {
		raw, _ = settings.Member(raw, inside) // nothing then
	}
	out, _ := text.Plain(raw)
	return out
}

func inFormat(t tweak.Tweak, f text.Format) tweak.Tweak {
	t.Format = f
	t.Tweaks = slices.Clone(t.Tweaks)
	for i := range t.Tweaks {
		t.Tweaks[i] = inFormat(t.Tweaks[i], f)
	}
	return t
}

// tweaksDone keeps with every tweak its way back, and lets go of those that had nothing to do
// the first time: they are no change, unless what they depend on may be another one later.
func (m *decider) tweaksDone(e *edited, done []Edit) {
	undo := map[string]settings.Op{}
	for _, d := range done {
		if d.Tweak != "" {
			undo[d.Tweak] = d.Undo
		}
	}
	for _, x := range e.edits {
		if x.Tweak == "" {
			continue
		}
		if op, did := undo[x.Tweak]; did {
			for i := range e.tweaks {
				if e.tweaks[i].ID == x.Tweak {
					e.tweaks[i].Undo = &op
				}
			}
			continue
		}
		known := slices.ContainsFunc(m.req.Ledger[e.path].Tweaks, func(k Tweaked) bool { return k.ID == x.Tweak })
		if known {
			continue
		}
		if slices.ContainsFunc(e.tweaks, func(k Tweaked) bool { return k.ID == x.Tweak && (k.From != "" || k.If != "") }) {
			m.report(finding.Note, "tweak-held", e.path, "", "%s says so already (%s); it is kept in step from now on.", e.path, x.Op.What())
			continue
		}
		e.tweaks = slices.DeleteFunc(e.tweaks, func(k Tweaked) bool { return k.ID == x.Tweak })
		m.report(finding.Note, "tweak-idle", e.path, "", "Nothing has to be done: %s says so already (%s).", e.path, x.Op.What())
	}
}

// untweaks gives the tweaks that hold once what a rollback takes back is back.
func (r *Return) untweaks(c Change) {
	has := func(list []Tweaked, id string) bool {
		return slices.ContainsFunc(list, func(k Tweaked) bool { return k.ID == id })
	}
	for _, k := range c.TweaksAfter {
		if !has(c.TweaksBefore, k.ID) && !has(r.Retweak, k.ID) && !slices.Contains(r.Untweak, k.ID) {
			r.Untweak = append(r.Untweak, k.ID)
		}
	}
	for _, k := range c.TweaksBefore {
		if i := slices.IndexFunc(c.TweaksAfter, func(o Tweaked) bool { return o.ID == k.ID }); (i < 0 || c.TweaksAfter[i].Off != k.Off) && !has(r.Retweak, k.ID) && !slices.Contains(r.Untweak, k.ID) {
			r.Retweak = append(r.Retweak, k)
		}
	}
}

// retweaked does that to the tweaks of now.
func (r *Return) retweaked(now []Tweaked) []Tweaked {
	now = slices.DeleteFunc(slices.Clone(now), func(k Tweaked) bool {
		return slices.Contains(r.Untweak, k.ID) || slices.ContainsFunc(r.Retweak, func(o Tweaked) bool { return o.ID == k.ID })
	})
	return append(now, r.Retweak...)
}
