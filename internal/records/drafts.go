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
	"restlesscrate/internal/core/tree"
)

// A draft is kept in four parts: its outline as JSON, and its changes, steps and motions
// each as zstd of one JSON value a line. A motion names its path, and the states that are
// those of its change, by the change's place: with the digests written once, a long draft
// is a third as long.
type parts struct{ changes, steps, motions, ahead []byte }

// keptMotion is a motion as it is kept.
type keptMotion struct {
	draft.Motion
	Change int `json:"c,omitempty"` // the place of its path among the changes, from 1; its path is empty then
	States int `json:"s,omitempty"` // which of its states are the change's: a sum of the four below
}

const (
	beforeIsBefore = 1 << iota
	beforeIsAfter
	afterIsAfter
	afterIsBefore
)

// pack writes the long parts of a draft.
func pack(d *draft.Draft) parts {
	places := make(map[tree.Path]int, len(d.Changes))
	for i, c := range d.Changes {
		places[c.Path] = i + 1
	}
	short := func(m *keptMotion) {
		i, ok := places[m.Path]
		if !ok {
			return
		}
		c := &d.Changes[i-1]
		m.Change, m.Path = i, ""
		give := func(s *tree.State, from tree.State, bit int) {
			if *s != (tree.State{}) && *s == from {
				m.States, *s = m.States|bit, tree.State{}
			}
		}
		give(&m.Before, c.Before, beforeIsBefore)
		give(&m.Before, c.After, beforeIsAfter)
		give(&m.After, c.After, afterIsAfter)
		give(&m.After, c.Before, afterIsBefore)
	}
	var p parts
	var g sync.WaitGroup // they take about as long as each other
	g.Go(func() { p.motions = packMotions(d.Motions, short) })
	g.Go(func() {
		p.changes = packLines(d.Changes, func(b []byte, c *draft.Change) []byte { return c.AppendJSON(b) })
	})
	p.steps = packLines(d.Steps, func(b []byte, s *draft.Step) []byte { return s.AppendJSON(b) })
	p.ahead = zipped(d.Ahead())
	g.Wait()
	return p
}

// unpack reads the parts that are there into d; motions need the changes. n is how many
// motions there are.
func (p parts) unpack(d *draft.Draft, n int) error {
	same := words{}
	var err error
	d.Changes, err = unpackLines(p.changes, 0, func(c *draft.Change, kept *draft.Change) error {
		*c = *kept
		for _, list := range [][]draft.Claim{c.ClaimsBefore, c.ClaimsAfter} {
			for i := range list {
				same.text(&list[i].Addon)
				same.text(&list[i].Label)
				sameWord(same, &list[i].Role)
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("read the changes of a draft: %w", err)
	}
	d.Steps, err = unpackLines(p.steps, 0, func(s *draft.Step, kept *draft.Step) error {
		*s = *kept
		sameWord(same, &s.Verb)
		same.text(&s.Reason)
		return nil
	})
	if err != nil {
		return fmt.Errorf("read the steps of a draft: %w", err)
	}
	if err := p.unpackMotions(d, n); err != nil {
		return fmt.Errorf("read the motions of a draft: %w", err)
	}
	return nil
}

func (p parts) unpackMotions(d *draft.Draft, n int) error {
	d.Motions = draft.Motions{}
	if len(p.motions) == 0 {
		return nil
	}
	d.Motions.Begin(d.Changes, n)
	return unpackEach(p.motions, func(kept *keptMotion) error {
		m := kept.Motion
		if kept.Change < 0 || kept.Change > len(d.Changes) {
			return fmt.Errorf("motion %d is about change %d of %d", m.ID, kept.Change, len(d.Changes))
		}
		if kept.Change == 0 {
			d.Motions.Add(m)
			return nil
		}
		c := &d.Changes[kept.Change-1]
		m.Path = c.Path
		switch {
		case kept.States&beforeIsBefore != 0:
			m.Before = c.Before
		case kept.States&beforeIsAfter != 0:
			m.Before = c.After
		}
		switch {
		case kept.States&afterIsAfter != 0:
			m.After = c.After
		case kept.States&afterIsBefore != 0:
			m.After = c.Before
		}
		d.Motions.AddAbout(kept.Change-1, m)
		return nil
	})
}

// packMotions packs motions, each shortened first; an empty list is nil.
func packMotions(l draft.Motions, short func(*keptMotion)) []byte {
	if l.Len() == 0 {
		return nil
	}
	return always(zstdOf(func(w io.Writer) error {
		var line []byte
		for m := range l.All() {
			kept := keptMotion{Motion: m}
			short(&kept)
			line = kept.AppendJSON(line[:0])
			if kept.Change > 0 {
				line = fmt.Appendf(line[:len(line)-1], `,"c":%d,"s":%d}`, kept.Change, kept.States)
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
	return always(zstdOf(func(w io.Writer) error {
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

// unpackLines reads what packLines wrote, about n entries; nil where nothing was.
func unpackLines[T, K any](raw []byte, n int, take func(entry *T, kept *K) error) ([]T, error) {
	if len(raw) == 0 {
		return nil, nil
	}
	out := make([]T, 0, n)
	err := unpackEach(raw, func(kept *K) error {
		var entry T
		if err := take(&entry, kept); err != nil {
			return err
		}
		out = append(out, entry)
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
