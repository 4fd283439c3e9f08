package rulebook

import (
	"strings"
	"testing"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestWhatWildcardsStandFor(t *testing.T) {
	for _, c := range []struct {
		glob, path, want, below string
	}{
		{"*/maps/*.map", "desert/maps/dune.map", "desert dune", "desert/maps/dune.map"},
		{"data/**", "data/a/b.txt", "a/b.txt", "a/b.txt"},
		{"**/*.seal", "a/b/c.seal", "a/b c", "a/b/c.seal"},
		{"**/*.seal", "c.seal", " c", "c.seal"},
		{"{north,south}/?.x", "south/k.x", "k", "south/k.x"},
		{"in/[a-c]*.x", "in/beta.x", "eta", "beta.x"},
		{"**a*/k.x", "bay/k.x", "b y", "bay/k.x"},
		{"in/plain.x", "in/plain.x", "", "plain.x"},
	} {
		require.Equal(t, c.want, strings.Join(Captures(c.glob, c.path), " "), c.glob)
		require.Equal(t, c.below, Below(c.glob, c.path), c.glob)
	}
	require.Nil(t, Captures("*.map", "a/b.map"))
	require.Nil(t, Captures("**a*", "a/a"), "two stars cross folders only where they stand alone")
}

// A glob that matches a path has what its wildcards stand for, and only then.
func TestCapturesFollowTheGlobs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		glob := rapid.StringMatching(`(\*\*/)?(a|b|\*|a\*|\?b|\{a,b\}|[ab]){1,3}(/(a|\*|b\?|\*b)){0,2}(/\*\*)?`).Filter(func(g string) bool { return !strings.Contains(g, "***") }).Draw(t, "glob")
		path := rapid.StringMatching(`[ab]{1,3}(/[ab]{1,3}){0,3}`).Draw(t, "path")
		require.Equal(t, doublestar.MatchUnvalidated(glob, path) && !strings.HasSuffix(glob, "/**") || strings.HasSuffix(glob, "/**") && Captures(glob, path) != nil,
			Captures(glob, path) != nil, "%s on %s", glob, path)
	})
}
