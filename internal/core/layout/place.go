package layout

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// crate makes one crate: its names, its facts, and a target or a reason for
// every file below the root.
func (l *laying) crate(k *rulebook.Kind, r root) {
	c := &Crate{Rulebook: l.book.Name, Kind: k.Name, Root: r.path(), Why: r.why, Files: []File{}, Left: []Left{}}
	l.named(k, r, c)
	l.readings().facts(k, r, c)
	l.readings().tells(k, r, c)
	l.editions.games(r, c)
	if r.chosen != "" {
		c.Chosen = true
		c.corrected(CorrectRoot, "the root %s, as you chose it for %s", r.path(), r.chosen)
	}
	fix, _ := l.fixOf(c)
	rules := slices.Concat(fix.Rules, k.Rules)
	l.base(k, r, c)
	nowhere := 0
	files := l.filesOf(k, r)
	c.Files = make([]File, 0, len(files))
	for _, e := range files {
		if e.left != "" {
			c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Settled: true, Reason: e.left})
			continue
		}
		if !c.apply(rules, k, e, r) {
			nowhere++
		}
	}
	c.folders(rules, l.empty, r)
	if nowhere > 0 {
		c.find(finding.Finding{Level: finding.Warn, Code: "no-rule",
			What: fmt.Sprintf("%s of %s: no rule of kind %s says where to", words.Count(nowhere, "file"), c.Label(), k.Name),
			Mend: "They are left out. Say where they go, for this and later versions.", Remedies: []finding.Remedy{finding.PlaceFiles.With()}})
	}
	c.reasons = nil
	slices.SortFunc(c.Files, byTarget)
	c.clashes(l.book)
	l.clientOnly(c)
	slices.SortFunc(c.Left, bySource)
	l.res.Crates = append(l.res.Crates, c)
}

// part is a file that rules are asked about by its path below the root, or
// that is left out before any rule is asked.
type part struct {
	tree.Entry
	rel  tree.Path
	left string
}

func (l *laying) filesOf(k *rulebook.Kind, r root) []part {
	if r.whole {
		e := l.archive.Whole
		e.Path = tree.Root
		return []part{{Entry: e, rel: tree.Path(l.archive.Filename)}}
	}
	if r.only != nil {
		return append([]part{{Entry: *r.only, rel: tree.Path(r.only.Path.Base())}}, l.sideCars(k, *r.only)...)
	}
	out := make([]part, 0, min(len(l.files), 32)) // of an archive of many add-ons each has few
	for _, e := range l.files {
		rel, below := e.Path.Below(r.folder)
		switch {
		case r.rest != nil:
			if below && r.rest[e.Path] {
				out = append(out, part{Entry: e, rel: rel})
			}
		case below:
			out = append(out, part{Entry: e, rel: rel})
		case !k.Several: // of several, the archive says once what belongs to none
			out = append(out, part{Entry: e, left: fmt.Sprintf("outside the add-on's folder %s", r.folder)})
		}
	}
	return out
}

// apply asks the rules about one file; false where none speaks of it.
func (c *Crate) apply(rules []rulebook.Rule, k *rulebook.Kind, e part, r root) bool {
	put := false
	for i := range rules {
		rule := &rules[i]
		if !globbed(rule.Take, e.rel) {
			continue
		}
		if rule.Leave {
			if !put {
				c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Line: rule.Line, Settled: true,
					Reason: orElse(rule.Because, "the rulebook leaves "+strings.Join(rule.Take, ", ")+" out")})
			}
			return true
		}
		if c.Overlay && c.Base == "" && rule.NeedsBase() {
			c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Line: rule.Line, Reason: "which add-on it changes is not known"})
			return true
		}
		c.put(rule, e, r)
		put = true
		if !rule.Also {
			return true
		}
	}
	if !put {
		c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Reason: fmt.Sprintf("no rule of kind %s takes it", k.Name), Line: k.Line})
	}
	return put
}

