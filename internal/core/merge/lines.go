// Package merge brings together what two sides have made of a text: the author of an add-on
// in a new version, and the people of a server. What only one side changed is as that side
// has it. Where both changed the same, each side's word is told, and a person decides.
package merge

import (
	"strings"

	"github.com/aymanbagabas/go-udiff"
)

// hunk is a part of the base in lines, [from, to), and what a side has there.
type hunk struct {
	from, to int
	by       []string
}

// split parts a text into lines with their ends.
func split(s string) []string {
	lines := strings.SplitAfter(s, "\n")
	if lines[len(lines)-1] == "" {
		lines = lines[:len(lines)-1]
	}
	return lines
}

// hunks lists what a side changed, in order.
func hunks(base, side string) (out []hunk) {
	starts := map[int]int{} // numbers of lines, by where they begin
	at := 0
	lines := split(base)
	for i, l := range lines {
		starts[at] = i
		at += len(l)
	}
	starts[at] = len(lines)
	for _, e := range udiff.Lines(base, side) {
		from, okFrom := starts[e.Start]
		to, okTo := starts[e.End]
		if !okFrom || !okTo { // the library cut a line in two: all is one change
			return []hunk{{0, len(lines), split(side)}}
		}
		out = append(out, hunk{from, to, split(e.New)})
	}
	return out
}

// region is a part of the base that at least one side changed.
type region struct {
	from, to           int // lines of the base
	base, mine, theirs []string
}

// regions joins the changes of two sides. Changes that touch each other are one, as for
// other tools that merge: whether they belong together only a person can tell.
func regions(base []string, mine, theirs []hunk) (out []region) {
	for len(mine) > 0 || len(theirs) > 0 {
		r := region{from: len(base) + 1}
		if len(mine) > 0 {
			r.from, r.to = mine[0].from, mine[0].to
		}
		if len(theirs) > 0 && theirs[0].from < r.from {
			r.from, r.to = theirs[0].from, theirs[0].to
		}
		var a, b []hunk
		for grown := true; grown; {
			grown = false
			for len(mine) > 0 && mine[0].from <= r.to {
				a, r.to, grown = append(a, mine[0]), max(r.to, mine[0].to), true
				mine = mine[1:]
			}
			for len(theirs) > 0 && theirs[0].from <= r.to {
				b, r.to, grown = append(b, theirs[0]), max(r.to, theirs[0].to), true
				theirs = theirs[1:]
			}
		}
		r.base = base[r.from:r.to]
		r.mine, r.theirs = side(base, r, a), side(base, r, b)
		out = append(out, r)
	}
	return out
}

// side is what a side has in a region.
func side(base []string, r region, changes []hunk) (out []string) {
	at := r.from
	for _, h := range changes {
		out = append(out, base[at:h.from]...)
		out = append(out, h.by...)
		at = h.to
	}
	return append(out, base[at:r.to]...)
}

// Lines merges three texts by lines. Where both sides changed the same lines, choose says
// what stands there.
func Lines(base, mine, theirs string, choose func(base, mine, theirs []string) []string) string {
	lines := split(base)
	var out strings.Builder
	at := 0
	write := func(ls []string) {
		for _, l := range ls {
			if n := out.Len(); n > 0 && len(l) > 0 && !strings.HasSuffix(out.String()[n-1:], "\n") {
				out.WriteString("\n") // a last line without an end is not the last one any more
			}
			out.WriteString(l)
		}
	}
	for _, r := range regions(lines, hunks(base, mine), hunks(base, theirs)) {
		write(lines[at:r.from])
		m, t, b := strings.Join(r.mine, ""), strings.Join(r.theirs, ""), strings.Join(r.base, "")
		switch {
		case m == t, t == b:
			write(r.mine)
		case m == b:
			write(r.theirs)
		default:
			write(choose(r.base, r.mine, r.theirs))
		}
		at = r.to
	}
	write(lines[at:])
	return out.String()
}
