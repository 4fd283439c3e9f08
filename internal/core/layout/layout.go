// Package layout turns what an archive holds into crates: which files go to
// which place under which name, which are left out, and why, for every one.
// It decides by a rulebook and a person's corrections; it knows no game.
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

// Result is what one rulebook makes of one archive: the crates, in the
// rulebook's order, and what there is to say of the archive as a whole. Where
// the choice is not the program's to make there is no crate, and Choices ranks
// what a person can choose from.
type Result struct {
	Crates   []*Crate
	Findings []finding.Finding
	Choices  []Choice
	Pallet   *Pallet // where the crates are different add-ons that came together
}

// Choice is a folder that could be the add-on.
type Choice struct {
	Kind  string    `json:"kind"`
	Root  tree.Path `json:"root"`
	Files int       `json:"files"`
	Why   string    `json:"why"`
}

// Lay asks every kind of the rulebook, in its order, whether it recognises the
// archive, and lays it out by the first that does. Of kinds that may come
// several to an archive each takes its own, so that a pack gives one crate per
// add-on. Where none fits, the archives inside it are asked the same.
//
// An error is one of reading the archive; nothing was laid out then.
func Lay(b *rulebook.Book, a Archive, fixes Fixes) (Result, error) {
	l := &laying{book: b, archive: a, fixes: fixes, texts: map[tree.Path]*text{}}
	l.files = make([]tree.Entry, 0, len(a.Entries))
	for _, e := range a.Entries {
		switch {
		case e.Dir:
		case isDropping(e.Path):
			l.dropped = append(l.dropped, e)
		case inside(e.Path):
			l.inner = append(l.inner, e)
		default:
			l.files = append(l.files, e)
		}
	}
	slices.SortFunc(l.files, func(a, b tree.Entry) int { return strings.Compare(string(a.Path), string(b.Path)) })
	l.empty = emptyFolders(a.Entries)
	l.editions = newEditions(b.Known, l.files)
	l.kinds()
	if len(l.res.Crates) == 0 && !slices.ContainsFunc(l.res.Findings, decisive) {
		l.innerArchives()
	}
	l.rest()
	switch len(l.res.Crates) {
	case 0:
	case 1:
		l.leftBeside(l.res.Crates[0])
	default:
		l.leftOfPack()
	}
	l.says()
	l.leaveDroppings()
	inOrder(l.res.Crates)
	l.res.Pallet = l.pallet()
	for _, c := range l.res.Crates {
		finding.Sort(c.Findings)
	}
	finding.Sort(l.res.Findings)
	return l.res, l.err
}

// decisive findings stop the search for other ways to read an archive.
func decisive(f finding.Finding) bool { return f.Code == "two-roots" || f.Code == "installer" }

// laying is one archive while it is laid out.
type laying struct {
	book    *rulebook.Book
	archive Archive
	fixes   Fixes
	files   []tree.Entry // without folders and without what is in inner archives
	empty   []tree.Path  // folders in which the archive has nothing
	dropped []tree.Entry // files that a desktop has left
	inner   []tree.Entry // files in inner archives and packed files
	// packedIn are those by the file that they are in, once that was asked.
	packedIn map[tree.Path][]part
	texts    map[tree.Path]*text
	// editions are read from the folders of files.
	editions *editions
	res      Result
	err      error // the first of reading; nothing more is read then
}

// report adds a finding. What it gives may be added to until the next one is said.
func (l *laying) report(level finding.Level, code string, p tree.Path, mend, format string, args ...any) *finding.Finding {
	l.res.Findings = append(l.res.Findings, finding.Finding{Level: level, Code: code, Path: p, What: fmt.Sprintf(format, args...), Mend: mend})
	return &l.res.Findings[len(l.res.Findings)-1]
}

