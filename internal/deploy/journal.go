package deploy

import (
	"context"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// Key names a motion within its deployment.
type Key struct{ Leg, Motion int }

// KeyOf is the key of a motion.
func KeyOf(m draft.Motion) Key { return Key{Leg: m.Leg, Motion: m.ID} }

// MarkState is how far the journal has followed a motion.
type MarkState string

// The states of a mark.
const (
	Intended MarkState = "intended" // durable before the motion starts; its result is unknown
	Finished MarkState = "done"
	Undone   MarkState = "undone"
)

// Mark is what the journal says of one motion.
type Mark struct {
	State  MarkState
	Result Result
}

// Result is what a motion found out. Sizes are bytes, times UTC milliseconds
// by the host's clock.
type Result struct {
	Digest   tree.Digest `json:"digest,omitzero"` // of bytes that were kept
	Size     int64       `json:"size,omitempty"`
	Modified int64       `json:"modified,omitempty"`
	At       int64       `json:"at,omitempty"`     // with in: the host's time before; 0 where it is not known
	Proved   bool        `json:"proved,omitempty"` // a sent file was read back and hashed
	Left     bool        `json:"left,omitempty"`   // a folder stayed because something is in it
	// With power and wait: how it was told that it is so, how long it took, and
	// where the log ended before.
	// Inside a copied folder: whether it is a folder too, and its permission bits.
	Folder bool     `json:"folder,omitempty"`
	Mode   uint32   `json:"mode,omitempty"`
	Words  string   `json:"words,omitempty"`
	MS     int64    `json:"ms,omitempty"`
	Log    *LogMark `json:"log,omitempty"`
	// Edited is what an edit came to, where this motion wrote it.
	Edited *Edited `json:"edited,omitempty"`
	// Inside are results for files of a folder that was moved whole, by path
	// below it, where there is something to say of them.
	Inside map[tree.Path]Result `json:"inside,omitempty"`
	// Copy is where the host keeps a copy of a folder that it has made itself.
	Copy tree.Path `json:"copy,omitempty"`
	// Kept is where kept bytes lie. It is recorded in the same transaction.
	Kept *stockroom.Kept `json:"-"`
}

// Edited is a text as it was written under its temporary name, out of the bytes
// with the digest Was.
type Edited struct {
	Was     tree.Digest  `json:"was"`
	WasSize int64        `json:"wasSize"`
	Digest  tree.Digest  `json:"digest"`
	Size    int64        `json:"size"`
	Edits   []draft.Edit `json:"edits"` // those that changed something, with their undos
}

// AllKept gives every content that was kept, inside a folder too.
func (r Result) AllKept() (out []stockroom.Kept) {
	if r.Kept != nil {
		out = append(out, *r.Kept)
	}
	for _, in := range r.Inside {
		out = append(out, in.AllKept()...)
	}
	return out
}

// Outcome is a motion with its result.
type Outcome struct {
	Motion draft.Motion
	Result Result
}

// Journal is where a run writes what it is about to do and what it did. Every
// call is durable when it returns.
type Journal interface {
	// Intend marks motions as about to start.
	Intend(ctx context.Context, deployment int64, motions []draft.Motion) error
	// Conclude marks motions as done, and makes their kept bytes known.
	Conclude(ctx context.Context, deployment int64, outcomes []Outcome) error
	// Intended is Intend for motions with something to say already: bytes that were
	// kept on the way.
	Intended(ctx context.Context, deployment int64, outcomes []Outcome) error
	// Reverse marks motions as taken back. Outcomes may carry bytes that were
	// kept on the way.
	Reverse(ctx context.Context, deployment int64, outcomes []Outcome) error
	// Marks gives everything the journal knows of a deployment.
	Marks(ctx context.Context, deployment int64) (map[Key]Mark, error)
}
