package notes

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWhichFilesAreForPeople(t *testing.T) {
	for base, want := range map[string]Kind{
		"README.md": Readme, "readme": Readme, "READ ME FIRST.txt": Readme, "Install_Notes.txt": Install, "how-to.txt": Install,
		"LICENSE": Licence, "COPYING.txt": Licence, "CHANGELOG.md": Changes, "release notes.txt": Changes,
		"readme.lua": "", "stall.lf": "", "installer.exe": "", "notes.dat": "",
	} {
		require.Equal(t, want, KindOf(base), base)
	}
}

func TestLinesThatLookLikeSomethingToDo(t *testing.T) {
	text := `# Lantern Gallery needs love

A gallery of lanterns for your caves.
- Put rope-lore in first: the gallery needs **rope-lore 1.2** or newer.
1. Delete the folder of the old gallery before you start.
> Add the following line to start-survey.sh:
` + "```" + `
you must not take this line
` + "```" + `
Copy the key to the trusted ones.
Thanks to everybody who helped.
Only for version 7.2 of the game.
`
	require.Equal(t, []Line{
		{4, "Put rope-lore in first: the gallery needs **rope-lore 1.2** or newer."},
		{5, "Delete the folder of the old gallery before you start."},
		{6, "Add the following line to start-survey.sh:"},
		{10, "Copy the key to the trusted ones."},
		{12, "Only for version 7.2 of the game."},
	}, Instructions(text))
	require.Empty(t, Instructions(""))
}
