package version

import (
	"cmp"
	"strings"
)

// Compare puts two versions in order: negative where a is older than b, zero
// where they count as the same, positive where a is newer. It is total and
// transitive over any texts: numbers compare as numbers of any length,
// "1.0" equals "1.0.0", words such as beta come before the release they lead
// to, and words that it does not know compare as text, before a release.
func Compare(a, b string) int {
	x, y := pieces(a), pieces(b)
	for i := range max(len(x), len(y)) {
		if c := comparePiece(pieceAt(x, i), pieceAt(y, i)); c != 0 {
			return c
		}
	}
	return 0
}

// piece is one number or one word of a version.
type piece struct {
	class int // the order among kinds: words before a release, its end and zeros, then numbers
	rank  int // the order of known words
	text  string
}

// end is what stands after the last piece: as a number it is zero.
var end = piece{class: classZero}

const (
	classBefore = iota // a word that comes before the release
	classZero          // the end, or a zero
	classAfter         // a word that comes after the release
	classNumber        // a number above zero
)

func pieceAt(p []piece, i int) piece {
	if i < len(p) {
		return p[i]
	}
	return end
}

func comparePiece(x, y piece) int {
	if c := cmp.Compare(x.class, y.class); c != 0 {
		return c
	}
	if c := cmp.Compare(x.rank, y.rank); c != 0 {
		return c
	}
	if x.class == classNumber {
		if c := cmp.Compare(len(x.text), len(y.text)); c != 0 {
			return c
		}
	}
	return cmp.Compare(x.text, y.text)
}

// pieces cuts a version into its numbers and words. A leading v is dropped.
func pieces(s string) []piece {
	s = strings.ToLower(strings.TrimSpace(s))
	if len(s) > 1 && s[0] == 'v' && digit(s[1]) {
		s = s[1:]
	}
	var out []piece
	for i := 0; i < len(s); {
		j := i
		switch {
		case digit(s[i]):
			for j < len(s) && digit(s[j]) {
				j++
			}
			n := strings.TrimLeft(s[i:j], "0")
			if n == "" {
				out = append(out, end)
			} else {
				out = append(out, piece{class: classNumber, text: n})
			}
		case separator(s[i]):
			j++
		default:
			for j < len(s) && !digit(s[j]) && !separator(s[j]) {
				j++
			}
			out = append(out, wordPiece(s[i:j])...)
		}
		i = j
	}
	return out
}

func wordPiece(w string) []piece {
	r, known := rank(w)
	switch {
	case !known:
		return []piece{{class: classBefore, text: w}}
	case r < 0:
		return []piece{{class: classBefore, rank: r}}
	case r > 0:
		return []piece{{class: classAfter, rank: r}}
	}
	return nil // "final", "build", "r": no weight of their own
}

func digit(c byte) bool     { return c >= '0' && c <= '9' }
func separator(c byte) bool { return strings.IndexByte(".-_+~ ", c) >= 0 }
