package model

import (
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
)

// Archive is a download as it was staged.
type Archive struct {
	ID        int64
	Digest    tree.Digest
	Size      int64
	Filename  string
	Format    string
	Source    string
	Note      string
	Findings  []finding.Finding // of its names and contents, whatever the rulebook
	Container string
	Dropped   bool // its bytes were let go; staging it again brings it back
	Recovered bool // recorded again from its bytes alone, after the records were lost
	Actor     string
	CreatedAt time.Time
}

// Crate is a crate as it is recorded.
type Crate struct {
	ID        int64
	Digest    tree.Digest
	Key       string
	Body      layout.Crate
	Findings  []finding.Finding
	Revision  int // of the rulebook
	Archives  []Archive
	Actor     string
	CreatedAt time.Time
	Dropped   bool // taken out of the list
	Damaged   bool // what is recorded of it cannot be read; only its name and version are known
}

// CrateFacts is what one crate tells of itself and of others, without its files.
type CrateFacts struct {
	Digest             tree.Digest
	Key, Name, Version string
	Kind               string
	Facts              []layout.Fact
	Dropped            bool // taken out of the list, though a server may hold it
	Made               bool // of what lay on a server; its bytes may be nowhere else
	CreatedAt          time.Time
}

// Laid is what a revision had made of an archive: crates, or only findings.
type Laid struct {
	Crates   []Crate
	Choices  []layout.Choice   // where a person has to choose
	Findings []finding.Finding // of the archive; each crate has its own besides
	Pallet   string            // name@version, where the crates came together as one
}

// Pallet is the crates that came together in one pack.
type Pallet struct {
	ID                           int64
	Rulebook, Key, Name, Version string
	Members                      []Crate // without archives
	CreatedAt                    time.Time
}

// PalletChoice is under which key a server's choices about a pallet are kept, among those
// about add-ons.
func PalletChoice(pallet string) string { return "pallet " + pallet }

// PalletMember is one crate of a pallet.
type PalletMember struct {
	Pallet     int64 // its id
	Key, Label string
	Addon      string // key
	Crate      tree.Digest
}

// Label is name@version.
func (p Pallet) Label() string { return p.Name + "@" + p.Version }

// Holding is a version of an add-on that claims paths on a server.
type Holding struct {
	Rulebook, Addon string // the add-on's key
	Server, Label   string
	Crate           tree.Digest
}

// Correction is what people have corrected of one add-on's layout. Rules are
// in the rulebook language.
type Correction struct {
	From     string            `json:"from"`           // the version for which it was said last
	Root     string            `json:"root,omitempty"` // a glob of the folder that is the add-on
	Name     string            `json:"name,omitempty"`
	Base     string            `json:"base,omitempty"`     // the add-on that it changes
	Apart    []string          `json:"apart,omitempty"`    // kinds of which it is another add-on than those of other kinds
	Versions map[string]string `json:"versions,omitempty"` // by the archive's digest
	Rules    string            `json:"rules,omitempty"`
}

// MergePart is a file that is merged into a packed file: its path there and
// its bytes.
type MergePart struct {
	Path   tree.Path   `json:"path"`
	Digest tree.Digest `json:"digest"`
}

// Merged is a packed file with parts merged into it. Replaced are those that
// took the place of others.
type Merged struct {
	draft.Bytes
	Replaced []tree.Path
}
