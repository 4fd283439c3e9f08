package tree

import (
	"strings"
	"unicode"
)

// Unseen finds the first character of a text that nobody sees as what it is: a
// control, a line or paragraph separator, a format character such as one that turns
// the direction of writing (Unicode categories Cc, Zl, Zp and Cf), or a byte that is
// no UTF-8. A name, an id or a version with one is more than one line to a console,
// or another text to a person than to a machine. ok is true where there is none.
func Unseen(s string) (bad rune, ok bool) {
	i := strings.IndexFunc(s, func(r rune) bool {
		if r < 0x7f { // most are
			return r < ' '
		}
		return r == unicode.ReplacementChar || unicode.In(r, unicode.Cc, unicode.Cf, unicode.Zl, unicode.Zp)
	})
	if i < 0 {
		return 0, true
	}
	for _, r := range s[i:] {
		bad = r
		break
	}
	return bad, false
}

// Turns tells whether a text holds a character that turns the direction of writing
// (UAX 9): what follows it is drawn in another order than it is written.
func Turns(s string) bool {
	return strings.ContainsFunc(s, func(r rune) bool {
		return r == 0x061c || r == 0x200e || r == 0x200f || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069
	})
}
