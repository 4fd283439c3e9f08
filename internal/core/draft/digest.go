package draft

import (
	"bufio"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"hash/fnv"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// Digest names the draft: the same request and the same observations give the
// same digest. A file that was only touched since has the same bytes, so its
// time does not count, and neither does how much a data folder holds that the
// server goes on writing. It is the SHA-256 of the rest as JSON, which is written
// entry by entry: a long draft is in memory once.
func (d *Draft) Digest() tree.Digest {
	rest := d.Outline
	rest.LookedAt = 0
	rest.Findings = slices.DeleteFunc(slices.Clone(d.Findings), func(f finding.Finding) bool { return f.Code == swapTime || f.Code == OwnDisk || f.Code == "away" })
	for _, s := range d.Steps {
		if s.Verb == CopyData {
			rest.Counts.Keep -= s.Bytes
		}
	}
	rest.Counts.Copied = 0

	sum := sha256.New()
	w := bufio.NewWriterSize(sum, 1<<16)
	say(w, `{"changes":`)
	writeList(w, d.Changes, func(b []byte, c *Change) []byte { return c.AppendJSON(b) })
	say(w, `,"steps":`)
	writeList(w, d.Steps, func(b []byte, s *Step) []byte {
		if s.Verb == CopyData {
			still := *s
			still.What, still.Bytes = "", 0
			s = &still
		}
		return s.AppendJSON(b)
	})
	say(w, `,"motions":`)
	writeMotions(w, d.Motions)
	say(w, `,`)
	must(w.Write(appendAny(nil, rest)[1:])) // the rest of the object that was begun
	must(0, w.Flush())
	return tree.Digest(sum.Sum(nil))
}

// Passing is a checksum of what the digest leaves out of steps and motions: two drafts
// with the same digest and the same Passing differ in their outline at most.
func (d *Draft) Passing() uint64 {
	sum := fnv.New64a()
	var b []byte
	for at := range d.Motions.Len() {
		b = binary.AppendVarint(b[:0], d.Motions.modifiedAt(at))
		must(sum.Write(b))
	}
	for _, s := range d.Steps {
		if s.Verb == CopyData {
			b = binary.AppendVarint(append(b[:0], s.What...), s.Bytes)
			must(sum.Write(b))
		}
	}
	return sum.Sum64()
}

func say(w *bufio.Writer, s string) { must(w.WriteString(s)) }

func must(_ int, err error) {
	if err != nil {
		panic(fmt.Sprintf("a hash takes no bytes: %v", err))
	}
}

// writeMotions writes motions as encoding/json would, without the times of files.
func writeMotions(w *bufio.Writer, l Motions) {
	if l.Len() == 0 {
		say(w, "null")
		return
	}
	var one []byte
	sep := "["
	for m := range l.All() {
		m.Seen = 0
		say(w, sep)
		one = m.AppendJSON(one[:0])
		must(w.Write(one))
		sep = ","
	}
	say(w, "]")
}

// writeList writes a list as encoding/json would.
func writeList[T any](w *bufio.Writer, list []T, entry func([]byte, *T) []byte) {
	if list == nil {
		say(w, "null")
		return
	}
	say(w, "[")
	var one []byte
	for i := range list {
		if i > 0 {
			say(w, ",")
		}
		one = entry(one[:0], &list[i])
		must(w.Write(one))
	}
	say(w, "]")
}
