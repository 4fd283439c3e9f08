// Package layout turns what an archive holds into a crate: which files go to
// which place under which name, which are left out, and why, for every one.
// It decides by a rulebook and nothing else; it knows no game.
package layout

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Unmarked is the version of an add-on whose archive names none.
const Unmarked = "unmarked"

// Archive is a download as the layout sees it.
type Archive struct {
	Filename string       // the name it was downloaded under, without folders
	Whole    tree.Entry   // the archive itself as one file
	Entries  []tree.Entry // what it holds; empty where it is a plain file
	Texts    fs.FS        // the bytes of Entries by path, for manifests; may be nil without Entries
}

// Crate is one version of one add-on, laid out by one rulebook. It is
// immutable; [Crate.Digest] names it.
type Crate struct {
	Rulebook string    `json:"rulebook"`
	Kind     string    `json:"kind"`
	Name     string    `json:"name"`    // the add-on's name in its own spelling
	Version  string    `json:"version"` // [Unmarked] where nothing names one
	Root     tree.Path `json:"root"`    // the folder in the archive that is the add-on
	Why      string    `json:"why"`     // how it was recognised and its root found
	Files    []File    `json:"files"`   // sorted by place, then path
	Left     []Left    `json:"left"`    // sorted by source
}

// File is one file of a crate. Its target is a place and a path in it; the
// real path is resolved per server.
type File struct {
	Place  string      `json:"place"`
	Path   tree.Path   `json:"path"`
	Source tree.Path   `json:"source"` // in the archive; the root where the archive itself is the file
	Digest tree.Digest `json:"digest"`
	Size   int64       `json:"size"`
	Exec   bool        `json:"exec,omitempty"`
	Reason string      `json:"reason"`
	Line   int         `json:"line"` // of the rule in the rulebook
}

// Left is one file that is left out. Settled is false where no rule spoke of
// it, so that a person should look.
type Left struct {
	Source  tree.Path `json:"source"`
	Size    int64     `json:"size"`
	Reason  string    `json:"reason"`
	Line    int       `json:"line,omitempty"`
	Settled bool      `json:"settled"`
}

// Result is what one rulebook makes of one archive. Crate is nil where no
// kind recognises it or where the choice is not the program's to make; the
// findings then say why.
type Result struct {
	Crate    *Crate
	Findings []finding.Finding
}

// Key is the identity of an add-on below its rulebook: its folded name.
func Key(name string) string { return tree.Fold(strings.TrimSpace(name)) }

// Key is the identity of the crate's add-on.
func (c *Crate) Key() string { return Key(c.Name) }

// Label is name@version, as people write it.
func (c *Crate) Label() string { return c.Name + "@" + c.Version }

// Digest names the crate: SHA-256 over the rulebook's name, the add-on, the
// version and the sorted targets with their content and executable mark. A
// repacked archive with equal contents gives the same digest.
func (c *Crate) Digest() tree.Digest {
	h := sha256.New()
	field := func(b []byte) {
		var n [8]byte
		binary.BigEndian.PutUint64(n[:], uint64(len(b)))
		h.Write(n[:])
		h.Write(b)
	}
	for _, s := range []string{c.Rulebook, c.Key(), c.Version} {
		field([]byte(s))
	}
	files := slices.Clone(c.Files)
	slices.SortFunc(files, byTarget)
	for _, f := range files {
		field([]byte(f.Place))
		field([]byte(f.Path))
		field(f.Digest[:])
		field([]byte{map[bool]byte{true: 1}[f.Exec]})
	}
	return tree.Digest(h.Sum(nil))
}

func byTarget(a, b File) int {
	if c := strings.Compare(a.Place, b.Place); c != 0 {
		return c
	}
	return strings.Compare(string(a.Path), string(b.Path))
}

// Lay asks every kind of the rulebook, in its order, whether it recognises
// the archive, and lays it out by the first that does.
func Lay(b *rulebook.Book, a Archive) Result {
	var res Result
	for i := range b.Kinds {
		k := &b.Kinds[i]
		found, unsure := recognise(k, a)
		switch {
		case unsure != nil && res.Crate == nil:
			res.Findings = append(res.Findings, *unsure)
		case found == nil:
		case res.Crate != nil:
			res.note("also-fits", fmt.Sprintf("kind %s recognises it too; %s stands first in the rulebook", k.Name, res.Crate.Kind))
		default:
			res.Findings = nil // an earlier kind's doubt is settled by this one
			res.Crate = place(b, k, a, found, &res)
		}
	}
	finding.Sort(res.Findings)
	return res
}

