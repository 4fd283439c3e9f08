package tree

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
)

// Digest is the SHA-256 of some bytes. The zero value means "not known".
type Digest [sha256.Size]byte

// ParseDigest reads the 64 hexadecimal digits that [Digest.String] writes.
func ParseDigest(s string) (Digest, error) {
	var d Digest
	raw, err := hex.DecodeString(s)
	if err != nil || len(raw) != len(d) {
		return d, fmt.Errorf("%q is not a SHA-256 of 64 hexadecimal digits", s)
	}
	copy(d[:], raw)
	return d, nil
}

// Sum is the digest of b.
func Sum(b []byte) Digest { return sha256.Sum256(b) }

// SumAll reads r to its end and gives the digest and the number of bytes.
func SumAll(r io.Reader) (Digest, int64, error) {
	h := sha256.New()
	n, err := io.Copy(h, r)
	return Digest(h.Sum(nil)), n, err
}

// String is the digest in hexadecimal, empty where it is not known.
func (d Digest) String() string {
	if d.IsZero() {
		return ""
	}
	return hex.EncodeToString(d[:])
}

// Short is the first six hexadecimal digits: enough for a person to tell two apart.
func (d Digest) Short() string { return hex.EncodeToString(d[:3]) }

// Compare orders digests by their bytes.
func (d Digest) Compare(o Digest) int { return bytes.Compare(d[:], o[:]) }

// IsZero tells whether the digest is not known.
func (d Digest) IsZero() bool { return d == Digest{} }

// MarshalText writes what [ParseDigest] reads.
func (d Digest) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads what MarshalText wrote; empty is the unknown digest.
func (d *Digest) UnmarshalText(b []byte) error {
	if len(b) == 0 {
		*d = Digest{}
		return nil
	}
	got, err := ParseDigest(string(b))
	*d = got
	return err
}

// Being is what stands at a path. The zero value says nothing.
type Being uint8

// What can stand at a path.
const (
	Absent  Being = iota + 1 // nothing is there
	Unknown                  // something may be there; nobody has looked
	Folder
	Content // a file with bytes
	Foreign // a link, device or other thing that is never touched
)

var beings = [...]string{"", "absent", "unknown", "folder", "content", "foreign"}

// String is the word for it, as records have it.
func (b Being) String() string { return beings[b] }

// MarshalText writes the word.
func (b Being) MarshalText() ([]byte, error) { return []byte(beings[b]), nil }

// UnmarshalText reads the word.
func (b *Being) UnmarshalText(text []byte) error {
	i := slices.Index(beings[:], string(text))
	if i < 0 {
		return fmt.Errorf("nothing is called %q that can stand at a path", text)
	}
	*b = Being(i)
	return nil
}

// State is what stands at a path: its being and, for content, which bytes and
// which permission bits. Mode holds permission bits only (at most 0o777); 0
// means that the host has none. Time and owner are never part of it.
type State struct {
	Being  Being  `json:"being"`
	Digest Digest `json:"digest,omitzero"`
	Size   int64  `json:"size,omitempty"`
	Mode   uint32 `json:"mode,omitempty"`
}

// Nothing is the state of a path where nothing stands.
var Nothing = State{Being: Absent}

// Same tells whether two states are one and the same by the terms in which
// "old" and "new" are defined: existence, type, bytes, and permission bits
// where both hosts have them.
func (s State) Same(t State) bool {
	if s.Being != t.Being {
		return false
	}
	if s.Being != Content {
		return s.Being == Absent || s.Being == Folder
	}
	return s.Digest == t.Digest && s.Size == t.Size && (s.Mode == t.Mode || s.Mode == 0 || t.Mode == 0)
}

// SameBytes is [State.Same] without the permission bits.
func (s State) SameBytes(t State) bool {
	s.Mode, t.Mode = 0, 0
	return s.Same(t)
}

// String says the state in a few words.
func (s State) String() string {
	if s.Being == Content {
		return fmt.Sprintf("content %s, %d bytes", s.Digest.Short(), s.Size)
	}
	return s.Being.String()
}

// Entry is one thing in an archive's or a folder's listing: a file or an
// (explicit) folder. Exec tells whether the archive marks it executable.
type Entry struct {
	Path   Path   `json:"path"`
	Dir    bool   `json:"dir,omitempty"`
	Size   int64  `json:"size,omitempty"`
	Digest Digest `json:"digest,omitzero"`
	Exec   bool   `json:"exec,omitempty"`
}
