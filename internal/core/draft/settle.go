package draft

import (
	"fmt"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// Settling is what is done about something that differs from the ledger.
type Settling string

// The ways.
const (
	AcceptIt  Settling = "accept"  // the ledger takes it as it is now
	RestoreIt Settling = "restore" // it is put back as it is recorded
	RemoveIt  Settling = "remove"  // what nobody deployed goes; its bytes are kept
	TweakIt   Settling = "tweak"   // a text is taken as it is, and what was changed in it is kept over updates
)

// Settle settles one path.
type Settle struct {
	Path tree.Path
	Do   Settling
	// Again has the entries and tweaks of a text done again instead of its bytes put back, which
	// the stockroom does not hold.
	Again bool
	// Folder says that what is removed is a folder; what is in it is settled besides.
	Folder bool
}

// settles adds the goals of what is settled.
func (g *goals) settles(req *Request) {
	for _, s := range req.Settles {
		row := req.Ledger[s.Path]
		if s.Do == RemoveIt && g.taken(s.Path) {
			continue // something else takes its place
		}
		n := &goal{path: s.Path, settle: s.Do, after: row.State, claims: row.Claims, tweaks: row.Tweaks}
		switch {
		case s.Do == RestoreIt && s.Again:
			g.again(req, s.Path, row)
			continue
		case s.Do == RestoreIt:
			n.reason, n.swap = "back as it is recorded", len(row.Tweaks) > 0
		case s.Do == RemoveIt:
			n.after, n.claims, n.reason = tree.Nothing, nil, "nobody deployed it, and it is to go"
			if s.Folder {
				n.back = &Return{Path: s.Path, From: tree.State{Being: tree.Folder}, To: tree.Nothing}
			}
		}
		g.goals[s.Path] = n
	}
}

// taken tells whether something shall stand at a path, or in it.
func (g *goals) taken(p tree.Path) bool {
	for q, n := range g.goals {
		if n.after.Being == tree.Content && len(n.claims) > 0 && q.Within(p) {
			return true
		}
	}
	return false
}

// again has what was deployed into a text be done again; what holds is left as it is.
func (g *goals) again(req *Request, p tree.Path, row Row) {
	at := g.text(req, p)
	for _, l := range row.Listed {
		if !l.Off {
			at.edits = append(at.edits, Edit{Op: settings.Op{List: l.List, Do: settings.Add, Key: l.Key, Values: l.With}, Addon: l.Addon, Why: "the entry of " + l.Label + " again"})
		}
	}
	for _, k := range row.Tweaks {
		if op, ok := k.Holds(); ok {
			at.edits = append(at.edits, Edit{Op: op, Addon: k.Addon, Why: k.ID + " again", Tweak: k.ID})
		}
	}
}

// accepted is a path that the ledger takes as it is.
type accepted struct {
	path tree.Path
	keep tree.State
	diff string
	why  string
}

// accept has the ledger take a path as it is now.
func (m *decider) accept(g *goal, seen Seen, row Row) {
	now := m.modes(seen.State)
	if now.Being == tree.Foreign || now.Being != row.State.Being && now.Being != tree.Absent {
		m.refuse("not-acceptable", g.path, "Put right by hand what stands there, or have it put back.", "%s is a %s on the server, and a %s in the ledger; the ledger cannot take that in.", g.path, now.Being, row.State.Being)
		return
	}
	c := Change{Path: g.path, Before: row.State, After: now, ClaimsBefore: row.Claims, ClaimsAfter: row.Claims,
		ListedBefore: row.Listed, ListedAfter: row.Listed, TweaksBefore: row.Tweaks, TweaksAfter: row.Tweaks}
	a := accepted{path: g.path, why: "the ledger takes it as it is on the server"}
	switch {
	case now.Being == tree.Absent:
		c.After, c.ClaimsAfter, c.ListedAfter, c.TweaksAfter = tree.Nothing, nil, nil, nil
		a.why = "it is gone, and the ledger forgets it"
	case now.Being == tree.Folder || now.Same(row.State):
		m.report(finding.Note, "as-recorded", g.path, "", "%s is as it is recorded by now; nothing has to be accepted.", g.path)
		return
	default:
		if !m.req.Held(now.Digest) {
			a.keep = now
		}
		was, known := m.req.Shipped[row.State.Digest]
		is, read := m.obs.Texts[g.path]
		if known && read {
			a.diff = m.diff(g.path, was, is)
		}
		if g.settle == TweakIt {
			if !known || !read || plainText(was, "") == nil || plainText(is, "") == nil {
				m.refuse("no-tweak", g.path, "Accept it as it is instead.", "%s cannot be taken as a tweak: it is no text, or too long, or the stockroom does not hold what it said before.", g.path)
				return
			}
			c.TweaksAfter = append(slices.Clone(row.Tweaks), m.handmade(g.path, was, is))
			a.why = "taken as it is; what was changed by hand is kept over updates"
		}
	}
	m.all = append(m.all, c)
	m.accepts = append(m.accepts, a)
}

// handmade is the tweak that a change by hand is taken as. Its way back leads to what was recorded.
func (m *decider) handmade(p tree.Path, was, is []byte) Tweaked {
	format := m.format(p, was)
	k := Tweaked{Tweak: tweak.Tweak{Do: tweak.Edited, Format: format, Value: tree.Sum(is).Short()}, Note: "changed by hand on the server"}
	k.ID = TweakID(p, k.Tweak)
	k.Undo = &settings.Op{Do: settings.MergeIt, Merge: &settings.Merging{Format: format, Was: is, Now: was}}
	_, hidden := text.Mask(plainText(was, ""), format, m.hidden(p))
	_, also := text.Mask(plainText(is, ""), format, m.hidden(p))
	k.Secret = hidden+also > 0
	return k
}

// accepting emits a step for each path that the ledger takes as it is; its bytes are fetched where
// the stockroom does not hold them, so that it can be gone back to.
func (m *emitting) accepting(e *emitter) {
	for _, a := range m.accepts {
		s := e.step(Step{Phase: Prepare, Verb: Accept, Path: a.path, Reason: a.why, Bytes: a.keep.Size, Diff: a.diff})
		if a.keep.Being == tree.Content {
			e.motion(s, Motion{Kind: KeepMotion, Path: a.path, Before: a.keep})
			m.d.Counts.Keep += a.keep.Size
		}
		m.d.Counts.Accepted++
	}
}

// toSettle lists the texts that are read for what is settled.
func (g *goals) toSettle(req *Request) (out []tree.Path) {
	for _, s := range req.Settles {
		if s.Do == AcceptIt || s.Do == TweakIt {
			if row := req.Ledger[s.Path]; row.State.Being == tree.Content && row.State.Size <= LongestMerge {
				out = append(out, s.Path)
			}
		}
	}
	return out
}

// String is the word in a sentence.
func (s Settling) String() string { return string(s) }

// Settlings are all ways.
var Settlings = []Settling{AcceptIt, RestoreIt, RemoveIt, TweakIt}

// Settled sums up what a request settles, for its title.
func Settled(all []Settle) string {
	var said string
	var only Settle
	paths := 0
	for _, do := range Settlings {
		n := 0
		for _, s := range all {
			if s.Do == do && !s.Folder {
				n++
				only = s
			}
		}
		paths += n
		if n > 0 {
			if said != "" {
				said += ", "
			}
			said += fmt.Sprintf("%s %d", do, n)
		}
	}
	if paths == 1 {
		return fmt.Sprintf("%s %s", only.Do, only.Path)
	}
	return said + " of what differs"
}
