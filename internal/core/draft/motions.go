package draft

import (
	"encoding/json"
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Motions is a list of motions, in journal order. A long deployment has hundreds of
// thousands of them, and nearly all say what their change says: of those the list holds
// the place of the change, and a few numbers. What it is asked for it makes anew. The
// zero value is an empty list; [Motions.Begin] tells it the changes before any is added.
//
// Reading is safe for several callers at a time; adding is not, and a copy of the list
// shares what was added before it was made.
type Motions struct {
	changes []Change // sorted by path; the list never changes them
	list    []brief
	temps   []string       // temporary names that do not follow from a number
	odd     map[int]Motion // those that say more, by their place
}

// brief is a motion as the list holds it.
type brief struct {
	seen        int64
	change      int32 // the place of its change; -1: it is odd
	group, step int32
	temp        int32 // what its temporary name is made from
	leg         uint16
	kind        MotionKind
	phase       Phase
	named       naming
	bits        uint8 // which states it has, and whether it is proved
}

// naming is the scheme of a temporary name.
type naming uint8

const (
	unnamed    naming = iota
	asIncoming        // in-A/N
	asOutgoing        // out-A/N
	asWritten         // a place in temps
)

// The bits of a motion. All but the last are on disk.
const (
	fromBefore = 1 << iota // Before is the change's before
	fromAfter              // Before is the change's after
	toAfter                // After is the change's after
	toBefore               // After is the change's before
	wasProved
)

// Begin tells the list what its motions will be about, and about how many they will be.
// Changes are sorted by path. It must be empty.
func (l *Motions) Begin(changes []Change, n int) {
	l.changes, l.list = changes, make([]brief, 0, n)
}

// MotionsOf makes a list of some motions about some changes, which are sorted by path.
func MotionsOf(changes []Change, all ...Motion) (l Motions) {
	l.Begin(changes, len(all))
	for _, m := range all {
		l.Add(m)
	}
	return l
}

// Len is the number of motions.
func (l Motions) Len() int { return len(l.list) }

// Add appends a motion.
func (l *Motions) Add(m Motion) {
	place, found := slices.BinarySearchFunc(l.changes, m.Path, func(c Change, p tree.Path) int { return strings.Compare(string(c.Path), string(p)) })
	if !found {
		place = -1
	}
	l.AddAbout(place, m)
}

// AddAbout is Add for a caller that knows the index of the motion's change; -1 for none.
func (l *Motions) AddAbout(place int, m Motion) {
	l.list = append(l.list, brief{})
	l.set(len(l.list)-1, place, m)
}

// Alter changes the motion at a place, but not its path.
func (l *Motions) Alter(at int, change func(*Motion)) {
	m := l.At(at)
	change(&m)
	l.set(at, m.place-1, m)
}

// set puts a motion at a place, whose change is at the place change, or -1.
func (l *Motions) set(at, change int, m Motion) {
	delete(l.odd, at)
	b, ok := l.brief(at, change, m)
	if !ok {
		b = brief{change: -1, group: int32(m.Group), phase: m.Phase, kind: m.Kind}
		if l.odd == nil {
			l.odd = map[int]Motion{}
		}
		l.odd[at] = m
	}
	l.list[at] = b
}

// brief gives a motion as the list holds it; ok is false where it says more.
func (l *Motions) brief(at, change int, m Motion) (b brief, ok bool) {
	if change < 0 || m.ID != at+1 || m.OnHost || m.Do != "" || m.Subject != "" || m.With != nil || m.Back != "" || m.Ran ||
		int(int32(m.Group)) != m.Group || int(int32(m.Step)) != m.Step || int(uint16(m.Leg)) != m.Leg || l.changes[change].Path != m.Path {
		return b, false
	}
	b = brief{seen: m.Seen, change: int32(change), group: int32(m.Group), step: int32(m.Step), leg: uint16(m.Leg), kind: m.Kind, phase: m.Phase}
	c := &l.changes[change]
	switch m.Before {
	case tree.State{}:
	case c.Before:
		b.bits |= fromBefore
	case c.After:
		b.bits |= fromAfter
	default:
		return b, false
	}
	switch m.After {
	case tree.State{}:
	case c.After:
		b.bits |= toAfter
	case c.Before:
		b.bits |= toBefore
	default:
		return b, false
	}
	if m.Proved {
		b.bits |= wasProved
	}
	switch how, n := namedBy(m.Temp); {
	case m.Temp == "":
	case how != unnamed:
		b.named, b.temp = how, n
	default:
		b.named, b.temp = asWritten, int32(len(l.temps))
		l.temps = append(l.temps, m.Temp)
	}
	return b, true
}

// namedBy finds the number that a temporary name was made from by [temporary].
func namedBy(temp string) (how naming, n int32) {
	_, number, ok := strings.Cut(temp, "/")
	if !ok {
		return unnamed, 0
	}
	id, err := strconv.ParseInt(number, 10, 32)
	if err != nil || id < 1 {
		return unnamed, 0
	}
	for _, how := range []naming{asIncoming, asOutgoing} {
		if temporary(how, int(id)) == temp {
			return how, int32(id)
		}
	}
	return unnamed, 0
}

// temporary makes a temporary name from a motion's number.
func temporary(how naming, id int) string {
	where := incoming
	if how == asOutgoing {
		where = outgoing
	}
	return where + strconv.Itoa((id-1)/perFolder) + "/" + strconv.Itoa(id)
}

// At gives the motion at a place.
func (l Motions) At(at int) Motion {
	m, change, states := l.Short(at)
	l.fill(&m, change, states)
	return m
}

// Short gives the motion at a place without what its change says of it: its path and its
// states. change is the place of the change, from 1, and states says which of the change's
// states the motion has; the numbers are on disk. With change 0 the motion is whole.
func (l Motions) Short(at int) (m Motion, change, states int) {
	b := &l.list[at]
	if b.change < 0 {
		return l.odd[at], 0, 0
	}
	m = Motion{ID: at + 1, Leg: int(b.leg), Kind: b.kind, Phase: b.phase, Group: int(b.group), Step: int(b.step), Proved: b.bits&wasProved != 0, Seen: b.seen}
	switch b.named {
	case asIncoming, asOutgoing:
		m.Temp = temporary(b.named, int(b.temp))
	case asWritten:
		m.Temp = l.temps[b.temp]
	}
	return m, int(b.change) + 1, int(b.bits &^ wasProved)
}

// AddShort appends a motion that [Motions.Short] gave. The error is of a change that the
// list does not know.
func (l *Motions) AddShort(m Motion, change, states int) error {
	if change < 0 || change > len(l.changes) {
		return fmt.Errorf("motion %d is about change %d of %d", m.ID, change, len(l.changes))
	}
	l.fill(&m, change, states)
	if change == 0 {
		l.Add(m)
	} else {
		l.AddAbout(change-1, m)
	}
	return nil
}

// fill gives a short motion what its change says of it.
func (l *Motions) fill(m *Motion, change, states int) {
	if change == 0 {
		return
	}
	c := &l.changes[change-1]
	m.place, m.Path = change, c.Path
	switch {
	case states&fromBefore != 0:
		m.Before = c.Before
	case states&fromAfter != 0:
		m.Before = c.After
	}
	switch {
	case states&toAfter != 0:
		m.After = c.After
	case states&toBefore != 0:
		m.After = c.Before
	}
}

// modifiedAt gives the time of the file that the motion at a place is about; see [Motion.Seen].
func (l Motions) modifiedAt(at int) int64 {
	if b := &l.list[at]; b.change >= 0 {
		return b.seen
	}
	return l.odd[at].Seen
}

// About tells whether the list's motions are about these very changes.
func (l Motions) About(changes []Change) bool {
	return len(l.changes) == len(changes) && (len(changes) == 0 || &l.changes[0] == &changes[0])
}

// All gives every motion, in order.
func (l Motions) All() iter.Seq[Motion] { return l.Range(0, len(l.list)) }

// Range gives the motions from one place up to another, which is not among them.
func (l Motions) Range(from, to int) iter.Seq[Motion] {
	return func(yield func(Motion) bool) {
		for i := from; i < to; i++ {
			if !yield(l.At(i)) {
				return
			}
		}
	}
}

// OfKind gives the motions of a kind about a path or what is below it, in order. It looks at
// the others, but does not make them.
func (l Motions) OfKind(kind MotionKind, within tree.Path) iter.Seq[Motion] {
	return func(yield func(Motion) bool) {
		for i := range l.list {
			b := &l.list[i]
			if b.kind != kind || b.change >= 0 && !l.changes[b.change].Path.Within(within) {
				continue
			}
			if m := l.At(i); m.Path.Within(within) && !yield(m) {
				return
			}
		}
	}
}

// Contains tells whether any motion satisfies a condition.
func (l Motions) Contains(is func(Motion) bool) bool {
	for m := range l.All() {
		if is(m) {
			return true
		}
	}
	return false
}

// Group is a run of motions that may happen in any order and at the same time: those
// from one place up to another, which is not among them.
type Group struct{ Number, From, To int }

// Groups gives the groups of a phase, in order.
func (l Motions) Groups(phase Phase) (out []Group) {
	for from := 0; from < len(l.list); {
		to, first := from+1, l.list[from]
		for to < len(l.list) && l.list[to].group == first.group && l.list[to].phase == first.phase {
			to++
		}
		if first.phase == phase {
			out = append(out, Group{int(first.group), from, to})
		}
		from = to
	}
	return out
}

// MarshalJSON writes the list; an empty one is null.
func (l Motions) MarshalJSON() ([]byte, error) {
	if len(l.list) == 0 {
		return []byte("null"), nil
	}
	out := []byte{'['}
	for m := range l.All() {
		if len(out) > 1 {
			out = append(out, ',')
		}
		out = m.AppendJSON(out)
	}
	return append(out, ']'), nil
}

// UnmarshalJSON reads a list, which says nothing of changes yet; see [Draft.Rebase].
func (l *Motions) UnmarshalJSON(raw []byte) error {
	var all []Motion
	if err := json.Unmarshal(raw, &all); err != nil {
		return err
	}
	*l = MotionsOf(nil, all...)
	return nil
}

// Rebase makes the list of motions anew, now that the draft has its changes.
func (d *Draft) Rebase() { d.Motions = MotionsOf(d.Changes, slices.Collect(d.Motions.All())...) }
