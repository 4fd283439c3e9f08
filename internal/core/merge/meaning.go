package merge

import (
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/text"
)

// byMeaning merges values as values and the rest by lines. First the values that the sides
// differ in are written alike into all three texts, so that lines which differ in nothing
// else do not stand against each other. Then the lines are merged, and what comes out is
// read: every value must be as three-way merging says, or ok is false.
func (m *merging) byMeaning(base, mine, theirs *text.Doc) (out Result, ok bool) {
	b, o, t := leaves(base), leaves(mine), leaves(theirs)
	want := map[string]string{} // the value that each path shall have; gone paths are not in it
	var intoBase, intoMine, intoTheirs []change
	for _, key := range keys(b, o, t) {
		vb, inBase := b[key]
		vm, inMine := o[key]
		vt, inTheirs := t[key]
		winner, there := vm.raw, inMine
		switch {
		case inMine == inTheirs && vm.raw == vt.raw:
		case inBase == inTheirs && vb.raw == vt.raw: // only the server changed it
		case inBase == inMine && vb.raw == vm.raw: // only the author did
			winner, there = vt.raw, inTheirs
		default:
			c := Conflict{Key: key, Base: said(vb, inBase), Mine: said(vm, inMine), Theirs: said(vt, inTheirs), Kept: m.decide(key)}
			if inMine {
				c.Line = mine.Line(vm.node)
			}
			m.conflicts = append(m.conflicts, c)
			if c.Kept == Theirs {
				winner, there = vt.raw, inTheirs
			}
		}
		if there {
			want[key] = winner
		}
		if inBase && inMine && inTheirs && there {
			intoBase = append(intoBase, change{vb, winner})
		}
		if inMine && there {
			intoMine = append(intoMine, change{vm, winner})
		}
		if inTheirs && there {
			intoTheirs = append(intoTheirs, change{vt, winner})
		}
		if inBase && inTheirs && !inMine && !there { // so that taking it away is all that happened to its line
			intoTheirs = append(intoTheirs, change{vt, vb.raw})
		}
		if inBase && inMine && !inTheirs && !there {
			intoMine = append(intoMine, change{vm, vb.raw})
		}
	}
	evenBase, evenMine, evenTheirs := written(base, intoBase), written(mine, intoMine), written(theirs, intoTheirs)
	merged := Lines(evenBase, evenMine, evenTheirs, together)
	for range 2 * (len(b) + len(o) + len(t)) {
		better := mended(merged, m.Format, want, mine, theirs)
		if better == merged {
			break
		}
		merged = better
	}
	if !reads(merged, m.Format, want) {
		return Result{}, false
	}
	return Result{Text: []byte(merged), Conflicts: m.conflicts, ByMeaning: true}, true
}

// reads tells whether a text has exactly the values that it shall have.
func reads(merged string, f text.Format, want map[string]string) bool {
	d, err := text.Parse([]byte(merged), f)
	if err != nil {
		return false
	}
	got := leaves(d)
	if len(got) != len(want) {
		return false
	}
	for key, raw := range want {
		if l, ok := got[key]; !ok || l.raw != raw {
			return false
		}
	}
	return true
}

func said(l leaf, there bool) string {
	if !there {
		return Gone
	}
	return l.raw
}

// change is a value that is written in the place of another.
type change struct {
	at  leaf
	raw string
}

// written gives a text with values changed, from the last to the first.
func written(d *text.Doc, changes []change) string {
	ordered := map[int]change{}
	var at []int
	for _, c := range changes {
		if c.at.raw != c.raw && !c.at.node.At.Empty() {
			ordered[c.at.node.At.From] = c
			at = append(at, c.at.node.At.From)
		}
	}
	slices.Sort(at)
	var out strings.Builder
	pos := 0
	for _, from := range at {
		c := ordered[from]
		out.Write(d.Source[pos:from])
		out.WriteString(c.raw)
		pos = c.at.node.At.To
	}
	out.Write(d.Source[pos:])
	return out.String()
}

// together brings the lines of both sides into one: a line of the base stays where both have
// it, and what either has put in is there, the author's first.
func together(was, own, new []string) (lines []string) {
	ownIn, ownOut := against(was, own)
	newIn, newOut := against(was, new)
	for i := 0; i <= len(was); i++ {
		lines = append(lines, newIn[i]...)
		for _, l := range ownIn[i] {
			blank := strings.TrimSpace(l) == "" && len(lines) > 0 && strings.TrimSpace(lines[len(lines)-1]) == ""
			if !blank && !slices.Contains(newIn[i], l) {
				lines = append(lines, l)
			}
		}
		if i < len(was) && !ownOut[i] && !newOut[i] {
			lines = append(lines, was[i])
		}
	}
	return lines
}

// against tells what a side has put in front of each line of the base and behind the last,
// and which lines of it it has not.
func against(was, side []string) (in [][]string, gone []bool) {
	in, gone = make([][]string, len(was)+1), make([]bool, len(was))
	for _, h := range hunks(strings.Join(was, ""), strings.Join(side, "")) {
		in[h.to] = append(in[h.to], h.by...)
		for i := h.from; i < h.to; i++ {
			gone[i] = true
		}
	}
	return in, gone
}

// mended makes one value of a text what it shall be, where merging its lines left one twice,
// or lost one. It gives the text as it is where there is nothing more to mend.
func mended(merged string, f text.Format, want map[string]string, mine, theirs *text.Doc) string {
	d, err := text.Parse([]byte(merged), f)
	if err != nil {
		return merged
	}
	got := leaves(d)
	for _, key := range keys(got) {
		if _, wanted := want[key]; wanted {
			continue
		}
		if out, err := d.Remove(got[key].node); err == nil {
			return string(out)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(want)) {
		l, there := got[key]
		if there && l.raw == want[key] {
			continue
		}
		var out []byte
		err := text.ErrNotThere
		if there {
			out, err = d.Set(l.node, text.Value{Text: want[key], Raw: true})
		} else if !strings.ContainsAny(key, "[#") {
			out, err = d.Add(key, text.Value{Text: want[key], Raw: true}, beside(key, mine, theirs))
		}
		if err == nil && string(out) != merged {
			return string(out)
		}
	}
	return merged
}

// beside is the place of an entry behind the one that it follows on the side that has it.
func beside(key string, sides ...*text.Doc) text.Spot {
	for _, d := range sides {
		n, err := d.Find(key)
		if err != nil || n.Up == nil {
			continue
		}
		if i := slices.Index(n.Up.Items, n); i > 0 {
			return text.Spot{After: n.Up.Items[i-1].Key}
		}
	}
	return text.Spot{}
}
