package draft

import (
	"bytes"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/aymanbagabas/go-udiff"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/words"
)

// texts decides every text that is to be edited.
func (m *decider) texts(g *goals) {
	turn, loop := g.inTurn()
	if loop {
		m.refuse("source-loop", tree.Root, "Give one of them a value of its own.", "Values of tweaks are drawn from each other in a ring: none of them can be first.")
		return
	}
	for _, p := range turn {
		if !m.draw(g.texts[p]) {
			continue
		}
		if e := g.texts[p]; len(e.edits) > 0 || !sameListed(e.listed, m.req.Ledger[p].Listed) || !sameTweaks(e.tweaks, m.req.Ledger[p].Tweaks) {
			m.text(g, e)
		}
	}
}

func sameListed(a, b []Listing) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(l Listing) bool {
		return !slices.ContainsFunc(b, func(o Listing) bool { return reflect.DeepEqual(l, o) })
	})
}

func (m *decider) text(g *goals, e *edited) {
	seen := m.obs.At(e.path)
	if m.going[e.path] {
		return // the entries go with the text
	}
	if _, both := g.goals[e.path]; both {
		m.refuse("text-is-put", e.path, "Deploy the two one after the other.", "%s is put by this deployment, and its entries would be changed too.", e.path)
		return
	}
	if !m.mayTouch(e.path) {
		return
	}
	m.unlisted(e, m.obs.Texts[e.path])
	c := change{Change: &Change{Path: e.path, Before: seen.State, After: seen.State, ClaimsBefore: m.req.Ledger[e.path].Claims, ClaimsAfter: e.claims,
		ListedBefore: m.req.Ledger[e.path].Listed, ListedAfter: e.listed, TweaksBefore: m.req.Ledger[e.path].Tweaks}}
	switch seen.State.Being {
	case tree.Foreign:
		m.refuse("foreign-in-way", e.path, "Take it away by hand if it should go.", "%s is a link or device on the server; such things are never touched.", e.path)
		return
	case tree.Folder:
		m.refuse("folder-in-way", e.path, "Rename or remove the folder by hand.", "%s is a folder on the server, and a text was expected there.", e.path)
		return
	case tree.Absent:
		if len(e.edits) == 0 || m.defers(e) {
			return
		}
		if !e.shipped && (e.returned && !e.fromTemplate() || !m.begins(e)) {
			return
		}
		m.needFolders(e.path)
		m.coming[e.path] = true
	}
	before := m.obs.Texts[e.path]
	m.madeAnew(e, seen.State, before)
	m.formats(e, before)
	if !m.conflicts(e, before) {
		return
	}
	after, done, err := ApplyEdits(before, e.edits)
	if err != nil {
		m.unlistable(e, err)
		return
	}
	m.tweaksDone(e, done)
	m.secretive(e, done, before, after)
	if e.returned && seen.State.Being == tree.Content && bytes.Equal(after, before) {
		done = nil // what was taken back since was done again: one makes up for the other
	}
	c.TweaksAfter = e.tweaks
	if len(done) == 0 {
		if sameListed(e.listed, c.ListedBefore) && sameTweaks(e.tweaks, c.TweaksBefore) && sameClaims(c.ClaimsBefore, c.ClaimsAfter) {
			return
		}
		for _, l := range e.listed {
			if !slices.ContainsFunc(c.ListedBefore, l.Same) {
				m.report(finding.Note, "listed-already", e.path, "", "%s names %s already; the ledger takes the entry in.", e.path, l.Key)
			}
		}
		m.all = append(m.all, *c.Change)
		return
	}
	for _, d := range done {
		if d.Op.Do == settings.Add && d.Op.List.Begins(before) {
			m.report(finding.Note, "load-list-made", e.path, "", "%s does not hold the list yet; the line %s begins it%s.", e.path, d.Op.List.Missing, below(d.Op.List))
			break
		}
	}
	if len(after) > 0 {
		m.linted(e, before, after)
	}
	c.Edits = done
	e.remember(done)
	c.After = tree.State{Being: tree.Content, Digest: tree.Sum(after), Size: int64(len(after)), Mode: seen.State.Mode}
	if c.After.Mode == 0 {
		c.After.Mode = 0o644
	}
	c.After = m.modes(c.After)
	if len(after) == 0 && (e.made || ended(done)) {
		c.After = tree.Nothing
		if !e.made {
			m.going[e.path] = true
			m.leaves(e.path)
		}
	}
	c.reason = reasons(done)
	m.edits = append(m.edits, edit{change: c, diff: m.shownDiff(e.path, before, after), after: after})
	m.all = append(m.all, *c.Change)
	m.names(e, after)
}

