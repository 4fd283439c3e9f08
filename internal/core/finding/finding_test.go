package finding

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
)

func TestAcceptsAreReadAndWritten(t *testing.T) {
	for text, want := range map[string]Accept{
		"unknown-file":            {Code: "unknown-file"},
		"unknown-file=stalls/a.b": {Code: "unknown-file", Path: "stalls/a.b"},
		"x=a=b":                   {Code: "x", Path: "a=b"},
	} {
		got, err := ParseAccept(text)
		require.NoError(t, err)
		require.Equal(t, want, got)
		require.Equal(t, text, got.String())
	}
	for text, why := range map[string]string{"": "is not CODE", "=a": "is not CODE", "two words": "is not CODE", "x=../a": `leads out of its root`, "x=": "is empty"} {
		_, err := ParseAccept(text)
		require.ErrorContains(t, err, why, text)
	}
}

func TestWhichBlocksAreOpen(t *testing.T) {
	all := []Finding{
		{Level: Block, Code: "unknown-file", Path: "a"}, {Level: Block, Code: "unknown-file", Path: "b"},
		{Level: Block, Code: "protected", Path: "k", Final: true}, {Level: Warn, Code: "may-be-running"},
	}
	paths := func(accepts ...Accept) (out []tree.Path) {
		for _, f := range Open(all, accepts) {
			out = append(out, f.Path)
		}
		return out
	}
	require.Equal(t, []tree.Path{"a", "b", "k"}, paths())
	require.Equal(t, []tree.Path{"b", "k"}, paths(Accept{Code: "unknown-file", Path: "a"}))
	require.Equal(t, []tree.Path{"k"}, paths(Accept{Code: "unknown-file"}))
	require.Equal(t, []tree.Path{"a", "b", "k"}, paths(Accept{Code: "protected"}, Accept{Code: "protected", Path: "k"}), "a final block cannot be accepted")
}

func TestBlocksComeFirst(t *testing.T) {
	level := rapid.SampledFrom([]Level{Note, Block, Warn})
	rapid.Check(t, func(t *rapid.T) {
		var all []Finding
		for range rapid.IntRange(0, 10).Draw(t, "n") {
			all = append(all, Finding{Level: level.Draw(t, "level"), Code: rapid.StringMatching(`[ab]`).Draw(t, "code")})
		}
		Sort(all)
		for i := 1; i < len(all); i++ {
			require.LessOrEqual(t, all[i-1].Level.weight(), all[i].Level.weight())
		}
	})
}
