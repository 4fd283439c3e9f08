package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/lint"
	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/words"
)

// LongestMerge is the size in bytes of the longest text that is merged: all three are kept
// with the record.
const LongestMerge = 1 << 20

// shipped is a text that an add-on brings and that people may have changed on the server.
type shipped struct {
	base, now tree.Digest // what the add-on brought before, zero where it brought nothing, and now
}

// merges finds the wanted files that are merged with what stands on the server: settings, and
// every text that has tweaks or gets some by the same request.
func (g *goals) merges(req *Request) {
	g.merged = map[tree.Path]shipped{}
	for _, w := range req.Wanted {
		if w.Adopt {
			continue
		}
		for _, f := range w.Files {
			goal := g.goals[f.Path]
			if goal == nil || goal.swap || goal.back != nil || f.Overlay || goal.after.Digest != f.Digest || f.Size > LongestMerge && len(req.Ledger[f.Path].Tweaks) == 0 {
				continue
			}
			row := req.Ledger[f.Path]
			m := shipped{now: f.Digest}
			for _, c := range row.Claims {
				if c.Addon == w.Addon {
					if m.base = c.Brings.Digest; m.base.IsZero() {
						m.base = row.State.Digest // of early records
					}
				}
			}
			if f.Settings || len(row.Tweaks) > 0 || g.texts[f.Path] != nil {
				g.merged[f.Path] = m
			}
		}
	}
}

// Contents lists the bytes that a draft has to know of, besides what stands on the server:
// of texts that are merged, and of those that are put and give others a value.
func (pl Plan) Contents() (out []tree.Digest) {
	for _, p := range slices.Sorted(maps.Keys(pl.g.drawn)) {
		if goal := pl.g.goals[p]; goal != nil && goal.after.Being == tree.Content && goal.after.Size <= LongestMerge {
			out = append(out, goal.after.Digest)
		}
	}
	for _, p := range pl.g.toSettle(pl.req) {
		out = append(out, pl.req.Ledger[p].State.Digest)
	}
	for _, p := range slices.Sorted(maps.Keys(pl.g.merged)) {
		for _, d := range []tree.Digest{pl.g.merged[p].base, pl.g.merged[p].now} {
			if !d.IsZero() && !slices.Contains(out, d) {
				out = append(out, d)
			}
		}
	}
	return out
}

// mergeAll turns goals of texts that are merged into edits of them. What cannot be merged
// stays a goal like any other.
func (m *decider) mergeAll(g *goals) {
	for _, p := range slices.Sorted(maps.Keys(g.merged)) {
		if goal := g.goals[p]; goal != nil {
			m.merge(g, goal, g.merged[p])
		}
	}
}

func (m *decider) merge(g *goals, goal *goal, s shipped) {
	p := goal.path
	seen, row := m.obs.At(p), m.req.Ledger[p]
	now, known := m.req.Shipped[s.now]
	base, knownBase := m.req.Shipped[s.base]
	if s.base.IsZero() {
		base, knownBase = nil, true
	}
	wished := g.texts[p]
	if !known || !knownBase || !mergeable(now) || !mergeable(base) {
		m.tweaksGo(p, row)
		if wished != nil && len(wished.edits) > 0 {
			m.refuse("text-is-put", p, "Deploy the two one after the other.", "%s is put by this deployment, and it would be changed too.", p)
		}
		return
	}
	switch {
	case seen.State.Being == tree.Absent:
		if wished == nil && len(row.Tweaks) == 0 {
			return
		}
		base = nil
	case seen.State.Being != tree.Content || s.base.IsZero():
		return // something stands in its way, or nobody knows what was shipped before
	case seen.State.Digest == s.base && len(row.Tweaks) == 0 && wished == nil:
		return // nobody has changed it
	case s.base == s.now && wished == nil:
		// The author's is as before: the server's stays, with the tweaks that are in it.
		goal.after, goal.tweaks, goal.swap = seen.State, row.Tweaks, true
		return
	}
	e := g.text(m.req, p)
	e.claims, e.shipped = goal.claims, true
	keep := m.req.Keep[p]
	again := m.again(e, row, now)
	var off []Edit
	if s.base != s.now {
		off = m.tweaksOff(e, row)
	}
	e.edits = slices.Concat(off, []Edit{{Op: settings.Op{Do: settings.MergeIt, Merge: &settings.Merging{Format: m.format(p, now), Was: base, Now: now, Keep: keep}},
		Addon: addonOf(goal.claims), Why: goal.reason}}, again, e.edits)
	delete(g.goals, p)
	m.coming[p] = true
	m.needFolders(p)
}