// secretive marks the edits and tweaks of a text that holds secrets: their words, and the lines
// around them, may be some.
func (m *decider) secretive(e *edited, done []Edit, before, after []byte) {
	if !m.holdsSecrets(e.path, before) && !m.holdsSecrets(e.path, after) {
		return
	}
	for i := range done {
		done[i].Secret = true
	}
	for i := range e.tweaks {
		e.tweaks[i].Secret = true
	}
}

// holdsSecrets tells whether any value of a text, or of one inside a packed file, is a secret. Of
// what cannot be read it is taken to be so where a line looks like one.
func (m *decider) holdsSecrets(p tree.Path, raw []byte) bool {
	if settings.Packed(raw) {
		return slices.ContainsFunc(settings.Members(raw), func(name string) bool {
			inner, err := settings.Member(raw, name)
			return err == nil && !settings.Packed(inner) && m.holdsSecrets(p+tree.Path("!/"+name), inner)
		})
	}
	source := plainText(raw, "")
	if source == nil {
		return false
	}
	_, n := text.Mask(source, m.format(p, source), m.hidden(p))
	return n > 0
}

// remember keeps with each entry that is disabled by being taken out where it stood.
func (e *edited) remember(done []Edit) {
	for _, d := range done {
		if d.Op.Do != settings.Off || d.Undo.Do != settings.Add {
			continue
		}
		for n := range e.listed {
			if l := &e.listed[n]; l.Addon == d.Addon && l.Key == d.Op.Key && l.Off {
				back := d.Undo
				l.Back = &back
			}
		}
	}
}

func below(l settings.List) string {
	if l.Below == "" {
		return " at its end"
	}
	return ", below " + l.Below
}

// reasons lists why edits are done.
func reasons(edits []Edit) string {
	var why []string
	for _, d := range edits {
		if !slices.Contains(why, d.Why) {
			why = append(why, d.Why)
		}
	}
	return words.Few(why)
}

// entriesGo tells of entries that go with a text that is replaced or taken away as a
// whole, while the add-ons that they name stay.
func (m *decider) entriesGo(g *goal, c *Change) {
	var stay []string
	for _, l := range c.ListedBefore {
		if slices.ContainsFunc(c.ListedAfter, l.equal) || slices.Contains(stay, l.Label) || removes(m.req, l.Addon) || !m.staysOn(l.Addon) {
			continue
		}
		stay = append(stay, l.Label)
	}
	if len(stay) > 0 {
		m.report(finding.Block, "entries-go", g.path, "Deploy those add-ons again afterwards, or take them out first. Or accept this: their entries go.",
			"%s was put as a whole, and holds entries of %s; they go with these bytes.", g.path, words.Few(stay))
	}
}

// staysOn tells whether the add-on has something on the server that no way back covers.
func (m *decider) staysOn(addon string) bool {
	if len(m.req.Back) == 0 && m.req.Present != nil { // the ledger may be a part of it
		return m.req.Present[addon]
	}
	back := map[tree.Path]bool{}
	for _, r := range m.req.Back {
		back[r.Path] = true
	}
	for p, row := range m.req.Ledger {
		if !back[p] && slices.ContainsFunc(row.Claims, func(c Claim) bool { return c.Addon == addon }) {
			return true
		}
	}
	return false
}

// edit is a text that is changed, with the difference as a person reads it.
type edit struct {
	change
	diff  string
	after []byte
}

// shownDiff shows what changes in a text, or in the texts inside a packed file.
func (m *decider) shownDiff(p tree.Path, before, after []byte) string {
	if !settings.Packed(after) || !settings.Packed(before) {
		if !mergeable(after) || settings.Packed(after) {
			return ""
		}
		return m.diff(p, before, after)
	}
	var out strings.Builder
	for _, name := range settings.Differing(before, after) {
		was, _ := settings.Member(before, name) // nothing where it is new
		is, err := settings.Member(after, name)
		if _, isText := text.EncodingOf(is); err == nil && isText {
			out.WriteString(m.diff(p+tree.Path("!/"+name), was, is))
		}
	}
	return out.String()
}

// hidden tells which values of a text are secret.
func (m *ground) hidden(p tree.Path) func(at string) bool {
	return func(at string) bool { return text.SecretPath(at) || m.req.Secret != nil && m.req.Secret(p, at) }
}

