package propose

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// orchard is a server with add-ons of three kinds in three places: trees in groups, with an
// older name for the manifest of some; packed seeds; and tools that a start script names.
func orchard() Evidence {
	return Evidence{
		Tree: entries("orchard.load", "picks.json", "start.sh", "orchard.key", "notes/today.md",
			"beds/row-a.bed/apple-press/tree.toml", "beds/row-a.bed/apple-press/press.bin",
			"beds/row-b.bed/cider-jug/tree.toml", "beds/row-b.bed/old-barrel/shrub.toml",
			"seeds/pip-1.0.seed", "seeds/husk-2.1.seed", "tools/rake.tool", "tools/hoe.tool", "weather/1.sky", "weather/2.sky"),
		Texts: map[tree.Path]string{
			"orchard.load": "# what grows here\r\ngraft apple-press\r\ngraft cider-jug\r\n# graft old-barrel\r\nwater daily\r\n",
			"picks.json":   `{"season": {"seeds": ["husk-2.1.seed", "pip-1.0.seed"]}, "days": ["one", "two"]}`,
			"start.sh":     "#!/bin/sh\nexec ./orchard --wind=low --tools=\"rake | hoe\"\n",
		},
		Downloads: []Download{
			{Filename: "pip-48213.seed", Entries: entries("seed.toml", "husk.bin"), Texts: map[tree.Path]string{"seed.toml": "[seed]\nid = \"pip\"\nversion = \"1.2\"\n"}},
			{Filename: "plum-tree.zip", Entries: entries("plum-tree/tree.toml", "plum-tree/plums.bin"), Texts: map[tree.Path]string{"plum-tree/tree.toml": "About = \"plums\"\nVersion = \"0.3\"\nid = \"orchard.plum\"\n"}},
		},
	}
}

func TestSeveralKindsPlacesGroupsAndListsAreFound(t *testing.T) {
	e := orchard()
	got := believed(e, nil)
	first := form{got[Shape], signsOf(got[Sign]), got[Place]}.String()
	require.ElementsMatch(t, []string{"folder tree.toml|shrub.toml in beds/{group}.bed", "single *.seed in seeds", "single *.tool in tools"}, append(strings.Split(got[More], "; "), first))
	require.Equal(t, "orchard.load, picks.json, start.sh", got[Lists])
	require.Equal(t, "orchard.key", got[Protected])

	text, err := Write("orchard", "The Orchard", e, nil)
	require.NoError(t, err)
	b, err := rulebook.Parse(text)
	require.NoError(t, err, "%s", text)
	require.Len(t, b.Kinds, 3)
	for _, want := range []string{
		"marker: [\"tree.toml\", \"shrub.toml\"]", "path: \"beds/{group}.bed\"", "default: \"row-a\"",
		"entry: \"graft {folder}\"", "disabled: \"# {entry}\"",
		"form: json\n    entry: \"{file}\"\n    kinds: [seed]\n    at: \"/season/seeds\"",
		"match: 'tools=\"([^\"]*)\"'\n    separator: \" | \"", "entry: \"{name}\"",
	} {
		require.Contains(t, string(text), want)
	}

	// A packed file's own manifest tells the version; the number of the download does not.
	lay := func(d Download) *layout.Crate {
		read := func(x tree.Entry, _ int64) ([]byte, error) {
			for p, text := range d.Texts {
				if x.Digest == tree.Sum([]byte(p)) {
					return []byte(text), nil
				}
			}
			return nil, nil
		}
		r, err := layout.Lay(b, layout.Archive{Filename: d.Filename, Entries: d.Entries, Whole: tree.Entry{Size: 9}, Read: read}, nil)
		require.NoError(t, err)
		require.Len(t, r.Crates, 1, "%v", r.Findings)
		return r.Crates[0]
	}
	require.Equal(t, "pip@1.2", lay(e.Downloads[0]).Label())
	require.Equal(t, "plum-tree@0.3", lay(e.Downloads[1]).Label())
}

func TestWhatTheServerKeepsForItselfIsNoKind(t *testing.T) {
	e := orchard()
	e.Downloads, e.Texts = nil, nil
	require.Equal(t, none, believed(e, nil)[More], "nothing speaks for seeds, tools or the weather")
	require.Equal(t, none, believed(e, nil)[Lists])
}

func TestATextThatNamesOneIsNoList(t *testing.T) {
	e := orchard()
	e.Texts = map[tree.Path]string{"orchard.load": "graft apple-press\nthe cider-jug leaks\ngraft pear-apple-press\n"}
	require.Equal(t, none, believed(e, nil)[Lists])
}

func TestKindsAndListsCanBeAnswered(t *testing.T) {
	e := orchard()
	text, err := Write("orchard", "The Orchard", e, Answers{More: "loose *.tune in songs", Lists: none})
	require.NoError(t, err)
	require.Contains(t, string(text), "loose: \"*.tune\"")
	require.NotContains(t, string(text), "load-lists")
	require.ErrorContains(t, Check(Answers{More: "songs"}), "write SHAPE SIGN in FOLDER")
	_, err = Write("orchard", "The Orchard", e, Answers{Lists: "start.bat"})
	require.ErrorContains(t, err, "start.bat names no two add-ons")
}

func TestOfTwoFilesThatAllHaveTheOneCalledLikeTheFolderMarks(t *testing.T) {
	e := Evidence{Tree: entries("stalls/gate/prices.lf", "stalls/gate/stall.lf", "stalls/drum/prices.lf", "stalls/drum/stall.lf")}
	require.Equal(t, "stall.lf", believed(e, nil)[Sign])
}
