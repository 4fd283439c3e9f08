package draft

import (
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// madeAnew looks at what is to be made from a template, or taken away again, beside what stands
// there: another text is never written over, and what was changed since stays.
func (m *decider) madeAnew(e *edited, seen tree.State, before []byte) {
	e.edits = slices.DeleteFunc(e.edits, func(x Edit) bool {
		if x.Op.Tweak == nil || seen.Being != tree.Content {
			return false
		}
		held := slices.ContainsFunc(m.req.Ledger[e.path].Tweaks, func(k Tweaked) bool { return k.ID == x.Tweak })
		same := string(before) == x.Op.Tweak.Text
		switch {
		case x.Op.Tweak.Do == tweak.Begin && !held && !same:
			m.report(finding.Warn, "text-there", e.path, "Take it away first if the template's is wanted, or write into it what is missing.",
				"%s is there already, and is another text than the template makes: it stays as it is.", e.path)
			e.tweaks = slices.DeleteFunc(e.tweaks, func(k Tweaked) bool { return k.ID == x.Tweak })
			return true
		case x.Op.Tweak.Do == tweak.End && !same:
			m.report(finding.Note, "made-stays", e.path, "It can be taken away by hand.",
				"%s was made from a template, and has been changed since: it stays, and belongs to nobody.", e.path)
		}
		return false
	})
}

// fromTemplate tells whether an edit makes the text.
func (e *edited) fromTemplate() bool {
	return slices.ContainsFunc(e.edits, func(x Edit) bool { return x.Op.Tweak != nil && x.Op.Tweak.Do == tweak.Begin })
}

// ended tells whether a text goes because it was made from a template.
func ended(done []Edit) bool {
	return slices.ContainsFunc(done, func(x Edit) bool { return x.Op.Do == settings.TweakIt && x.Op.Tweak.Do == tweak.End })
}
