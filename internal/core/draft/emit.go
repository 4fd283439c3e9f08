package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// oneIn is how many sent files share one that is read back and hashed.
const oneIn = 20

// emitter numbers steps and motions as they are added.
type emitter struct {
	d     *Draft
	group int
}

func (e *emitter) step(s Step) *Step {
	s.ID = len(e.d.Steps) + 1
	e.d.Steps = append(e.d.Steps, s)
	return &e.d.Steps[len(e.d.Steps)-1]
}

func (e *emitter) motion(s *Step, m Motion) Motion {
	m.ID, m.Leg, m.Group, m.Phase, m.Step = len(e.d.Motions)+1, 1, e.group, s.Phase, s.ID
	if m.Temp == "" && (m.Kind == SendMotion || m.Kind == AsideMotion) {
		m.Temp = fmt.Sprintf("%d.%s", m.ID, map[MotionKind]string{SendMotion: "in", AsideMotion: "out"}[m.Kind])
	}
	s.Motions = append(s.Motions, m.ID)
	e.d.Motions = append(e.d.Motions, m)
	return m
}

// emit writes the steps and motions. The order of groups is what makes every
// motion decidable: keeps, sends, asides, folders from the outside in, the
// renames in, folders that go from the inside out, and after the record the
// tidying. A group begins only once the one before it is wholly recorded.
func (m *maker) emit() {
	slices.SortFunc(m.changes, func(a, b change) int { return strings.Compare(string(a.Path), string(b.Path)) })
	e := &emitter{d: m.d, group: 1}
	for _, c := range m.changes {
		if c.keep != "" {
			s := e.step(Step{Phase: Prepare, Verb: Keep, Path: c.Path, Reason: c.keep, Bytes: c.Before.Size})
			e.motion(s, Motion{Kind: KeepMotion, Path: c.Path, Before: c.Before})
			m.d.Counts.Keep += c.Before.Size
		}
	}
	e.group++
	sent := map[tree.Path]string{}
	for _, c := range m.changes {
		m.count(c)
		if c.After.Being != tree.Content {
			continue
		}
		s := e.step(Step{Phase: Prepare, Verb: Put, Path: c.Path, Reason: c.reason, Bytes: c.After.Size})
		mo := e.motion(s, Motion{Kind: SendMotion, Path: c.Path, After: c.After, Proved: len(sent)%oneIn == 0})
		sent[c.Path] = mo.Temp
	}
	asides := m.swap(e, sent)
	e.group++
	if len(asides) == 0 {
		return
	}
	s := e.step(Step{Phase: Proof, Verb: Tidy, What: plural(len(asides), "old file") + " set aside", Reason: "only after every path was looked at again; the bytes stay in the stockroom"})
	for _, a := range asides {
		e.motion(s, Motion{Kind: TidyMotion, Path: a.Path, Temp: a.Temp, Before: a.Before})
	}
}

// swap emits the second phase and returns its aside motions.
func (m *maker) swap(e *emitter, sent map[tree.Path]string) (asides []Motion) {
	var move *Step
	moveID := 0
	if len(sent) > 0 || len(m.folders) > 0 {
		what := plural(len(sent), "file") + " into place"
		if n := len(m.folders); n > 0 {
			what += ", " + plural(n, "folder") + " made"
		}
		move = e.step(Step{Phase: Swap, Verb: Move, What: what, Reason: "by renaming: the old one aside, then the new one in"})
		moveID = move.ID
	}
	removes := map[tree.Path]int{}
	for _, c := range m.changes {
		if c.After.Being == tree.Absent {
			removes[c.Path] = e.step(Step{Phase: Swap, Verb: Remove, Path: c.Path, Reason: c.reason}).ID
		}
	}
	at := func(id int) *Step { return &e.d.Steps[id-1] }
	e.group++
	for _, c := range m.changes {
		if c.Before.Being != tree.Content {
			continue
		}
		id := moveID
		if r, ok := removes[c.Path]; ok {
			id = r
		}
		asides = append(asides, e.motion(at(id), Motion{Kind: AsideMotion, Path: c.Path, Before: c.Before, Seen: m.obs.At(c.Path).Modified}))
	}
	depth := -1
	for _, f := range slices.SortedFunc(maps.Keys(m.folders), byDepth) {
		if f.Depth() != depth {
			depth = f.Depth()
			e.group++
		}
		e.motion(at(moveID), Motion{Kind: InMotion, Path: f, Before: tree.Nothing, After: m.modes(tree.State{Being: tree.Folder, Mode: 0o755})})
	}
	e.group++
	for _, c := range m.changes {
		if temp, ok := sent[c.Path]; ok {
			e.motion(at(moveID), Motion{Kind: InMotion, Path: c.Path, Temp: temp, Before: c.Before, After: c.After})
		}
	}
	depth = -1
	for _, f := range slices.SortedFunc(maps.Keys(m.dropped), func(a, b tree.Path) int { return byDepth(b, a) }) {
		if f.Depth() != depth {
			depth = f.Depth()
			e.group++
		}
		s := e.step(Step{Phase: Swap, Verb: Remove, Path: f, Reason: "folder, " + m.maybe[f]})
		e.motion(s, Motion{Kind: DropMotion, Path: f, Before: m.obs.At(f).State})
	}
	return asides
}

func (m *maker) count(c change) {
	n := &m.d.Counts
	switch {
	case c.After.Being == tree.Absent:
		n.Out++
	case c.Before.Being == tree.Content:
		n.Changed++
	default:
		n.In++
	}
	if c.After.Being == tree.Content {
		n.Send += c.After.Size
	}
}

func plural(n int, thing string) string {
	if n == 1 {
		return "1 " + thing
	}
	return fmt.Sprintf("%d %ss", n, thing)
}
