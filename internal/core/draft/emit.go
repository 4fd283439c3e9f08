package draft

import (
	"cmp"
	"maps"
	"slices"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// oneIn is the sample rate of proofs: of so many sent files one is read back and hashed.
const oneIn = 20

// smallProof is what is read back though fewer than twenty files are sent.
const smallProof = 1 << 20

// plainProof is what is read back over plain FTP.
const plainProof = 64 << 10

// emitter numbers steps and motions as they are added.
type emitter struct {
	d     *Draft
	group int
	name  func(id int, kind MotionKind, p tree.Path) string // of a temporary file
}

func (e *emitter) step(s Step) *Step {
	s.ID, s.Leg = len(e.d.Steps)+1, max(1, e.d.Legs)
	e.d.Steps = append(e.d.Steps, s)
	return &e.d.Steps[len(e.d.Steps)-1]
}

func (e *emitter) motion(s *Step, m Motion) Motion {
	m.ID, m.Leg, m.Group, m.Phase, m.Step = e.d.Motions.Len()+1, max(1, e.d.Legs), e.group, s.Phase, s.ID
	if m.Temp == "" && (m.Kind == SendMotion || m.Kind == AsideMotion || m.Kind == EditMotion) {
		m.Temp = e.name(m.ID, m.Kind, m.Path)
	}
	s.Motions = append(s.Motions, m.ID)
	if m.place > 0 {
		e.d.Motions.AddAbout(m.place-1, m)
	} else {
		e.d.Motions.Add(m)
	}
	return m
}

// emit writes the steps and motions. The order of groups is what makes every
// motion decidable: keeps, sends, asides, folders from the outside in, the
// renames in, folders that go from the inside out, and after the record the
// tidying. A group begins only once the one before it is wholly recorded.
func emit(r running, d *Draft) emitting {
	m := emitting{running: r, d: d}
	d.Changes, d.Deferred, d.Launches, d.Sets = m.all, m.deferred, m.later, m.sets
	d.Moves = m.req.Moves
	d.Counts.Same += m.same
	d.Counts.Edited += len(m.edits)
	m.spare()
	m.sortChanges()
	m.wholes()
	m.beginMotions()
	e := &emitter{d: m.d, group: 1, name: m.tempName}
	if n := m.d.Motions.Len(); n > 0 { // behind an earlier leg
		e.group = m.d.Motions.At(n-1).Group + 1
	}
	for _, c := range m.changes {
		if c.keep != "" {
			s := e.step(Step{Phase: Prepare, Verb: Keep, Path: c.Path, Reason: c.keep, Bytes: c.Before.Size})
			e.motion(s, Motion{Kind: KeepMotion, Path: c.Path, Before: c.Before, place: c.at + 1})
			m.d.Counts.Keep += c.Before.Size
		}
	}
	m.accepting(e)
	m.takingIn(e)
	e.group++
	sent := make([]string, len(m.changes)) // the temporary names of what is sent
	proved := m.proved()
	for i, c := range m.changes {
		m.count(c)
		if c.After.Being != tree.Content {
			continue
		}
		s := e.step(Step{Phase: Prepare, Verb: Put, Path: c.Path, Reason: c.reason, Bytes: c.After.Size})
		_, temp, _ := wholeOf(c.Path, m.wholeIn)
		mo := e.motion(s, Motion{Kind: SendMotion, Path: c.Path, Temp: temp, After: c.After, Proved: proved[c.Path], place: c.at + 1})
		sent[i] = mo.Temp
	}
	for _, x := range m.edits {
		m.d.Counts.Send += x.After.Size
	}
	m.askHands(e, Prepare)
	m.stopIt(e)
	m.data(e)
	m.renew(e)
	m.moves(e)
	asides := m.swap(e, sent)
	m.startIt(e)
	m.tidy(e, asides)
	return m
}

// proved chooses the files that are read back and hashed once they are sent: of
// every twenty the smallest, and of a last few that are fewer only a small one,
// since a large file that comes alone would take twice the time. Plain FTP has no
// checksum on its way, so every small file is read back there until a test has proved
// the way to be fit for any bytes; all are where a person wants that, or where a test
// has proved that it is not.
func (m *emitting) proved() map[tree.Path]bool {
	out := map[tree.Path]bool{}
	var some []*Change
	choose := func() {
		if len(some) == 0 {
			return
		}
		least := slices.MinFunc(some, func(a, b *Change) int { return cmp.Compare(a.After.Size, b.After.Size) })
		if len(some) == oneIn || least.After.Size <= smallProof {
			out[least.Path] = true
		}
		some = some[:0]
	}
	for _, c := range m.changes {
		if c.After.Being != tree.Content {
			continue
		}
		if m.req.Thorough || m.req.Host.Unclean || m.req.Host.Plain && c.After.Size < plainProof {
			out[c.Path] = true
		}
		if some = append(some, c.Change); len(some) == oneIn {
			choose()
		}
	}
	choose()
	return out
}

// tidy emits the third phase: what was set aside goes, files first, then the
// folders they stood in from the inside out.
func (m *emitting) tidy(e *emitter, asides []int) {
	if len(asides) == 0 {
		return
	}
	e.group++
	type part struct { // of a folder that was set aside whole
		change change
		temp   string
	}
	var parts []part
	for _, c := range m.changes {
		if _, temp, whole := wholeOf(c.Path, m.wholeOut); whole && c.Before.Being == tree.Content {
			parts = append(parts, part{c, temp})
		}
	}
	files := len(parts)
	for _, id := range asides {
		if !e.d.Motions.At(id - 1).Whole() {
			files++
		}
	}
	s := e.step(Step{Phase: Proof, Verb: Tidy, What: words.Count(files, "old file") + " set aside", Reason: "only after every path was looked at again; the bytes stay in the stockroom"})
	again := func(a Motion) Motion {
		return Motion{Kind: TidyMotion, Path: a.Path, Temp: a.Temp, Before: a.Before, Seen: a.Seen, place: a.place}
	}
	var folders []Motion
	for _, id := range asides {
		if a := e.d.Motions.At(id - 1); a.Whole() {
			folders = append(folders, again(a))
		} else {
			e.motion(s, again(a))
		}
	}
	for _, p := range parts {
		e.motion(s, Motion{Kind: TidyMotion, Path: p.change.Path, Temp: p.temp, Before: p.change.Before, Seen: p.change.seen, place: p.change.at + 1})
	}
	for f := range m.dropped {
		if _, temp, whole := wholeOf(f, m.wholeOut); whole {
			folders = append(folders, Motion{Kind: TidyMotion, Path: f, Temp: temp, Before: m.obs.At(f).State})
		}
	}
	slices.SortFunc(folders, func(a, b Motion) int { return byDepth(b.Path, a.Path) })
	for i, f := range folders {
		if i == 0 || f.Path.Depth() != folders[i-1].Path.Depth() {
			e.group++
		}
		e.motion(s, f)
	}
}

// swap emits the second phase and gives the numbers of its aside motions.
func (m *emitting) swap(e *emitter, sent []string) (asides []int) {
	texts, steps := m.writeTexts(e)
	unsent := 0
	for _, temp := range sent {
		if temp == "" {
			unsent++
		}
	}
	var move *Step
	moveID := 0
	if files := len(sent) - unsent; files > 0 || len(m.folders) > 0 {
		what := words.Count(files, "file") + " into place"
		if n := len(m.folders); n > 0 {
			what += ", " + words.Count(n, "folder") + " made"
		}
		move = e.step(Step{Phase: Swap, Verb: Move, What: what, Reason: m.how()})
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
	asides = m.foldersOut(e, removes)
	for i, x := range m.edits {
		if x.Before.Being == tree.Content {
			asides = append(asides, e.motion(at(steps[i]), Motion{Kind: AsideMotion, Path: x.Path, Before: x.Before, Seen: m.obs.At(x.Path).Modified}).ID)
		}
	}
	for _, c := range m.changes {
		if c.Before.Being != tree.Content || m.goesAlong(c.Path, m.wholeOut) {
			continue
		}
		id := moveID
		if r, ok := removes[c.Path]; ok {
			id = r
		}
		asides = append(asides, e.motion(at(id), Motion{Kind: AsideMotion, Path: c.Path, Before: c.Before, Seen: c.seen, place: c.at + 1}).ID)
	}
	depth := -1
	for _, f := range slices.SortedFunc(maps.Keys(m.folders), byDepth) {
		if _, whole := m.wholeIn[f]; whole || m.goesAlong(f, m.wholeIn) {
			continue
		}
		if f.Depth() != depth {
			depth = f.Depth()
			e.group++
		}
		e.motion(at(moveID), Motion{Kind: InMotion, Path: f, Before: tree.Nothing, After: m.folderState(f)})
	}
	e.group++
	for _, f := range slices.Sorted(maps.Keys(m.wholeIn)) {
		e.motion(at(moveID), Motion{Kind: InMotion, Path: f, Temp: m.wholeIn[f], Before: tree.Nothing, After: m.folderState(f)})
	}
	for i, c := range m.changes {
		if sent[i] == "" || m.goesAlong(c.Path, m.wholeIn) {
			continue
		}
		e.motion(at(moveID), Motion{Kind: InMotion, Path: c.Path, Temp: sent[i], Before: c.Before, After: c.After, place: c.at + 1})
	}
	for i, x := range m.edits {
		if x.After.Being == tree.Content {
			e.motion(at(steps[i]), Motion{Kind: InMotion, Path: x.Path, Temp: texts[x.Path], Before: x.Before, After: x.After})
		}
	}
	m.foldersDrop(e)
	return asides
}

// writeTexts emits, before anything is swapped, the writing of edited texts: each
// is read again then, and one that no longer takes its edits leaves all as it is.
func (m *emitting) writeTexts(e *emitter) (temps map[tree.Path]string, steps []int) {
	temps = map[tree.Path]string{}
	e.group++
	for _, x := range m.edits {
		s := e.step(Step{Phase: Swap, Verb: EditText, Path: x.Path, Reason: x.reason, Bytes: x.After.Size, Diff: x.diff})
		steps = append(steps, s.ID)
		if x.After.Being == tree.Content {
			temps[x.Path] = e.motion(s, Motion{Kind: EditMotion, Path: x.Path, Before: x.Before, After: x.After}).Temp
		}
	}
	return temps, steps
}

// how tells in what way files come into place.
func (m *emitting) how() string {
	single := slices.ContainsFunc(m.changes, func(c change) bool {
		return c.After.Being == tree.Content && !m.goesAlong(c.Path, m.wholeIn)
	})
	switch {
	case len(m.wholeIn) == 0:
		return "by renaming: the old one aside, then the new one in"
	case single:
		return "by renaming: a new folder with everything in it; an old file aside, then the new one in"
	}
	return "by renaming each new folder, with everything in it"
}

// foldersOut sets whole folders aside. Every file in one has a step of its own
// that says why it goes; the motion is theirs together.
func (m *emitting) foldersOut(e *emitter, removes map[tree.Path]int) (asides []int) {
	for _, f := range m.inside(m.dropped) {
		if _, whole := m.wholeOut[f]; whole || m.goesAlong(f, m.wholeOut) {
			removes[f] = e.step(Step{Phase: Swap, Verb: Remove, Path: f, Reason: "folder, " + m.maybe[f]}).ID
		}
	}
	together := map[tree.Path][]tree.Path{} // what goes along, by the whole folder
	for _, p := range slices.Sorted(maps.Keys(removes)) {
		if f, _, whole := wholeOf(p, m.wholeOut); whole {
			together[f] = append(together[f], p)
		}
	}
	for _, f := range slices.Sorted(maps.Keys(m.wholeOut)) {
		a := e.motion(&e.d.Steps[removes[f]-1], Motion{Kind: AsideMotion, Path: f, Temp: m.wholeOut[f], Before: m.obs.At(f).State})
		for _, p := range together[f] {
			at := &e.d.Steps[removes[p]-1]
			at.Motions = append(at.Motions, a.ID)
		}
		asides = append(asides, a.ID)
	}
	return asides
}

// foldersDrop removes folders that have become empty, from the inside out.
func (m *emitting) foldersDrop(e *emitter) {
	depth := -1
	for _, f := range m.inside(m.dropped) {
		if _, whole := m.wholeOut[f]; whole || m.goesAlong(f, m.wholeOut) {
			continue
		}
		if f.Depth() != depth {
			depth = f.Depth()
			e.group++
		}
		s := e.step(Step{Phase: Swap, Verb: Remove, Path: f, Reason: "folder, " + m.maybe[f]})
		e.motion(s, Motion{Kind: DropMotion, Path: f, Before: m.obs.At(f).State})
	}
}

// inside lists folders, the innermost first.
func (m *emitting) inside(folders map[tree.Path]bool) []tree.Path {
	return slices.SortedFunc(maps.Keys(folders), func(a, b tree.Path) int { return byDepth(b, a) })
}

// goesAlong tells whether a path is moved with a whole folder above it.
func (m *emitting) goesAlong(p tree.Path, names map[tree.Path]string) bool {
	if len(names) == 0 {
		return false
	}
	for up := p.Dir(); up != tree.Root; up = up.Dir() {
		if _, found := names[up]; found {
			return true
		}
	}
	return false
}

func (m *emitting) count(c change) {
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