// tweaksOff gives the edits that take the tweaks of a text back, the newest first, so that what
// they changed is no change of the server's where it is merged: they are done again afterwards. It
// gives none where one of them cannot be taken back cleanly.
func (m *decider) tweaksOff(e *edited, row Row) (out []Edit) {
	text := m.obs.Texts[e.path]
	for _, k := range slices.Backward(row.Tweaks) {
		if k.Off || k.Undo == nil || k.Tweak.Do == tweak.Edited || k.Tweak.Do == tweak.Begin {
			continue
		}
		after, undo, err := settings.Apply(text, *k.Undo)
		if err != nil || undo.Do == "" {
			return nil
		}
		text = after
		out = append(out, Edit{Op: *k.Undo, Addon: k.Addon, Why: k.ID + " is done again to the new version"})
	}
	return out
}

// addonOf is the add-on that owns a path.
func addonOf(claims []Claim) string {
	if len(claims) == 0 {
		return ""
	}
	return claims[len(claims)-1].Addon
}

// mergeable tells whether bytes are a text, or packed files in which there may be some.
func mergeable(raw []byte) bool {
	_, ok := text.EncodingOf(raw)
	return ok || settings.Packed(raw)
}

// tweaksGo tells of tweaks that an update would take away: its bytes cannot be merged.
func (m *decider) tweaksGo(p tree.Path, row Row) {
	if len(row.Tweaks) > 0 {
		m.report(finding.Block, "tweaks-go", p, "Take the tweaks back first, or accept that they go with the old text.",
			"%s is replaced as a whole, and %s that hold on it would be gone: it is no text, or too long, or what was shipped before is not in the stockroom.", p, words.Count(len(row.Tweaks), "tweak"))
	}
}

// again gives the tweaks of a text as edits of its new version, and says of each what becomes
// of it.
func (m *decider) again(e *edited, row Row, now []byte) (out []Edit) {
	for _, k := range row.Tweaks {
		if k.Off || k.Tweak.Do == tweak.Edited || !slices.ContainsFunc(e.tweaks, func(o Tweaked) bool { return o.ID == k.ID }) {
			continue
		}
		_, undo, err := settings.Apply(now, k.op())
		switch {
		case err != nil:
			m.report(finding.Warn, "tweak-unfit", e.path, "Look at the new text, and make the change anew or take it back.",
				"%s (%s) does not fit the new version any more, whose text stands as it is there: %v.", k.ID, k.Does(), err).By(finding.Untweak.With(k.ID))
			continue
		case undo.Do == "":
			m.report(finding.Note, "tweak-needless", e.path, "It can be taken off the list.", "%s (%s): the new version says so by itself.", k.ID, k.Does()).By(finding.Untweak.With(k.ID))
		default:
			m.report(finding.Note, "tweak-again", e.path, "", "%s (%s): done again to the new version.", k.ID, k.Does())
		}
		out = append(out, Edit{Op: k.op(), Addon: k.Addon, Why: k.ID + " again", Tweak: k.ID})
	}
	return out
}

