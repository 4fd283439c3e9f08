package layout

import (
	"fmt"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/version"
)

// named tells the add-on's identity, name and version: from the texts that the
// rulebook names, then from the folder, the wrappers and the file name. What
// a person has corrected comes last and wins.
func (l *laying) named(k *rulebook.Kind, r root, c *Crate) {
	var other rival
	for i, s := range r.stems {
		if !l.readings().isVisible(s.text, "name", s.from, c) {
			continue
		}
		t := l.partsOf(k, s.text)
		if version.Bare(s.text) && l.book.Known.IsGame(s.text) && i+1 < len(r.stems) {
			continue // a folder for one version of the game, which editions read
		}
		if t.Version == "" && version.Bare(s.text) && i+1 < len(r.stems) {
			t.Name, t.Version = "", strings.TrimSpace(s.text) // a folder that is named for its version alone
		}
		if c.Name == "" && t.Name != "" {
			c.Name, c.NameFrom = t.Name, s.from
		}
		switch {
		case t.Version == "":
		case c.Version == "":
			c.Version, c.VersionFrom = t.Version, s.from
			if t.Unsure {
				c.find(finding.Finding{Level: finding.Note, Code: "version-or-game",
					What: fmt.Sprintf("%s in %s could be the game's version; it is taken for the add-on's, since no other number is there", t.Version, s.from),
					Mend: "Correct it if that is wrong.", Remedies: []finding.Remedy{finding.NameCrate.With("version")}})
			}
		case version.Compare(c.Version, t.Version) != 0 && other.version == "":
			other = rival{t.Version, s.from}
		}
		l.toldFacts(t, s.from, c)
	}
	if v, from := l.readings().read(k.ID, "id", r, c); v != "" {
		c.ID = v
		if name := strings.Map(noSlash, v); oneFolder(v) || c.Name == "" && oneFolder(name) {
			c.Name, c.NameFrom = name, from
		}
	}
	c.Called, _ = l.readings().read(k.Called, "server's own spelling", r, c)
	if v, from := l.readings().read(k.NameIn, "name", r, c); v != "" {
		c.Name, c.NameFrom = v, from
	}
	if v, from := l.readings().read(k.VerIn, "version", r, c); v != "" {
		if c.Version != "" && version.Compare(c.Version, v) != 0 {
			other = rival{c.Version, c.VersionFrom}
		}
		c.Version, c.VersionFrom = v, from
	}
	l.editions.version(r, c)
	if other.version != "" && version.Compare(c.Version, other.version) != 0 {
		c.find(finding.Finding{Level: finding.Note, Code: "two-versions-told",
			What: fmt.Sprintf("%s says %s, but %s says %s; the first is taken", c.VersionFrom, c.Version, other.from, other.version),
			Mend: "Correct it if that is wrong.", Remedies: []finding.Remedy{finding.NameCrate.With("version")}})
	}
	if c.Name == "" {
		c.Name = Nameless
		c.find(finding.Finding{Level: finding.Warn, Code: "no-name",
			What: "nothing in the archive tells what the add-on is called; it is called " + Nameless, Mend: "Give it a name, for this and later versions.", Remedies: []finding.Remedy{finding.NameCrate.With("name")}})
	}
	l.correctName(c)
	if c.Version == "" {
		c.Version = Unmarked
		c.find(finding.Finding{Level: finding.Note, Code: "no-version",
			What: fmt.Sprintf("nothing in the archive tells the version of %s; it is called %s", c.Name, Unmarked), Mend: "Say which it is.", Remedies: []finding.Remedy{finding.NameCrate.With("version")}})
	}
}

// noSlash makes one name of an id such as maker/name.
func noSlash(r rune) rune {
	if r == '/' || r == '\\' {
		return '-'
	}
	return r
}

// rival is a version and where it was read.
type rival struct{ version, from string }

// partsOf reads a stem with the kind's suffixes trimmed before and after.
func (l *laying) partsOf(k *rulebook.Kind, s string) version.Told {
	t := l.book.Known.Tell(trim(k, version.DropCounter(s)))
	t.Name = trim(k, t.Name)
	return t
}

// toldFacts keeps what a name tells of the game and the loader.
func (l *laying) toldFacts(t version.Told, from string, c *Crate) {
	add := func(f Fact) {
		for _, there := range c.Facts {
			if there.Kind == f.Kind {
				return
			}
		}
		c.Facts = append(c.Facts, f)
	}
	if t.Game != "" {
		add(Fact{Kind: rulebook.Game, Range: t.Game, From: from})
	}
	if t.Loader != "" {
		add(Fact{Kind: rulebook.Loader, Name: strings.ToLower(t.Loader), From: from})
	}
}

func trim(k *rulebook.Kind, s string) string {
	for _, suffix := range k.Trim {
		if cut, ok := strings.CutSuffix(s, suffix); ok && cut != "" {
			return cut
		}
	}
	return s
}