func (l *laying) kinds() {
	taken := func(r root) bool {
		return slices.ContainsFunc(l.res.Crates, func(c *Crate) bool { return r.path() == c.Root || r.path().Within(c.Root) && c.Root != tree.Root })
	}
	all := make([][]root, len(l.book.Kinds))
	for i := range l.book.Kinds {
		all[i] = l.rooting().roots(&l.book.Kinds[i])
	}
	pack := l.isPack(all)
	for i := range l.book.Kinds {
		k := &l.book.Kinds[i]
		roots := all[i]
		switch {
		case len(roots) == 0:
		case len(l.res.Crates) > 0 && !(k.Several && l.several()):
			if !taken(roots[0]) {
				l.report(finding.Note, "also-fits", "", "", "kind %s recognises it too; %s stands first in the rulebook", k.Name, l.res.Crates[0].Kind)
			}
		case k.Installer != "":
			l.report(finding.Warn, "installer", roots[0].path(), k.Installer, "it is an installer, which must be run elsewhere first; stage what it makes")
			return
		case len(roots) > 1 && !k.Several && !l.editions.builds(roots):
			if chosen, ok := l.choose(k, roots); ok {
				l.crate(k, chosen)
			} else {
				l.unsure(k, roots)
			}
		default:
			if chosen, ok := l.choose(k, roots); ok && len(roots) > 1 && k.Several {
				roots = []root{chosen}
			}
			for _, r := range roots {
				if pack && len(r.stems) > 1 && k.Several {
					r.stems = r.stems[:len(r.stems)-1] // the file's name is the pack's
				}
				if !taken(r) {
					l.crate(k, r)
				}
			}
		}
	}
	if len(l.res.Crates) > 0 { // an earlier kind's doubt is settled by this one
		l.res.Choices = nil
		l.res.Findings = slices.DeleteFunc(l.res.Findings, func(f finding.Finding) bool { return f.Code == "two-roots" })
	}
}

// isPack tells whether an archive holds several add-ons beside each other, of one kind or of
// several: its file name says nothing of any of them then.
func (l *laying) isPack(all [][]root) bool {
	var beside []tree.Path
	for i, roots := range all {
		if !l.book.Kinds[i].Several {
			continue
		}
		for _, r := range roots {
			p := r.path()
			if !slices.ContainsFunc(beside, func(o tree.Path) bool { return p == o || p.Within(o) || o.Within(p) }) {
				beside = append(beside, p)
			}
			if len(beside) > 1 {
				return true
			}
		}
	}
	return false
}

// several tells whether the crates so far are of kinds that come several to an archive.
func (l *laying) several() bool {
	return !slices.ContainsFunc(l.res.Crates, func(c *Crate) bool {
		i := slices.IndexFunc(l.book.Kinds, func(k rulebook.Kind) bool { return k.Name == c.Kind })
		return !l.book.Kinds[i].Several
	})
}

func (l *laying) unsure(k *rulebook.Kind, roots []root) {
	if len(l.res.Choices) > 0 {
		return // an earlier kind asks already
	}
	slices.SortStableFunc(roots, func(a, b root) int { return l.below(b.folder) - l.below(a.folder) })
	names := make([]string, 0, len(roots))
	for i, r := range roots {
		l.res.Choices = append(l.res.Choices, Choice{Kind: k.Name, Root: r.path(), Files: l.below(r.folder), Why: r.why})
		if i < 4 {
			names = append(names, fmt.Sprintf("%s (%s)", r.path(), words.Count(l.below(r.folder), "file")))
		}
	}
	if n := len(roots) - len(names); n > 0 {
		names = append(names, fmt.Sprintf("and %d more", n))
	}
	l.report(finding.Warn, "two-roots", roots[0].path(), "Say which.",
		"kind %s fits, but which of these is the add-on is not clear: %s", k.Name, strings.Join(names, ", ")).By(finding.ChooseRoot.On(l.archive.Filename))
}

func (l *laying) below(folder tree.Path) (n int) {
	for _, e := range l.files {
		if e.Path.Within(folder) {
			n++
		}
	}
	return n
}

// inside tells whether a path is behind an inner archive's "!".
func inside(p tree.Path) bool { return strings.Contains(string(p), "!/") }

