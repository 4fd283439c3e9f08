package settings

import (
	"bytes"

	txt "restlesscrate/internal/core/text"
)

// hunk is what differs between two texts, in whole lines and with as many
// lines of context on either side as it takes to be found again, at least one.
func hunk(left, was []byte) *Hunk {
	n := min(len(left), len(was))
	a := 0
	for a < n && left[a] == was[a] {
		a++
	}
	z := 0
	for z < n-a && left[len(left)-1-z] == was[len(was)-1-z] {
		z++
	}
	a = txt.LineStart(left, txt.LineStart(left, a)-1)
	end := txt.LineEnd(left, txt.LineEnd(left, len(left)-z))
	for more := 1; bytes.Count(left, left[a:end]) > 1 && (a > 0 || end < len(left)); more *= 2 {
		for range more { // what stands there more than once needs more around it to be known by
			a, end = txt.LineStart(left, a-1), txt.LineEnd(left, end)
		}
	}
	z = len(left) - end
	return &Hunk{Left: string(left[a:end]), Was: string(was[a : len(was)-z])}
}

// restore gives the text with the hunk taken back, nil where the text no longer
// holds, at exactly one place, what the change had left.
func (h *Hunk) restore(text []byte) []byte {
	if h == nil {
		return nil
	}
	left := []byte(h.Left)
	if len(left) == 0 {
		if len(text) == 0 {
			return []byte(h.Was)
		}
		return nil
	}
	at := bytes.Index(text, left)
	if at < 0 || at != bytes.LastIndex(text, left) || at != txt.LineStart(text, at) {
		return nil
	}
	end := at + len(left)
	if end != len(text) && text[end-1] != '\n' {
		return nil
	}
	return txt.Splice(text, at, end, h.Was)
}
