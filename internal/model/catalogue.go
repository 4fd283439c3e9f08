package model

import (
	"time"

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
	Container string
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
}

// Laid is what a revision had made of an archive: a crate or only findings.
type Laid struct {
	Crate    *Crate
	Findings []finding.Finding
}

// Holding is a version of an add-on that claims paths on a server.
type Holding struct {
	Rulebook, Addon string // the add-on's key
	Server, Label   string
}
