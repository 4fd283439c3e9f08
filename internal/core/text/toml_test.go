package text_test

import (
	"testing"

	"github.com/pelletier/go-toml/v2"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/text"
)

// What TOML 1.0 does not allow is told as the library's decoder would, which is asked beside us.
func TestTablesOfTOMLStandOnce(t *testing.T) {
	for _, wrong := range []string{"b = 1\n[b]\nc = 2\n", "b = 1\nb.c = 2\n", "b = {c = 1}\n[b]\nd = 2\n", "b = {c = 1}\nb.d = 2\n", "b = [1]\n[[b]]\nc = 2\n", "[b]\nc = 1\n[b]\nd = 2\n", "b = 1\nb = 2\n"} {
		_, err := text.Parse([]byte(wrong), text.TOML)
		var syntax *text.SyntaxError
		require.ErrorAs(t, err, &syntax, wrong)
		require.NotZero(t, syntax.Line, wrong)
		var v map[string]any
		require.Error(t, toml.Unmarshal([]byte(wrong), &v), "the decoder takes it: %s", wrong)
	}
	for _, right := range []string{"[b.c]\nd = 1\n[b]\ne = 2\n", "b.c = 1\nb.d = 2\n", "[[b]]\nc = 1\n[[b]]\nc = 2\n", "[[b]]\n[b.x]\nc = 1\n[[b]]\n[b.x]\nc = 2\n", "b = {c.d = 1, c.e = 2}\n", "[b]\n[b.c]\n"} {
		_, err := text.Parse([]byte(right), text.TOML)
		require.NoError(t, err, right)
		var v map[string]any
		require.NoError(t, toml.Unmarshal([]byte(right), &v), right)
	}
}