// conflicts tells of values that both the server and the new version changed. It gives false
// where one is not decided.
func (m *decider) conflicts(e *edited, before []byte) bool {
	decided := true
	for _, x := range e.edits {
		if x.Op.Merge == nil {
			after, _, err := settings.Apply(before, x.Op)
			if err != nil {
				return decided // it is said where the edit is done
			}
			before = after
			continue
		}
		r, err := x.Op.Merge.Merge(before)
		if err != nil {
			return true // it is said where the edit is done
		}
		before = r.Text
		for _, c := range r.Conflicts {
			if m.hidden(e.path)(c.Key) {
				c.Base, c.Mine, c.Theirs = text.Masked, text.Masked+" (another one)", text.Masked+" (a third one)"
			}
			if c.Kept != "" {
				m.report(finding.Note, "conflict-decided", e.path, "", "%s of %s: %s was shipped, the server has %s, the new version %s; %s stays, as you decided.",
					c.Key, e.path, inShort(c.Base), inShort(c.Mine), inShort(c.Theirs), map[merge.Side]string{merge.Mine: "the server's", merge.Theirs: "the new version's"}[c.Kept])
				continue
			}
			decided = false
			at := fmt.Sprintf("%s:%s", e.path, c.Key)
			said := "%s of %s: %s was shipped, the server has %s, and the new version %s."
			switch k := slices.IndexFunc(e.tweaks, func(k Tweaked) bool { return k.ID == x.Tweak && k.Tweak.Do == tweak.Begin }); {
			case k >= 0:
				said = "%s of %s: the template had %s, the server has %s, and the template now %s."
			case !e.shipped:
				said = "%s of %s: it was %s when the editing began, the server has %s now, and the edited text %s."
			}
			m.refuse("settings-conflict", e.path, "Say which of them stays.", said,
				c.Key, e.path, inShort(c.Base), inShort(c.Mine), inShort(c.Theirs)).By(finding.KeepMine.With(at), finding.KeepTheirs.With(at)).Sides = &finding.Sides{Base: stood(c.Base), Mine: stood(c.Mine), Theirs: stood(c.Theirs)}
		}
		if len(r.Conflicts) == 0 && len(x.Op.Merge.Was) > 0 {
			how := "line by line"
			if r.ByMeaning {
				how = "value by value"
			}
			m.report(finding.Note, "settings-merged", e.path, "", "%s was changed on the server, and the new version changes it too: the two are merged, %s.", e.path, how)
		}
	}
	return decided
}

// linted tells what a change would newly break in a text: what was wrong with it before is
// no matter of the change.
func (m *decider) linted(e *edited, before, after []byte) {
	if settings.Packed(after) {
		return
	}
	format := text.Format("")
	for _, x := range e.edits {
		if x.Op.Tweak != nil {
			format = x.Op.Tweak.Format
		} else if x.Op.Merge != nil {
			format = x.Op.Merge.Format
		}
	}
	if format == "" { // load lists see to themselves
		return
	}
	look := func(raw []byte) []lint.Finding {
		return lint.Text(lint.Input{Path: e.path, Raw: raw, Format: format, Told: true})
	}
	was := look(before)
	for _, f := range look(after) {
		same := func(o lint.Finding) bool { return o.Code == f.Code && o.At == f.At }
		if slices.ContainsFunc(was, same) || e.shipped && f.Level == finding.Note {
			continue
		}
		if f.Code == "text-unreadable" {
			m.report(finding.Block, "text-breaks", e.path, "Correct the change. Or accept this, if the server is known to read it.", "%s Before the change it could be read.", f.What).By(finding.ShowText.With(string(e.path)))
			continue
		}
		*m.findings = append(*m.findings, f.Finding)
	}
}

// stood is what a side has, nothing where it has nothing.
func stood(s string) string {
	if s == merge.Gone {
		return ""
	}
	return s
}

// inShort shows what stands at a place, in one line.
func inShort(s string) string {
	if s == merge.Gone {
		return "nothing"
	}
	if lines := strings.Count(strings.TrimRight(s, "\n"), "\n"); lines > 0 {
		return words.Count(lines+1, "line") + " that begin with " + inShort(strings.SplitN(s, "\n", 2)[0])
	}
	if s = strings.TrimSpace(s); len(s) > 80 {
		return strings.ToValidUTF8(s[:77], "") + "…"
	}
	return s
}