func (r *Result) note(code, what string) {
	r.Findings = append(r.Findings, finding.Finding{Level: finding.Note, Code: code, What: what})
}

// place runs a kind's rules over the files below the root that was found.
func place(b *rulebook.Book, k *rulebook.Kind, a Archive, found *root, res *Result) *Crate {
	c := &Crate{Rulebook: b.Name, Kind: k.Name, Root: found.folder, Why: found.why}
	named(k, a, found, c, res)
	var nowhere int
	for _, e := range found.files {
		rel, below := e.Path.Below(found.folder)
		if found.whole {
			rel, below = e.Path, true
		}
		if !below {
			c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Settled: true,
				Reason: fmt.Sprintf("outside the add-on's folder %s", found.folder)})
			continue
		}
		rule := match(k, rel)
		switch {
		case rule == nil:
			nowhere++
			c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Reason: fmt.Sprintf("no rule of kind %s takes it", k.Name), Line: k.Line})
		case rule.Leave:
			c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Line: rule.Line, Settled: true,
				Reason: or(rule.Because, "the rulebook leaves "+strings.Join(rule.Take, ", ")+" out")})
		default:
			c.put(rule, e, rel, found, res)
		}
	}
	if nowhere > 0 {
		res.Findings = append(res.Findings, finding.Finding{Level: finding.Warn, Code: "no-rule",
			What: fmt.Sprintf("%s of %s: no rule of kind %s says where to", count(nowhere, "file"), c.Label(), k.Name),
			Mend: "They are left out. Add a rule to the rulebook if they belong on the server."})
	}
	c.clashes(b, res)
	slices.SortFunc(c.Files, byTarget)
	slices.SortFunc(c.Left, func(x, y Left) int { return strings.Compare(string(x.Source), string(y.Source)) })
	return c
}

// put gives one file its target by a rule.
func (c *Crate) put(rule *rulebook.Rule, e tree.Entry, rel tree.Path, found *root, res *Result) {
	values := map[string]string{"name": c.Name, "version": c.Version, "path": string(rel), "file": cleanBase(rel)}
	text, err := rulebook.Fill(rule.As, func(n string) (string, bool) { v, ok := values[n]; return v, ok })
	var target tree.Path
	if err == nil {
		target, err = tree.ParsePath(text)
	}
	if err != nil {
		res.Findings = append(res.Findings, finding.Finding{Level: finding.Block, Code: "bad-target", Path: e.Path, Final: true,
			What: fmt.Sprintf("%s has no place it could go: %v", e.Path, err), Mend: fmt.Sprintf("See line %d of the rulebook.", rule.Line)})
		return
	}
	source := e.Path
	if found.whole {
		source = tree.Root
	}
	c.Files = append(c.Files, File{Place: rule.Place, Path: target, Source: source, Digest: e.Digest, Size: e.Size, Exec: e.Exec,
		Reason: or(rule.Because, found.reason+"; goes to the place "+rule.Place), Line: rule.Line})
}

// clashes finds two files that would get the same target.
func (c *Crate) clashes(b *rulebook.Book, res *Result) {
	seen := map[string]File{}
	for _, f := range c.Files {
		key := f.Place + "\x00" + string(f.Path)
		if b.CaseBlind {
			key = f.Place + "\x00" + f.Path.Fold()
		}
		if other, twice := seen[key]; twice {
			res.Findings = append(res.Findings, finding.Finding{Level: finding.Block, Code: "same-target", Path: f.Source, Final: true,
				What: fmt.Sprintf("%s and %s would both become %s in %s", other.Source, f.Source, f.Path, f.Place),
				Mend: "Mend the rulebook so that each gets a name of its own."})
		}
		seen[key] = f
	}
}

func match(k *rulebook.Kind, rel tree.Path) *rulebook.Rule {
	for i := range k.Rules {
		if globbed(k.Rules[i].Take, rel) {
			return &k.Rules[i]
		}
	}
	return nil
}

func or(s, otherwise string) string {
	if s != "" {
		return s
	}
	return otherwise
}

func count(n int, thing string) string {
	if n == 1 {
		return "1 " + thing
	}
	return fmt.Sprintf("%d %ss", n, thing)
}