// innerArchives lays the archives inside this one out, each as if it had been
// downloaded by itself.
func (l *laying) innerArchives() {
	for _, whole := range l.files {
		base := whole.Path + "!"
		inner := Archive{Filename: whole.Path.Base(), Whole: whole, Read: l.archive.Read}
		for _, e := range l.archive.Entries {
			if rel, ok := e.Path.Below(base); ok {
				e.Path = rel
				inner.Entries = append(inner.Entries, e)
			}
		}
		if len(inner.Entries) == 0 {
			continue
		}
		res, err := Lay(l.book, inner, l.fixes)
		if err != nil {
			l.err = err
			return
		}
		if slices.ContainsFunc(res.Crates, (*Crate).repacked) {
			l.report(finding.Warn, "not-repacked", whole.Path, "Stage that archive by itself.", "%s would have to be packed anew, which is done only for a download itself", whole.Path)
			continue
		}
		for _, c := range res.Crates {
			c.move(whole.Path)
		}
		l.res.Crates = append(l.res.Crates, res.Crates...)
		l.res.Findings = append(l.res.Findings, res.Findings...)
		l.res.Choices = append(l.res.Choices, res.Choices...)
	}
	if len(l.res.Crates) > 0 {
		l.report(finding.Note, "inner-archives", "", "", "the add-on is in an archive inside this one")
	}
}

// move makes a crate of an inner archive one of the archive around it.
func (c *Crate) move(archive tree.Path) {
	base := archive + "!"
	for i := range c.Files {
		if c.Files[i].Source == tree.Root {
			c.Files[i].Source = archive
		} else {
			c.Files[i].Source = base.Join(c.Files[i].Source)
		}
	}
	for i := range c.Left {
		c.Left[i].Source = base.Join(c.Left[i].Source)
	}
	for i := range c.Folders {
		c.Folders[i].Source = base.Join(c.Folders[i].Source)
	}
	for i := range c.Findings {
		if c.Findings[i].Path != "" {
			c.Findings[i].Path = base.Join(c.Findings[i].Path)
		}
	}
	for i := range c.Says {
		c.Says[i].Source = base.Join(c.Says[i].Source)
	}
	c.Root = base.Join(c.Root)
	c.Why = fmt.Sprintf("in %s: %s", archive, c.Why)
}

// leftBeside gives a reason to what is beside the only add-on of an archive:
// every file is placed or left out.
func (l *laying) leftBeside(c *Crate) {
	reason := fmt.Sprintf("outside the add-on's folder %s", c.Root)
	archive, _, inner := strings.Cut(string(c.Root)+"/", "!/")
	if inner {
		reason = fmt.Sprintf("beside %s, which holds the add-on", archive)
	}
	held := c.sources()
	for _, e := range l.files {
		if !held[e.Path] && !held[tree.Root] && !(inner && string(e.Path) == archive) {
			c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Settled: true, Reason: reason})
		}
	}
	slices.SortFunc(c.Left, bySource)
}

func (c *Crate) sources() map[tree.Path]bool {
	held := make(map[tree.Path]bool, len(c.Files)+len(c.Left))
	for _, f := range c.Files {
		held[f.Source] = true
	}
	for _, f := range c.Left {
		held[f.Source] = true
	}
	return held
}

// leftOfPack says once for a whole pack which files belong to none of its add-ons.
func (l *laying) leftOfPack() {
	held := map[tree.Path]bool{}
	for _, c := range l.res.Crates {
		maps.Copy(held, c.sources())
	}
	var rest []string
	for _, e := range l.files {
		if !held[e.Path] && !slices.ContainsFunc(l.res.Crates, func(c *Crate) bool { return c.Root.Within(e.Path + "!") }) {
			rest = append(rest, string(e.Path))
		}
	}
	if len(rest) > 0 {
		l.report(finding.Note, "left-of-pack", tree.Path(rest[0]), "", "belongs to none of the add-ons in it and is left out: %s", words.Few(rest))
	}
}

func orElse(s, otherwise string) string {
	if s != "" {
		return s
	}
	return otherwise
}
