package settings

import "bytes"

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
	a = lineStart(left, lineStart(left, a)-1)
	end := lineEnd(left, lineEnd(left, len(left)-z))
	for more := 1; bytes.Count(left, left[a:end]) > 1 && (a > 0 || end < len(left)); more *= 2 {
		for range more { // what stands there more than once needs more around it to be known by
			a, end = lineStart(left, a-1), lineEnd(left, end)
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
	if at < 0 || at != bytes.LastIndex(text, left) || at != lineStart(text, at) {
		return nil
	}
	end := at + len(left)
	if end != len(text) && text[end-1] != '\n' {
		return nil
	}
	return splice(text, at, end, h.Was)
}

// lineStart is where the line begins that holds the offset; 0 for one before the
// text.
func lineStart(text []byte, at int) int {
	if at <= 0 {
		return 0
	}
	return bytes.LastIndexByte(text[:at], '\n') + 1
}

// lineEnd is where the line ends that begins at or holds the offset, its line end
// included.
func lineEnd(text []byte, at int) int {
	if at >= len(text) {
		return len(text)
	}
	if i := bytes.IndexByte(text[at:], '\n'); i >= 0 {
		return at + i + 1
	}
	return len(text)
}

// splice is a new text with a part replaced.
func splice(text []byte, from, to int, by string) []byte {
	out := make([]byte, 0, len(text)-(to-from)+len(by))
	out = append(out, text[:from]...)
	out = append(out, by...)
	return append(out, text[to:]...)
}

// eol is the line end that most lines have.
func eol(text []byte) string {
	if crlf := bytes.Count(text, []byte("\r\n")); crlf > 0 && crlf*2 >= bytes.Count(text, []byte("\n")) {
		return "\r\n"
	}
	return "\n"
}
