package tree

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParsePathRefusesWhatCouldLeaveTheRoot(t *testing.T) {
	for text, why := range map[string]string{
		"":                              "is empty",
		"/etc/passwd":                   "is absolute",
		"a/../b":                        "leads out of its root",
		"..":                            "leads out of its root",
		"a//b":                          "has an empty part",
		"a/":                            "has an empty part",
		"./a":                           `has a "." part`,
		`a\b`:                           "holds a backslash",
		"a\x00b":                        "control character",
		"a\xffb":                        "not valid UTF-8",
		"x/" + strings.Repeat("n", 256): "longer than 255 bytes",
	} {
		_, err := ParsePath(text)
		require.ErrorContains(t, err, why, "%q", text)
		var pe *PathError
		require.ErrorAs(t, err, &pe)
	}
	for _, text := range []string{"a", "a/b.c", "-lead", "a b/#;ü", "..a", "a..", strings.Repeat("n", 255)} {
		p, err := ParsePath(text)
		require.NoError(t, err)
		require.Equal(t, text, string(p))
	}
}

func TestPathParts(t *testing.T) {
	p := MustPath("stalls/drum-tent/stall.lf")
	require.Equal(t, MustPath("stalls/drum-tent"), p.Dir())
	require.Equal(t, "stall.lf", p.Base())
	require.Equal(t, 3, p.Depth())
	require.Equal(t, []Path{"stalls", "stalls/drum-tent"}, p.Ancestors())
	require.True(t, p.Within("stalls"))
	require.False(t, p.Within("stall"), "a name's beginning is not its folder")
	rel, ok := p.Below("stalls/drum-tent")
	require.True(t, ok)
	require.Equal(t, Path("stall.lf"), rel)
	require.Equal(t, Path("a"), Root.Join("a"))
	require.Equal(t, Root, Path("a").Dir())
}

func TestFoldFindsSpellingsThatClash(t *testing.T) {
	require.Equal(t, Path("Fixtures/Ä.tdx").Fold(), Path("fixtures/a\u0308.TDX").Fold())
	require.NotEqual(t, Path("a").Fold(), Path("b").Fold())
}

func TestAnyPathStaysBelowItsRoot(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`([a-c./\\]{0,3}/){0,3}[a-c.]{0,3}`).Draw(t, "text")
		p, err := ParsePath(text)
		if err != nil {
			return
		}
		depth := 0
		for _, part := range strings.Split(string(Path("root").Join(p)), "/") {
			switch part {
			case "..":
				depth--
			case ".", "":
			default:
				depth++
			}
		}
		require.Equal(t, p.Depth()+1, depth)
		require.True(t, Path("root").Join(p).Within("root"))
	})
}

func TestStateSame(t *testing.T) {
	a := State{Being: Content, Digest: Sum([]byte("a")), Size: 1, Mode: 0o644}
	b := a
	b.Mode = 0o600
	require.False(t, a.Same(b))
	require.True(t, a.SameBytes(b))
	b.Mode = 0
	require.True(t, a.Same(b), "a host without modes cannot differ in them")
	require.False(t, State{Being: Unknown}.Same(State{Being: Unknown}), "two unknowns are not known to be the same")
	require.True(t, Nothing.Same(Nothing))
}
