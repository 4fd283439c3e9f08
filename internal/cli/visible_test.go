package cli

import (
	"encoding/json"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestNothingOfOthersIsACommandToATerminal(t *testing.T) {
	var out strings.Builder
	v := &visible{to: &out}
	for _, part := range []string{"lamp\x1b]0;owned\x07\r", "\u009b31m", "gnp\u202etxt", "\xff", "gr\xc3", "\xbc\xc3\x9fe\t|\n", "\U000e0041"} {
		n, err := v.Write([]byte(part))
		require.NoError(t, err)
		require.Equal(t, len(part), n)
	}
	require.Equal(t, `lamp\u001b]0;owned\u0007\u000d\u009b31mgnp\u202etxt\xffgrüße`+"\t|\n"+`\udb40\udc41`, out.String())
}

// However a text is cut into pieces, no terminal does anything for it, and a JSON
// document stays the same document.
func TestAJSONDocumentStaysTheSame(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		said := map[string]string{"text": rapid.String().Draw(r, "text")}
		raw, err := json.Marshal(said)
		require.NoError(r, err)
		var out strings.Builder
		v := &visible{to: &out}
		for rest := raw; len(rest) > 0; {
			n := rapid.IntRange(1, len(rest)).Draw(r, "piece")
			_, err := v.Write(rest[:n])
			require.NoError(r, err)
			rest = rest[n:]
		}
		require.False(r, strings.ContainsFunc(out.String(), func(c rune) bool { return unicode.In(c, unicode.Cc, unicode.Cf) }))
		var got map[string]string
		require.NoError(r, json.Unmarshal([]byte(out.String()), &got))
		require.Equal(r, said, got)
	})
}
