package layout

import (
	"fmt"
	"iter"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
)

// maxManifest is the number of bytes of a text that are searched for a value.
const maxManifest = 1 << 20

// text is a file's content, read once, and the manifest in it.
type text struct {
	raw    []byte
	parsed map[manifest.Format]manifest.Value
}

// readings finds what an add-on's own files tell.
type readings struct{ *laying }

func (l *laying) readings() readings { return readings{l} }

// isVisible tells whether a text that says who an add-on is can be read as what it is;
// what is refused is told.
func (l readings) isVisible(s, what, from string, c *Crate) bool {
	bad, ok := tree.Unseen(s)
	if !ok {
		c.find(finding.Finding{Level: finding.Warn, Code: "unseen-character",
			What: fmt.Sprintf("the %s in %s holds U+%04X, which nobody sees and a server's console may take for a command; it is not used", what, from, bad),
			Mend: "Look at who made this download, and give it a better name or version.", Remedies: []finding.Remedy{finding.NameCrate.With("name"), finding.NameCrate.With("version")}})
	}
	return ok
}

// isOwn tells whether a name or a version can be part of a path without reaching out of
// the add-on's own folder; what is refused is told. An id and what a server calls an
// add-on go into no path.
func (l readings) isOwn(s, what, from string, c *Crate) bool {
	if what != "name" && what != "version" || oneFolder(s) {
		return true
	}
	c.find(finding.Finding{Level: finding.Warn, Code: "reaches-out",
		What: fmt.Sprintf("the %s in %s is %q, which is no name of one folder, so files could land outside the add-on's own; it is not used", what, from, s),
		Mend: "Look at who made this download, and say the " + what + " yourself.", Remedies: []finding.Remedy{finding.NameCrate.With(what)}})
	return false
}

