package records

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sync"

	"github.com/klauspost/compress/zstd"

	"restlesscrate/internal/core/draft"
)

// A draft is kept in four parts: its outline as JSON, and its changes, steps and motions
// each as zstd of one JSON value a line. A motion names its path, and the states that are
// those of its change, by the change's place: with the digests written once, a long draft
// is a third as long.
type parts struct{ changes, steps, motions, ahead []byte }

// keptMotion is a motion as it is kept; see [draft.Motions.Short].
type keptMotion struct {
	draft.Motion
	Change int `json:"c,omitempty"`
	States int `json:"s,omitempty"`
}

// pack writes the long parts of a draft, each change as seal gives it.
func pack(d *draft.Draft, seal func(draft.Change) (draft.Change, error)) (parts, error) {
	if !d.Motions.About(d.Changes) { // their places would be those of others
		based := *d
		based.Rebase()
		d = &based
	}
	var p parts
	var g sync.WaitGroup // they take about as long as each other
	g.Go(func() { p.motions = packMotions(d.Motions) })
	var wrong error
	g.Go(func() {
		p.changes = packLines(d.Changes, func(b []byte, c *draft.Change) []byte {
			kept := c
			if len(c.Edits)+len(c.TweaksBefore)+len(c.TweaksAfter) > 0 {
				sealed, err := seal(*c)
				if err != nil {
					wrong = err
					return b
				}
				kept = &sealed
			}
			return kept.AppendJSON(b)
		})
	})
	p.steps = packLines(d.Steps, func(b []byte, s *draft.Step) []byte { return s.AppendJSON(b) })
	p.ahead = zipped(d.Ahead())
	g.Wait()
	return p, wrong
}

// unpack reads the parts that are there into d, each change opened; motions need the changes.
// n is how many motions there are.
func (p parts) unpack(d *draft.Draft, n int, open func(*draft.Change)) error {
	same := words{}
	var err error
	d.Changes, err = unpackLines(p.changes, func(c *draft.Change) {
		open(c)
		for _, list := range [][]draft.Claim{c.ClaimsBefore, c.ClaimsAfter} {
			for i := range list {
				same.text(&list[i].Addon)
				same.text(&list[i].Label)
				sameWord(same, &list[i].Role)
			}
		}
	})
	if err != nil {
		return fmt.Errorf("read the changes of a draft: %w", err)
	}
	d.Steps, err = unpackLines(p.steps, func(s *draft.Step) {
		sameWord(same, &s.Verb)
		same.text(&s.Reason)
	})
	if err != nil {
		return fmt.Errorf("read the steps of a draft: %w", err)
	}
	d.Motions = draft.Motions{}
	if len(p.motions) == 0 {
		return nil
	}
	d.Motions.Begin(d.Changes, n)
	err = unpackEach(p.motions, func(m *keptMotion) error { return d.Motions.AddShort(m.Motion, m.Change, m.States) })
	if err != nil {
		return fmt.Errorf("read the motions of a draft: %w", err)
	}
	return nil
}

// packMotions packs motions; an empty list is nil.
func packMotions(l draft.Motions) []byte {
	if l.Len() == 0 {
		return nil
	}
	return mustZip(zstdOf(func(w io.Writer) error {
		var line []byte
		for at := range l.Len() {
			m, change, states := l.Short(at)
			line = m.AppendJSON(line[:0])
			if change > 0 {
				line = fmt.Appendf(line[:len(line)-1], `,"c":%d,"s":%d}`, change, states)
			}
			if _, err := w.Write(append(line, '\n')); err != nil {
				return err
			}
		}
		return nil
	}))
}

// packLines packs a list, each entry as a line that entry appends; a nil list is nil.
func packLines[T any](list []T, entry func([]byte, *T) []byte) []byte {
	if list == nil {
		return nil
	}
	return mustZip(zstdOf(func(w io.Writer) error {
		var line []byte
		for i := range list {
			line = append(entry(line[:0], &list[i]), '\n')
			if _, err := w.Write(line); err != nil {
				return err
			}
		}
		return nil
	}))
}

// unpackLines reads what packLines wrote, each entry through look; nil where nothing was.
func unpackLines[T any](raw []byte, look func(*T)) ([]T, error) {
	if len(raw) == 0 {
		return nil, nil
	}
	out := []T{}
	err := unpackEach(raw, func(entry *T) error {
		look(entry)
		out = append(out, *entry)
		return nil
	})
	return out, err
}

// unpackEach reads values that were packed one a line; a list of them, as earlier
// versions wrote, is read as well.
func unpackEach[K any](raw []byte, do func(*K) error) error {
	r, err := zstd.NewReader(bytes.NewReader(raw), zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true))
	if err != nil {
		return err
	}
	defer r.Close()
	text := bufio.NewReader(r)
	if start, err := text.Peek(1); err == nil && start[0] == '[' {
		var list []K
		if err := json.NewDecoder(text).Decode(&list); err != nil {
			return err
		}
		for i := range list {
			if err := do(&list[i]); err != nil {
				return err
			}
		}
		return nil
	}
	for lines := json.NewDecoder(text); ; {
		var kept K
		switch err := lines.Decode(&kept); {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil:
			return err
		}
		if err := do(&kept); err != nil {
			return err
		}
	}
}

// words keeps one copy of every text that comes again and again.
type words map[string]string

// most is how many texts are remembered: beyond it they hardly come again.
const most = 10_000

func (w words) text(s *string) {
	if one, ok := w[*s]; ok {
		*s = one
	} else if len(w) < most {
		w[*s] = *s
	}
}

func sameWord[S ~string](w words, s *S) {
	text := string(*s)
	w.text(&text)
	*s = S(text)
}