// put gives one file its target by a rule.
func (c *Crate) put(rule *rulebook.Rule, e part, r root) {
	words := placing{c, rule, e.rel, r}
	target, err := words.fill(rule.As)
	var into tree.Path
	if err == nil && rule.Into != "" {
		into, err = words.fill(rule.Into)
	}
	if err != nil {
		c.find(finding.Finding{Level: finding.Block, Code: "bad-target", Path: e.Path, Final: true,
			What: fmt.Sprintf("%s has no place it could go: %v", e.Path, err), Mend: fmt.Sprintf("See line %d of the rulebook.", rule.Line)})
		return
	}
	if rule.OneOf != "" {
		if c.OneOf == nil {
			c.OneOf = map[string]Rival{}
		}
		c.OneOf[rule.Optional] = Rival{rule.OneOf, rule.For}
	}
	c.Files = append(c.Files, File{Place: rule.Place, Into: into, Path: target, Source: e.Path, Digest: e.Digest, Size: e.Size, Exec: e.Exec,
		Reason: c.reason(rule, r), Line: rule.Line, Optional: rule.Optional, Settings: rule.Settings, Repack: r.repack})
}

// reason says why a rule puts a file where it goes: in the rulebook's own
// words, or in ours, which are the same for all that the rule puts.
func (c *Crate) reason(rule *rulebook.Rule, r root) string {
	if rule.Because != "" {
		return rule.Because
	}
	if said, ok := c.reasons[rule]; ok {
		return said
	}
	reason := r.reason + "; goes to the place " + rule.Place
	switch {
	case rule.Into != "":
		reason = fmt.Sprintf("%s; merged into a packed file of %s", r.reason, c.Base)
	case c.Overlay:
		reason = fmt.Sprintf("%s; laid over %s", r.reason, orElse(c.Base, "what is there"))
	}
	if rule.Optional != "" {
		reason += fmt.Sprintf("; part %s, left to you", rule.Optional)
	}
	if c.reasons == nil {
		c.reasons = map[*rulebook.Rule]string{}
	}
	c.reasons[rule] = reason
	return reason
}

// clashes finds two files that would get the same target. The files are sorted
// by target. Of parts that exclude one another only one is ever there.
func (c *Crate) clashes(b *rulebook.Book) {
	key := func(f File) string {
		target := f.Target()
		if b.CaseBlind {
			target = tree.Path(target.Fold())
		}
		return f.Place + "\x00" + string(target)
	}
	if !b.CaseBlind && !c.sameBeside() {
		return
	}
	seen := map[string][]File{}
	for _, f := range c.Files {
		for _, other := range seen[key(f)] {
			if c.exclude(other, f) {
				continue
			}
			c.find(finding.Finding{Level: finding.Block, Code: "same-target", Path: f.Source, Final: true,
				What: fmt.Sprintf("%s and %s would both become %s in %s", other.Source, f.Source, f.Target(), f.Place),
				Mend: "Mend the rulebook, or say where one of them goes.", Remedies: []finding.Remedy{finding.PlaceFiles.With()}})
			break
		}
		seen[key(f)] = append(seen[key(f)], f)
	}
}

// sameBeside tells whether files that are sorted by target may have two of the same: these
// would stand beside each other, unless one of them goes into a packed file.
func (c *Crate) sameBeside() bool {
	for i := range c.Files {
		if f := &c.Files[i]; f.Into != "" || i > 0 && f.Path == c.Files[i-1].Path && f.Place == c.Files[i-1].Place {
			return true
		}
	}
	return false
}

// exclude tells whether two files belong to parts of which only one is taken.
func (c *Crate) exclude(a, b File) bool {
	one, ok := c.OneOf[a.Optional]
	other, too := c.OneOf[b.Optional]
	return ok && too && one.Of == other.Of && a.Optional != b.Optional
}

func sorted[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
