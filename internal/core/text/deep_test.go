package text_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/text"
)

// A text that is nested without end is refused, and does not exhaust whoever reads it.
func TestNestingWithoutEndIsRefused(t *testing.T) {
	const many = 200_000
	for f, s := range map[text.Format]string{
		text.JSON: strings.Repeat("[", many), text.Script: "a = " + strings.Repeat("{", many), text.TOML: "a = " + strings.Repeat("[", many),
		text.YAML: "a: " + strings.Repeat("[", many), text.XML: strings.Repeat("<a>", many),
	} {
		_, err := text.Parse([]byte(s), f)
		require.ErrorContains(t, err, "too deep", f)
	}
}