// format is the one that the rulebook says a text has, or else what it looks like, in whatever
// encoding it is. The path may lead into a packed file.
func (m *ground) format(p tree.Path, raw []byte) text.Format {
	if m.req.Format != nil {
		if f := m.req.Format(p); f != "" {
			return f
		}
	}
	return text.Guess(p.Base(), plainText(raw, ""))
}

// diff is [Diff] of a text in which secrets are masked, as it reads.
func (m *decider) diff(p tree.Path, before, after []byte) string {
	before, after = plainText(before, ""), plainText(after, "")
	like := before
	if len(like) == 0 { // it is new
		like = after
	}
	hidden, format := m.hidden(p), m.format(p, like)
	was, n := text.Mask(before, format, hidden)
	is, k := text.Mask(after, format, hidden)
	if n+k == 0 {
		return Diff(p, before, after)
	}
	if bytes.Equal(was, is) && !bytes.Equal(before, after) {
		return fmt.Sprintf("--- before %s\n+++ after %s\n@@ a secret value, which is not shown @@\n-%s\n+%s, another one\n", p, p, text.Masked, text.Masked)
	}
	return Diff(p, was, is)
}

// Diff shows what changes in a text, in the unified form with two lines around.
func Diff(p tree.Path, before, after []byte) string {
	edits := udiff.Lines(string(before), string(after))
	u, err := udiff.ToUnified("before "+string(p), "after "+string(p), string(before), edits, 2)
	if err != nil {
		panic(fmt.Sprintf("two texts cannot be compared: %v", err)) // the edits are of these texts
	}
	return u
}

// begins tells whether a text that is not there can be begun: only one that is
// nothing but lines.
func (m *decider) begins(e *edited) bool {
	e.edits = slices.DeleteFunc(e.edits, func(x Edit) bool { return x.Op.Tweak != nil && x.Op.Tweak.Do == tweak.End }) // it is gone already
	if !slices.ContainsFunc(e.edits, func(d Edit) bool {
		return slices.Contains([]settings.Verb{settings.Add, settings.On, settings.Set, settings.TweakIt, settings.MergeIt}, d.Op.Do)
	}) {
		e.edits = nil
		return true // nothing to take out of a text that is not there
	}
	for _, d := range e.edits {
		if d.Op.Tweak != nil && d.Op.Tweak.Do == tweak.Begin {
			return true // and what follows is done to it
		}
		if d.Op.Do == settings.Set || d.Op.Tweak != nil || d.Op.Merge != nil {
			m.report(finding.Block, "no-settings-file", e.path, "If the server makes it at its first start, name it under first-run in the rulebook, or start the server once.", "%s is not on the server, and a value is to be set in it.", e.path)
			return false
		}
		if d.Op.List.Form != settings.LineForm {
			m.report(finding.Block, "no-load-list", e.path,
				"If the server makes it at its first start, start it once. Or accept this to put the files and list nothing.",
				"%s, which names what the server loads, is not on the server.", e.path)
			return false
		}
	}
	m.report(finding.Note, "load-list-made", e.path, "", "%s is not on the server; it is made.", e.path)
	return true
}

func (m *decider) unlistable(e *edited, err error) {
	var syntax *settings.SyntaxError
	if errors.As(err, &syntax) {
		m.report(finding.Block, "text-broken", e.path, "Mend the text first; the server may not read it either. Or accept this to leave it as it is.",
			"%s cannot be read: %v.", e.path, syntax)
		return
	}
	code := "entry-unwritable"
	mend := "Accept this to leave the text as it is."
	switch {
	case slices.ContainsFunc(e.edits, func(d Edit) bool { return d.Op.Tweak != nil || d.Op.Merge != nil }):
		m.refuse("tweak-unwritable", e.path, "Look at the text, and say it in another way.", "%s cannot be changed as wanted: %v.", e.path, err).By(finding.ShowText.With(string(e.path)))
		return
	case slices.ContainsFunc(e.edits, func(d Edit) bool { return d.Op.Do == settings.Set }):
		code = "value-unwritable"
	case errors.Is(err, settings.ErrNoList):
		code = "no-load-list"
		if slices.ContainsFunc(e.edits, func(d Edit) bool { return d.Op.List.Form == settings.JoinedForm && d.Op.List.Missing == "" }) {
			mend = "If the server leaves the list out until there is something in it, say in the rulebook how it begins (if-missing). Or accept this to leave the text as it is."
		}
	}
	m.report(finding.Block, code, e.path, mend, "%s cannot be changed as wanted: %v.", e.path, err)
}
