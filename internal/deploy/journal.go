package deploy

import (
	"context"
	"slices"

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

// Mark is what the journal records of one motion.
type Mark struct {
	State  MarkState
	Result Result
}

// Marks are what the journal says of a deployment's motions. A long deployment has
// hundreds of thousands, most of them with nothing to say but that they are done: those
// take a byte each. The zero value is an empty journal; reading it is safe for several
// callers, adding is not.
type Marks struct {
	states  map[int][]byte // by leg, and by motion
	results map[Key]*Result
}

// markStates are what a byte of a state stands for, by its value.
var markStates = [...]MarkState{"", Intended, Finished, Undone}

// Add notes a mark. A motion without a number that counts from 1 is passed over.
func (m *Marks) Add(k Key, mark Mark) {
	if k.Motion < 1 {
		return
	}
	if m.states == nil {
		m.states, m.results = map[int][]byte{}, map[Key]*Result{}
	}
	list := m.states[k.Leg]
	for len(list) <= k.Motion {
		list = append(list, 0)
	}
	list[k.Motion] = byte(max(0, slices.Index(markStates[:], mark.State)))
	m.states[k.Leg] = list
	if mark.Result.silent() {
		delete(m.results, k)
	} else {
		m.results[k] = &mark.Result
	}
}

// At gives the mark of a motion; the zero value where the journal has none.
func (m Marks) At(k Key) (mark Mark) {
	if list := m.states[k.Leg]; k.Motion > 0 && k.Motion < len(list) {
		mark.State = markStates[list[k.Motion]]
	}
	if res := m.results[k]; res != nil {
		mark.Result = *res
	}
	return mark
}

// keys is a set of motions. The zero value is empty.
type keys struct {
	n    int
	legs map[int][]uint64
}

func (s *keys) add(k Key) {
	if s.legs == nil {
		s.legs = map[int][]uint64{}
	}
	word, bit := k.Motion/64, uint64(1)<<(k.Motion%64)
	for len(s.legs[k.Leg]) <= word {
		s.legs[k.Leg] = append(s.legs[k.Leg], 0)
	}
	if s.legs[k.Leg][word]&bit == 0 {
		s.legs[k.Leg][word] |= bit
		s.n++
	}
}

// Result is what a motion found out. Each kind of motion fills its own part.
type Result struct {
	Bytes
	Told
	Held
	// Edited is what an edit came to, where this motion wrote it.
	Edited *Edited `json:"edited,omitempty"`
	Left   bool    `json:"left,omitempty"` // a folder stayed because something is in it
	// Kept is where kept bytes lie. It is recorded in the same transaction.
	Kept *stockroom.Kept `json:"-"`
}

// Bytes are what was seen of a file that was sent, kept, edited or put in its place. Sizes
// are bytes, times UTC milliseconds by the host's clock.
type Bytes struct {
	Digest   tree.Digest `json:"digest,omitzero"` // of bytes that were kept
	Size     int64       `json:"size,omitempty"`
	Modified int64       `json:"modified,omitempty"`
	At       int64       `json:"at,omitempty"`     // the host's time before it was put in its place; 0 where that is not known
	Proved   bool        `json:"proved,omitempty"` // a sent file was read back and hashed
}

// Told is how an act on the server, or a wait, was told to have come about: in words, how
// long it took in milliseconds, and where the log ended before. Down says why a server that was
// started to see whether it comes up did not.
type Told struct {
	Words string   `json:"words,omitempty"`
	Down  string   `json:"down,omitempty"`
	MS    int64    `json:"ms,omitempty"`
	Log   *LogMark `json:"log,omitempty"`
}

// Held is what became of a whole folder that was kept, copied or moved.
type Held struct {
	// Inside are results for what is in the folder, by path below it, where there is
	// something to say of it.
	Inside map[tree.Path]Result `json:"inside,omitempty"`
	// Copy is where the host keeps a copy that it has made itself.
	Copy tree.Path `json:"copy,omitempty"`
	// Of something inside: whether it is a folder too, and its permission bits.
	Folder bool   `json:"folder,omitempty"`
	Mode   uint32 `json:"mode,omitempty"`
}

// silent tells whether a result is empty.
func (r Result) silent() bool {
	return r.Bytes == Bytes{} && r.Told == Told{} && r.Inside == nil && r.Copy == "" && !r.Folder && r.Mode == 0 && r.Edited == nil && !r.Left && r.Kept == nil
}

// Edited is a text as it was written under its temporary name, out of the bytes
// with the digest Was.
type Edited struct {
	Was     tree.Digest  `json:"was"`
	WasSize int64        `json:"wasSize"`
	Digest  tree.Digest  `json:"digest"`
	Size    int64        `json:"size"`
	Edits   []draft.Edit `json:"edits"` // those that changed something, with their undos
	// Made is where the text lies as it was written, so that it can be compared and brought back
	// later. It is recorded in the same transaction.
	Made *stockroom.Kept `json:"-"`
}

// AllKept gives every content that was kept, those inside folders included.
func (r Result) AllKept() (out []stockroom.Kept) {
	if r.Kept != nil {
		out = append(out, *r.Kept)
	}
	if r.Edited != nil && r.Edited.Made != nil {
		out = append(out, *r.Edited.Made)
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
	Marks(ctx context.Context, deployment int64) (Marks, error)
}
