package text

import "bytes"

// Mark is a byte-order mark.
const Mark = "\ufeff"

// LineStart is where the line begins that holds the offset; 0 for one before the text.
func LineStart(text []byte, at int) int {
	if at <= 0 {
		return 0
	}
	return bytes.LastIndexByte(text[:at], '\n') + 1
}

// LineEnd is where the line ends that holds the offset, its line end included.
func LineEnd(text []byte, at int) int {
	if at >= len(text) {
		return len(text)
	}
	if i := bytes.IndexByte(text[at:], '\n'); i >= 0 {
		return at + i + 1
	}
	return len(text)
}

// lineBody is where the line that holds the offset ends, without its line end.
func lineBody(text []byte, at int) int {
	end := LineEnd(text, at)
	if end > at && text[end-1] == '\n' {
		end--
		if end > at && text[end-1] == '\r' {
			end--
		}
	}
	return end
}

// Splice is a new text with a part replaced.
func Splice(text []byte, from, to int, by string) []byte {
	out := make([]byte, 0, len(text)-(to-from)+len(by))
	out = append(out, text[:from]...)
	out = append(out, by...)
	return append(out, text[to:]...)
}

// EOL is the line end that most lines have.
func EOL(text []byte) string {
	if crlf := bytes.Count(text, []byte("\r\n")); crlf > 0 && crlf*2 >= bytes.Count(text, []byte("\n")) {
		return "\r\n"
	}
	return "\n"
}

// eolAt is the line end of the line that holds the offset, or the text's own where that
// line is the last and has none.
func eolAt(text []byte, at int) string {
	end := LineEnd(text, at)
	switch {
	case bytes.HasSuffix(text[:end], []byte("\r\n")):
		return "\r\n"
	case end > 0 && end <= len(text) && text[end-1] == '\n':
		return "\n"
	}
	return EOL(text)
}

// insertLines puts lines, which are joined by eol and have no end of their own, in front of
// the offset at, which is the start of a line or the end of the text.
func insertLines(text []byte, at int, lines, eol string) []byte {
	if at == 0 && bytes.HasPrefix(text, []byte(Mark)) {
		at = len(Mark)
	}
	if at > 0 && text[at-1] != '\n' && string(text[:at]) != Mark { // behind a last line that has no end
		return Splice(text, at, at, eol+lines)
	}
	return Splice(text, at, at, lines+eol)
}

// cutLines takes whole lines out. Where the last one had no line end, the one before it has
// none then.
func cutLines(text []byte, from, to int) []byte {
	if from == 0 && bytes.HasPrefix(text, []byte(Mark)) {
		from = len(Mark)
	}
	if to >= len(text) && from > 0 && (to == 0 || text[to-1] != '\n') && text[from-1] == '\n' {
		from--
		if from > 0 && text[from-1] == '\r' {
			from--
		}
	}
	return Splice(text, from, to, "")
}

// dentOf gives the spaces and tabs at the start of the line that holds the offset.
func dentOf(text []byte, at int) string {
	start := LineStart(text, at)
	if start == 0 && bytes.HasPrefix(text, []byte(Mark)) {
		start = len(Mark)
	}
	end := start
	for end < len(text) && (text[end] == ' ' || text[end] == '\t') {
		end++
	}
	return string(text[start:end])
}

// skipBlanks gives the offset behind spaces and tabs.
func skipBlanks(text []byte, at int) int {
	for at < len(text) && (text[at] == ' ' || text[at] == '\t') {
		at++
	}
	return at
}

// trimBlanks gives the span without spaces and tabs around it.
func trimBlanks(text []byte, from, to int) Span {
	from = min(skipBlanks(text, from), to)
	for to > from && (text[to-1] == ' ' || text[to-1] == '\t' || text[to-1] == '\r') {
		to--
	}
	return Span{from, to}
}
