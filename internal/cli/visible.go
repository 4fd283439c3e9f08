package cli

import (
	"fmt"
	"io"
	"strings"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"
)

// visible writes text so that a terminal shows it and does nothing else: controls,
// escapes and characters that turn the direction of writing are written as JSON
// writes them, \u001b, which a JSON document takes for the same text.
type visible struct {
	to   io.Writer
	rest []byte // the beginning of a character whose end has not come yet
}

func (v *visible) Write(p []byte) (int, error) {
	var out strings.Builder
	text := append(v.rest, p...)
	v.rest = nil
	for len(text) > 0 {
		if n := plain(text); n > 0 {
			out.Write(text[:n])
			text = text[n:]
			continue
		}
		r, n := utf8.DecodeRune(text)
		switch {
		case r == utf8.RuneError && n == 1 && !utf8.FullRune(text):
			v.rest = append([]byte(nil), text...)
			n = len(text)
		case r == utf8.RuneError && n == 1:
			fmt.Fprintf(&out, `\x%02x`, text[0])
		case r == '\n' || r == '\t' || !unicode.In(r, unicode.Cc, unicode.Cf, unicode.Zl, unicode.Zp):
			out.Write(text[:n])
		case r > 0xffff:
			hi, lo := utf16.EncodeRune(r)
			fmt.Fprintf(&out, `\u%04x\u%04x`, hi, lo)
		default:
			fmt.Fprintf(&out, `\u%04x`, r)
		}
		text = text[n:]
	}
	if _, err := io.WriteString(v.to, out.String()); err != nil {
		return 0, err
	}
	return len(p), nil
}

// seen is a text as visible writes it.
func seen(words string) string {
	var out strings.Builder
	_, _ = (&visible{to: &out}).Write([]byte(words)) // a Builder takes everything
	return out.String()
}

// plain is how much of a text, from its beginning, is printable ASCII: nearly all of it.
func plain(text []byte) int {
	for i, b := range text {
		if (b < ' ' || b > '~') && b != '\n' && b != '\t' {
			return i
		}
	}
	return len(text)
}
