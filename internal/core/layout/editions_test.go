package layout

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
)

const ledges = `format: 1
name: ledges
title: Ledges
game: {versions: ["31.6", "31.8", "32.5"]}
places: {parts: {path: parts}}
kinds:
  part:
    several: true
    recognise: {single: "*.kpart"}
    put: [{take: "*.kpart", place: parts, as: "{file}"}]
`

func editionsOf(t *testing.T, text string, files ...string) (out []string) {
	in := map[string]string{}
	for i, f := range files {
		in[f] = string(rune('a' + i))
	}
	for _, c := range lay(book(t, text), archive("pack.zip", in), nil).Crates {
		folder, games := c.Build()
		out = append(out, c.Label()+" "+folder+" "+games)
	}
	return out
}

func TestAFolderForEachVersionOfTheGameSaysForWhichItIs(t *testing.T) {
	require.Equal(t, []string{"owl@unmarked 31.6 >=31.6 <31.8", "owl@unmarked 31.8 >=31.8 <32.5", "owl@unmarked 32.5 >=32.5"},
		editionsOf(t, ledges, "7/31.8/owl.kpart", "7/32.5/owl.kpart", "7/31.6/owl.kpart"))
	// One that the rulebook knows is enough to tell what the folders beside it are.
	require.Equal(t, []string{"owl@unmarked 32.5 >=32.5 <32.9", "owl@unmarked 32.9 >=32.9 <32.10", "owl@unmarked 32.10 >=32.10"},
		editionsOf(t, ledges, "32.10/owl.kpart", "32.5/owl.kpart", "32.9/owl.kpart"))
	// What an add-on says itself stands above its folder.
	said := strings.Replace(ledges, "    put:", "    game: {file: \"*.kpart\", match: '^for (\\S+)$'}\n    put:", 1)
	own := archive("pack.zip", map[string]string{"31.6/owl.kpart": "for 32.5", "31.8/owl.kpart": ""})
	res := lay(book(t, said), own, nil)
	require.Equal(t, []Fact{{Kind: rulebook.Game, Range: "32.5", From: "owl.kpart"}}, res.Crates[0].Facts)
	require.Equal(t, []Fact{{Kind: rulebook.Game, Range: ">=31.8", From: "the folder 31.8"}}, res.Crates[1].Facts)
	// A version in the file's own name is the add-on's.
	require.Equal(t, []string{"owl@2.1 31.6 >=31.6 <31.8", "owl@2.2 31.8 >=31.8"},
		editionsOf(t, ledges, "31.6/owl-2.1.kpart", "31.8/owl-2.2.kpart"))
}

// A kind that comes once to an archive comes once for each version of the game too; two
// that are something else are still asked about.
func TestBuildsForSeveralVersionsOfTheGameAreNotAskedAbout(t *testing.T) {
	one := strings.Replace(ledges, "    several: true\n", "", 1)
	require.Equal(t, []string{"owl@unmarked 31.6 >=31.6 <31.8", "owl@unmarked 31.8 >=31.8"}, editionsOf(t, one, "31.6/owl.kpart", "31.8/owl.kpart"))
	require.Empty(t, editionsOf(t, one, "31.6/owl.kpart", "31.8/lynx.kpart"))
	require.Empty(t, editionsOf(t, one, "a/owl.kpart", "b/owl.kpart"))
	require.Empty(t, editionsOf(t, one, "2024.9/owl.kpart", "2024.10/owl.kpart"))
}

func TestFoldersThatAreNoVersionOfTheGameAreTheAddOns(t *testing.T) {
	require.Equal(t, []string{"owl@2024.9  ", "owl@2024.10  "}, editionsOf(t, ledges, "2024.10/owl.kpart", "2024.9/owl.kpart"), "the newest last")
	require.Equal(t, []string{"owl@1.4  "}, editionsOf(t, ledges, "2024.10/owl-1.4.kpart"))
	require.Equal(t, []string{"owl@unmarked  "}, editionsOf(t, ledges, "parts/owl.kpart"))
	// Numbers that part a pack say nothing of the versions of what is in it.
	require.Equal(t, []string{"owl@unmarked  ", "lynx@unmarked  "}, editionsOf(t, ledges, "1/owl.kpart", "2/lynx.kpart"))
	// A folder of the game's version stands above one of the add-on's inside it.
	require.Equal(t, []string{"owl@unmarked 31.8 >=31.8"}, editionsOf(t, ledges, "31.8/2.1/owl.kpart"))
}
