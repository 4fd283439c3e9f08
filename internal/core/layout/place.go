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
	l.facts(k, r, c)
	l.tells(k, r, c)
	l.editions.games(r, c)
	rules := slices.Concat(l.fixes[c.Derived].Rules, k.Rules)
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
	if nowhere > 0 {
		c.find(finding.Finding{Level: finding.Warn, Code: "no-rule",
			What: fmt.Sprintf("%s of %s: no rule of kind %s says where to", words.Count(nowhere, "file"), c.Label(), k.Name),
			Mend: "They are left out. Say where they go, for this and later versions.", Remedies: []finding.Remedy{finding.PlaceFiles.With()}})
	}
	c.reasons = nil
	slices.SortFunc(c.Files, byTarget)
	c.clashes(l.book)
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
		return []part{{Entry: *r.only, rel: tree.Path(r.only.Path.Base())}}
	}
	var out []part
	for _, e := range l.files {
		rel, below := e.Path.Below(r.folder)
		switch {
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
	target, err := c.fill(rule.As, e.rel)
	var into tree.Path
	if err == nil && rule.Into != "" {
		into, err = c.fill(rule.Into, e.rel)
	}
	if err != nil {
		c.find(finding.Finding{Level: finding.Block, Code: "bad-target", Path: e.Path, Final: true,
			What: fmt.Sprintf("%s has no place it could go: %v", e.Path, err), Mend: fmt.Sprintf("See line %d of the rulebook.", rule.Line)})
		return
	}
	c.Files = append(c.Files, File{Place: rule.Place, Into: into, Path: target, Source: e.Path, Digest: e.Digest, Size: e.Size, Exec: e.Exec,
		Reason: c.reason(rule, r), Line: rule.Line, Optional: rule.Optional, Settings: rule.Settings, Repack: r.repack})
}

func (c *Crate) fill(text string, rel tree.Path) (tree.Path, error) {
	filled, err := rulebook.Fill(text, func(word string) (string, bool) { return c.value(word, rel) })
	if err != nil {
		return "", err
	}
	return tree.ParsePath(filled)
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

// value is what a placeholder of a rule stands for.
func (c *Crate) value(word string, rel tree.Path) (string, bool) {
	switch word {
	case "name":
		return c.Name, true
	case "version":
		return c.Version, true
	case "path":
		return string(rel), true
	case "file":
		return cleanBase(rel), true
	case "base":
		return c.Base, true
	}
	return "", false
}

// clashes finds two files that would get the same target. The files are sorted
// by target.
func (c *Crate) clashes(b *rulebook.Book) {
	clash := func(other, f File) {
		c.find(finding.Finding{Level: finding.Block, Code: "same-target", Path: f.Source, Final: true,
			What: fmt.Sprintf("%s and %s would both become %s in %s", other.Source, f.Source, f.Target(), f.Place),
			Mend: "Mend the rulebook, or say where one of them goes.", Remedies: []finding.Remedy{finding.PlaceFiles.With()}})
	}
	if !b.CaseBlind {
		for i := 1; i < len(c.Files); i++ {
			if byTarget(c.Files[i-1], c.Files[i]) == 0 {
				clash(c.Files[i-1], c.Files[i])
			}
		}
		return
	}
	seen := map[string]File{}
	for _, f := range c.Files {
		key := f.Place + "\x00" + f.Target().Fold()
		if other, twice := seen[key]; twice {
			clash(other, f)
		}
		seen[key] = f
	}
}

func sorted[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
