package layout

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
)

// Nameless is the name of an add-on whose archive tells none.
const Nameless = "nameless"

// Unmarked is the version of an add-on whose archive names none.
const Unmarked = "unmarked"

// Archive is a download as the layout sees it.
type Archive struct {
	Filename string       // the name it was downloaded under, without folders
	Whole    tree.Entry   // the archive itself as one file
	Entries  []tree.Entry // what it holds, inner archives' contents behind "!"; empty where it is a plain file
	Read     Reader       // for what manifests and notes say; nil where nothing can be read
}

// Reader gives the first bytes of something in an archive, or of the archive itself where
// it is a plain file: at most so many. Its errors end the laying out.
type Reader func(e tree.Entry, most int64) ([]byte, error)

// Crate is one version of one add-on, laid out by one rulebook. It is
// immutable; [Crate.Digest] names it.
type Crate struct {
	Rulebook    string    `json:"rulebook"`
	Kind        string    `json:"kind"`
	ID          string    `json:"id,omitempty"` // the manifest's own identity, where the rulebook names one
	Name        string    `json:"name"`         // the add-on's name in its own spelling
	Version     string    `json:"version"`      // [Unmarked] where nothing names one
	NameFrom    string    `json:"nameFrom,omitempty"`
	VersionFrom string    `json:"versionFrom,omitempty"`
	Root        tree.Path `json:"root"` // the folder in the archive that is the add-on
	Why         string    `json:"why"`  // how it was recognised and its root found
	Files       []File    `json:"files"`
	Left        []Left    `json:"left"`
	Folders     []Folder  `json:"folders,omitempty"` // that are empty in the archive, sorted by place and path
	Facts       []Fact    `json:"facts,omitempty"`
	Says        []Said    `json:"says,omitempty"` // what the author's notes tell people to do
	// OneOf are the parts by choice of which one of several is taken, by their names.
	OneOf map[string]Rival `json:"oneOf,omitempty"`
	// Tells are values that its files tell under words of the rulebook's own.
	Tells   map[string][]string `json:"tells,omitempty"`
	Called  string              `json:"called,omitempty"`  // what the server calls it, where the rulebook names that
	Derived string              `json:"derived,omitempty"` // the key before any correction, under which corrections are kept
	// Overlay is set where the add-on changes files of another one, and Base is
	// that one's name, where it is known.
	Overlay   bool     `json:"overlay,omitempty"`
	Base      string   `json:"base,omitempty"`
	Made      bool     `json:"made,omitempty"`      // it was made of what lay on a server; its bytes may be nowhere else
	Chosen    bool     `json:"chosen,omitempty"`    // its root was, by a person
	Corrected []string `json:"corrected,omitempty"` // what a person's corrections did, in words
	// Corrects says of which kind each of them is. Crates that were laid out long ago do not.
	Corrects []Correction `json:"corrects,omitempty"`
	// Findings are of this crate alone; records keep them beside it.
	Findings []finding.Finding `json:"-"`
	// Traces are what each reading found, for whoever writes the rulebook.
	Traces  []Traced `json:"-"`
	reasons map[*rulebook.Rule]string
}

// File is one file of a crate. Its target is a place and a path in it, or in
// a packed file there, into which it is merged; the real path is resolved per
// server. Files are sorted by place, packed file and path.
type File struct {
	Place    string      `json:"place"`
	Into     tree.Path   `json:"into,omitempty"`
	Path     tree.Path   `json:"path"`
	Source   tree.Path   `json:"source"` // in the archive; the root where the archive itself is the file
	Digest   tree.Digest `json:"digest"`
	Size     int64       `json:"size"`
	Exec     bool        `json:"exec,omitempty"`
	Reason   string      `json:"reason"`
	Line     int         `json:"line"` // of the rule in the rulebook; 0 where a person's correction says so
	Optional string      `json:"optional,omitempty"`
	Settings bool        `json:"settings,omitempty"`
	// Repack is the folder of the archive whose contents are packed anew, at
	// the root. Digest and Size are then those of what is made, and are not
	// known until it is.
	Repack tree.Path `json:"repack,omitempty"`
}