func oneFolder(s string) bool {
	p, err := tree.ParsePath(s)
	return err == nil && p.Depth() == 1 && !strings.ContainsAny(s, `/\`)
}

// read gives the first value that one of the readings finds, and where. what says
// what it is read for.
func (l readings) read(readings []rulebook.Reading, what string, r root, c *Crate) (value, from string) {
	for _, rd := range readings {
		for _, v := range l.readAll(rd, what, r, c) {
			s, ok := v.value.(string)
			if s = strings.TrimSpace(s); ok && s != "" && l.isVisible(s, what, v.from, c) && l.isOwn(s, what, v.from, c) {
				return s, v.from
			}
		}
	}
	return "", ""
}

// found is a value and where it was read.
type found struct {
	value manifest.Value
	from  string
}

func (l readings) readAll(rd rulebook.Reading, what string, r root, c *Crate) (out []found) {
	defer func() { c.traced(rd, what, out) }()
	in := []string{rd.File}
	for e := range l.readable(r) {
		rel := e.rel
		if !globbed(in, rel) {
			continue
		}
		t := l.text(e.Entry)
		if rd.Match != "" {
			for _, value := range rd.Found(t.raw) {
				out = append(out, found{value, string(rel)})
			}
			continue
		}
		if v, ok := manifest.At(l.parse(t, rd.Format, e.Path, c), rd.At); ok {
			out = append(out, found{v, string(rel)})
		}
	}
	return out
}

// Traced is what one reading of a rulebook found in an archive: for whoever writes one.
type Traced struct {
	What  string // what it is read for
	File  string // in which files it looks
	Where string // the pointer or the expression
	From  string // the file in which it found something; empty where it found nothing
	Value string // what it found, as far as that is a text
}

func (c *Crate) traced(rd rulebook.Reading, what string, out []found) {
	t := Traced{What: what, File: rd.File, Where: orElse(rd.At, rd.Match)}
	if len(out) > 0 {
		t.From = out[0].from
		var all []string
		for _, f := range out {
			if f.from == t.From {
				all = append(all, toldOf(rd, f)...)
			}
		}
		t.Value = strings.Join(all, ", ")
		if t.Value == "" {
			t.Value = "something that is no text"
		}
	}
	c.Traces = append(c.Traces, t)
}

// toldOf is what a reading found, for whoever writes it: texts, what of a list of mappings is
// taken, or which keys a mapping has.
func toldOf(rd rulebook.Reading, f found) (out []string) {
	if out = textsOf(f.value); len(out) > 0 {
		return out
	}
	if rd.Item != "" {
		for _, x := range factsOf(rulebook.Needs, rd, f) {
			out = append(out, strings.TrimSpace(x.Name+" "+x.Range))
		}
		return out
	}
	if m, ok := f.value.(map[string]manifest.Value); ok {
		return []string{"no text, but a mapping with " + strings.Join(sorted(m), ", ")}
	}
	return nil
}

// readable are the files in which something may be written of an add-on: those below
// its root, and what is in packed files there, behind "!/". Of a single file that is the
// add-on it is the file, and what is in it, as if it had come alone.
func (l readings) readable(r root) iter.Seq[part] {
	return func(yield func(part) bool) {
		switch {
		case r.only != nil:
			_ = yield(part{Entry: *r.only, rel: tree.Path(r.only.Path.Base())}) && each(l.packed(r.only.Path), yield)
			return
		case r.whole && len(l.archive.Entries) == 0:
			e := l.archive.Whole
			e.Path = tree.Path(l.archive.Filename)
			yield(part{Entry: e, rel: e.Path})
			return
		}
		if k := r.file; k != nil && !each(l.packed(k.Path), yield) { // alone with what is beside it
			return
		}
		for _, some := range [][]tree.Entry{l.files, l.insides()} {
			for _, e := range some {
				if rel, ok := e.Path.Below(r.folder); ok && !yield(part{Entry: e, rel: rel}) {
					return
				}
			}
		}
	}
}

// insides are what is in packed files, where the rulebook reads that.
func (l readings) insides() []tree.Entry {
	if !l.book.ReadsInside() {
		return nil
	}
	return l.inner
}

// each yields every one of some parts; false where no more are wanted.
func each(some []part, yield func(part) bool) bool {
	for _, p := range some {
		if !yield(p) {
			return false
		}
	}
	return true
}

// packed is what is in a packed file, by its paths in that.
func (l readings) packed(file tree.Path) []part {
	if l.packedIn == nil {
		l.packedIn = map[tree.Path][]part{}
		for _, e := range l.inner {
			outer, rel, _ := rulebook.Inside(string(e.Path))
			l.packedIn[tree.Path(outer)] = append(l.packedIn[tree.Path(outer)], part{Entry: e, rel: tree.Path(rel)})
		}
	}
	return l.packedIn[file]
}

func (l readings) text(e tree.Entry) *text {
	if t, ok := l.texts[e.Path]; ok {
		return t
	}
	t := &text{raw: l.bytes(e, maxManifest), parsed: map[manifest.Format]manifest.Value{}}
	l.texts[e.Path] = t
	return t
}

// bytes reads the first bytes of an entry; none once something could not be read.
func (l readings) bytes(e tree.Entry, most int64) []byte {
	if l.err != nil || l.archive.Read == nil {
		return nil
	}
	raw, err := l.archive.Read(e, most)
	if err != nil {
		l.err = fmt.Errorf("read %s: %w", e.Path, err)
	}
	return raw
}

func (l readings) parse(t *text, f manifest.Format, p tree.Path, c *Crate) manifest.Value {
	if v, ok := t.parsed[f]; ok {
		return v
	}
	v, err := manifest.Read(f, t.raw)
	if err != nil {
		c.find(finding.Finding{Level: finding.Warn, Code: "bad-manifest", Path: p,
			What: fmt.Sprintf("%s is not %s: %v", p, strings.ToUpper(string(f)), err), Mend: "Name and version are taken from elsewhere; tell the author."})
	}
	t.parsed[f] = v
	return v
}

// facts reads what a kind says about needs, conflicts, the game and so on.
func (l readings) facts(k *rulebook.Kind, r root, c *Crate) {
	for _, kind := range rulebook.FactKinds {
		var read []Fact
		for _, rd := range k.Facts[kind] {
			for _, v := range l.readAll(rd, string(kind), r, c) {
				for _, f := range factsOf(kind, rd, v) {
					if l.isVisible(f.Name+f.Range, string(kind), f.From, c) {
						read = append(read, f)
					}
				}
			}
		}
		if len(read) == 0 {
			continue
		}
		// What a manifest says is better than what a name tells.
		kept := c.Facts[:0]
		for _, f := range c.Facts {
			if f.Kind != kind {
				kept = append(kept, f)
			}
		}
		c.Facts = append(kept, read...)
	}
	for _, f := range c.Facts {
		if f.Range == "" {
			continue
		}
		if _, err := version.ParseRange(f.Range); err != nil {
			c.find(finding.Finding{Level: finding.Note, Code: "bad-range", What: fmt.Sprintf("%s says of %s: %v", f.From, orElse(f.Name, string(f.Kind)), err)})
		}
	}
}

// tells reads the values that its files tell under words of the rulebook's own: of each the
// first reading that finds something, all of what that finds.
func (l readings) tells(k *rulebook.Kind, r root, c *Crate) {
	for _, t := range k.Tells {
		for _, rd := range t.Read {
			var all []string
			for _, v := range l.readAll(rd, t.Name, r, c) {
				for _, s := range textsOf(v.value) {
					if !slices.Contains(all, s) && l.isVisible(s, t.Name, v.from, c) {
						all = append(all, s)
					}
				}
			}
			if len(all) > 0 {
				if c.Tells == nil {
					c.Tells = map[string][]string{}
				}
				c.Tells[t.Name] = all
				break
			}
		}
	}
}

// textsOf are the texts of a value: itself, or those of a list.
func textsOf(v manifest.Value) (out []string) {
	switch v := v.(type) {
	case string:
		if v = strings.TrimSpace(v); v != "" {
			out = append(out, v)
		}
	case []manifest.Value:
		for _, item := range v {
			out = append(out, textsOf(item)...)
		}
	}
	return out
}

// factsOf makes facts of a value: one text, which may hold several after
// commas; a list of texts or of mappings; or a mapping from names to ranges.
func factsOf(kind rulebook.FactKind, rd rulebook.Reading, v found) (out []Fact) {
	add := func(name, rng string) {
		if name != "" || rng != "" {
			out = append(out, Fact{Kind: kind, Name: name, Range: rng, From: v.from})
		}
	}
	one := func(s string) {
		if s = strings.Trim(strings.TrimSpace(s), `"'`); kind == rulebook.Game {
			add("", s)
			return
		}
		name, rng := nameAndRange(s)
		add(name, rng)
	}
	switch value := v.value.(type) {
	case string:
		if kind == rulebook.Game {
			one(value)
			break
		}
		for part := range strings.SplitSeq(value, ",") {
			one(part)
		}
	case []manifest.Value:
		var texts []string
		for _, item := range value {
			switch item := item.(type) {
			case string:
				texts = append(texts, item)
			case map[string]manifest.Value:
				name, _ := manifest.At(item, rd.Item)
				rng, _ := manifest.At(item, rd.Range)
				add(asText(name), asText(rng))
			}
		}
		if kind == rulebook.Game && len(texts) > 0 {
			add("", strings.Join(texts, " || "))
			break
		}
		for _, t := range texts {
			one(t)
		}
	case map[string]manifest.Value:
		// Where a format has no lists, such as XML, one of a kind is no list of one.
		if name, ok := manifest.At(value, rd.Item); ok && rd.Item != "" {
			rng, _ := manifest.At(value, rd.Range)
			add(asText(name), asText(rng))
			break
		}
		for _, name := range sorted(value) {
			add(name, asText(value[name]))
		}
	}
	return out
}

// nameAndRange parts "tide-base >= 3.2" and "tide-base@3.2".
func nameAndRange(s string) (name, rng string) {
	if i := strings.IndexAny(s, " <>=@[("); i > 0 {
		return s[:i], strings.TrimLeft(s[i:], " @")
	}
	return s, ""
}

func asText(v manifest.Value) string {
	s, _ := v.(string)
	return strings.TrimSpace(s)
}
