package words_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/words"
)

func TestCountsListsAndSizesAsPeopleReadThem(t *testing.T) {
	require.Equal(t, "0 files", words.Count(0, "file"))
	require.Equal(t, "1 file", words.Count(1, "file"))
	require.Equal(t, "20001 files", words.Count(20_001, "file"))
	require.Equal(t, "2 copies", words.Count(2, "copy"))

	require.Empty(t, words.Few([]string{}))
	require.Equal(t, "gate", words.Few([]string{"gate"}))
	require.Equal(t, "gate, lamps, mast", words.Few([]string{"gate", "lamps", "mast"}))
	require.Equal(t, "gate, lamps, mast and 1 more", words.Few([]string{"gate", "lamps", "mast", "reed"}))

	for bytes, want := range map[int64]string{0: "0 B", 999: "999 B", 1000: "1.0 kB", 1_550_000: "1.6 MB", 3_000_000_000: "3.0 GB"} {
		require.Equal(t, want, words.Size(bytes))
	}
}

func TestTheNearestName(t *testing.T) {
	names := []string{"drum-tent", "swing-boats", "Gate"}
	for name, want := range map[string]string{"drum-tnt": "drum-tent", "DRUM-TENT": "drum-tent", "gate": "Gate", "boats": "", "x": "", "swing_boats": "swing-boats"} {
		require.Equal(t, want, words.Nearest(name, names), name)
	}
}
