package layout

import (
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// Fixes are a person's corrections in one rulebook, by the add-on's key as it
// was derived before any correction.
type Fixes map[string]Fix

// Fix is what a person has corrected of one add-on. It is written as rules, so
// that the next version finds it.
type Fix struct {
	From    string            // the version for which it was said, as name@version
	Root    string            // a glob of the folder that is the add-on
	Name    string            // what it is called
	Apart   []string          // kinds of which it is another add-on of the same name
	Base    string            // the add-on that it changes
	Version map[string]string // by the archive's digest: a version is of one archive alone
	Rules   []rulebook.Rule   // asked before the kind's own
}

// correctName puts a person's name and version in, and remembers under which
// key corrections are kept.
func (l *laying) correctName(c *Crate) {
	c.Derived = c.Key()
	fix, ok := l.fixOf(c)
	if !ok {
		return
	}
	if fix.Name != "" && fix.Name != c.Name {
		c.corrected(CorrectName, "called %s instead of %s, as you said for %s", fix.Name, c.Name, fix.From)
		c.Name, c.NameFrom, c.ID = fix.Name, "you", ""
	}
	if slices.Contains(fix.Apart, c.Kind) {
		c.ID = c.Name + "." + c.Kind
		c.corrected(CorrectApart, "told apart from others called %s by its kind, as you said for %s", c.Name, fix.From)
	}
	if v := fix.Version[l.archive.Whole.Digest.String()]; v != "" && v != c.Version {
		c.corrected(CorrectVersion, "version %s, as you said, instead of %s", v, orElse(c.Version, "none"))
		c.Version, c.VersionFrom = v, "you"
	}
	if len(fix.Rules) > 0 {
		c.corrected(CorrectFiles, "%s placed as you said for %s", words.Count(len(fix.Rules), "rule"), fix.From)
	}
}

// OneFix is the key under which a correction of one add-on is kept where several of its
// archive have the same name, told apart by where they lie.
func OneFix(derived string, root tree.Path) string { return derived + " in " + Pattern(root) }

// fixOf gives the correction of an add-on: its own, or that of its name.
func (l *laying) fixOf(c *Crate) (Fix, bool) {
	if len(l.fixes) == 0 {
		return Fix{}, false
	}
	if fix, ok := l.fixes[OneFix(c.Derived, c.Root)]; ok {
		return fix, true
	}
	fix, ok := l.fixes[c.Derived]
	return fix, ok
}

// choose takes the root that a person named, where one of the add-ons that
// could be meant has a correction that fits exactly one.
func (l *laying) choose(k *rulebook.Kind, roots []root) (root, bool) {
	if len(l.fixes) == 0 {
		return root{}, false
	}
	key := Key(l.partsOf(k, fileStem(l.archive.Filename).text).Name)
	fix, ok := l.fixes[key]
	if !ok || fix.Root == "" {
		return root{}, false
	}
	fit := slices.DeleteFunc(slices.Clone(roots), func(r root) bool { return !doublestar.MatchUnvalidated(fix.Root, r.path().String()) })
	if len(fit) != 1 {
		return root{}, false
	}
	fit[0].chosen = fix.From
	return fit[0], true
}

// ChoiceKey is the key under which the choice of a root in this archive is kept.
func ChoiceKey(b *rulebook.Book, filename string) string {
	t := b.Known.Tell(fileStem(filename).text)
	return Key(t.Name)
}

var numbers = regexp.MustCompile(`[0-9]+([.][0-9]+)*`)

// unglobbed takes their meaning from the signs of a glob.
var unglobbed = strings.NewReplacer(`\`, `\\`, `*`, `\*`, `?`, `\?`, `[`, `\[`, `{`, `\{`)

// Pattern makes a glob of a path in one version that finds the same in the
// next: runs of numbers become "*", all else is as it is.
func Pattern(p tree.Path) string {
	return numbers.ReplaceAllString(unglobbed.Replace(p.String()), "*")
}