// Left is one file that is left out. Settled is false where no rule spoke of
// it, so that a person should look. They are sorted by source.
type Left struct {
	Source  tree.Path `json:"source"`
	Size    int64     `json:"size"`
	Reason  string    `json:"reason"`
	Line    int       `json:"line,omitempty"`
	Settled bool      `json:"settled"`
}

// Fact is one thing that a manifest tells for later checks, with where it was
// read. Name is another add-on, a loader or a side; Range is as it is written.
type Fact struct {
	Kind  rulebook.FactKind `json:"kind"`
	Name  string            `json:"name,omitempty"`
	Range string            `json:"range,omitempty"`
	From  string            `json:"from"`
}

// Said is a line of the author's notes that looks like something to do.
type Said struct {
	Source tree.Path `json:"source"`
	Line   int       `json:"line"`
	Text   string    `json:"text"`
}

// Key is the identity of an add-on below its rulebook: its folded name.
func Key(name string) string { return tree.Fold(strings.TrimSpace(name)) }

// Key is the identity of the crate's add-on: the manifest's own id where the
// rulebook names one, else the name.
func (c *Crate) Key() string {
	if c.ID != "" {
		return Key(c.ID)
	}
	return Key(c.Name)
}

// Label is name@version, as people write it.
func (c *Crate) Label() string { return c.Name + "@" + c.Version }

// Digest names the crate: SHA-256 over the rulebook's name, the add-on, the
// version and the sorted targets with their content and executable mark, and its empty
// folders. A repacked archive with equal contents gives the same digest.
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
		field([]byte(f.Target()))
		field(f.Digest[:])
		field([]byte{map[bool]byte{true: 1}[f.Exec]})
	}
	for _, f := range c.Folders { // of a crate without any the digest is as it always was
		field([]byte(f.Place))
		field([]byte(f.Path + "/"))
	}
	return tree.Digest(h.Sum(nil))
}

func byTarget(a, b File) int {
	return cmp.Or(strings.Compare(a.Place, b.Place), strings.Compare(string(a.Into), string(b.Into)), strings.Compare(string(a.Path), string(b.Path)))
}

// Target is the path in the place; what is merged into a packed file has its
// path behind that file's and "!".
func (f File) Target() tree.Path {
	if f.Into == "" {
		return f.Path
	}
	return f.Into + "!" + "/" + f.Path
}

// Fits tells whether the crate says that it fits a version of the game; told is
// false where it says nothing that can be read.
func (c *Crate) Fits(game string) (fits, told bool) {
	for _, f := range c.Facts {
		if f.Kind != rulebook.Game {
			continue
		}
		if r, err := version.ParseRange(f.Range); err == nil {
			told = true
			fits = fits || r.Contains(game)
		}
	}
	return fits, told
}

// Correction is what of a crate a person has corrected.
type Correction string

// The kinds of corrections.
const (
	CorrectName    Correction = "name"
	CorrectVersion Correction = "version"
	CorrectFiles   Correction = "files"
	CorrectRoot    Correction = "root"
	CorrectBase    Correction = "base"
	CorrectApart   Correction = "apart"
)

// corrected remembers what a person's correction did.
func (c *Crate) corrected(kind Correction, format string, args ...any) {
	c.Corrected = append(c.Corrected, fmt.Sprintf(format, args...))
	c.Corrects = append(c.Corrects, kind)
}

func (c *Crate) find(f finding.Finding) { c.Findings = append(c.Findings, f) }

func bySource(a, b Left) int { return strings.Compare(string(a.Source), string(b.Source)) }

// repacked tells whether a file of the crate has to be packed anew.
func (c *Crate) repacked() bool {
	return slices.ContainsFunc(c.Files, func(f File) bool { return f.Repack != "" })
}
