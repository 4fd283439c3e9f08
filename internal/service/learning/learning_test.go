package learning

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWhatWasEditedByHandStays(t *testing.T) {
	before := "title: a\nkinds:\n  loaf:\n    take: x\n\nlog: none\n"
	text, kept := grown(before, before, "title: a\nkinds: more\n")
	require.Equal(t, "title: a\nkinds: more\n", text, "nobody edited it")
	require.Empty(t, kept)

	mine := "title: My bakery\nkinds:\n  loaf:\n    take: x\n\nlog: none\n"
	text, kept = grown(before, mine, "title: a\nkinds:\n  loaf:\n    take: x\n  jam:\n    take: y\n\nlog: none\n")
	require.Equal(t, "title: My bakery\nkinds:\n  loaf:\n    take: x\n  jam:\n    take: y\n\nlog: none\n", text)
	require.Empty(t, kept)

	text, kept = grown(before, mine, "title: b\nkinds:\n  loaf:\n    take: x\n\nlog: none\n")
	require.Equal(t, mine, text, "both changed the line")
	require.Equal(t, []string{"title: My bakery"}, kept)
}
