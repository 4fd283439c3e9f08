package layout

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// moss is a game in which an add-on has parts for several places.
const moss = `format: 1
name: mossgrave
title: Mossgrave
game: {versions: ["7.1", "7.2"], loaders: [rope, ladder]}
places:
  caves: {path: caves}
  seals: {path: trusted-seals}
  charts: {path: charts}
  root: {path: .}
kinds:
  winch:
    recognise: {folders: [lib, bin]}
    put:
      - {take: "**", place: root}
  cave:
    recognise: {marker: cave.toml}
    several: true
    id: {read: {file: cave.toml, at: /cave/id}}
    version: {read: {file: cave.toml, at: /cave/version}}
    needs: {file: cave.toml, at: /needs, item: /id, range: /version}
    conflicts: {file: cave.toml, at: /conflicts}
    game: {file: cave.toml, at: /cave/for}
    put:
      - {leave: ["*.md", "*.png"], because: notes and pictures are for people}
      - {take: "seals/*.seal", place: seals, as: "{file}", also: true}
      - {take: "charts/**", place: charts, as: "{path}"}
      - {take: "by-choice/**", place: caves, as: "{name}/{path}", optional: wet-season}
      - {take: "*.yaml", place: caves, as: "{name}/{file}", settings: true}
      - {take: "**", place: caves, as: "{name}/{path}"}
  setup:
    recognise: {single: "*-setup.run"}
    installer: Run it in an empty folder, then stage that folder.
`

func readMoss(t require.TestingT) *rulebook.Book { return book(t, moss) }

func TestBodySealChartAndPartsByChoice(t *testing.T) {
	r := layOne(readMoss(t), archive("lantern-gallery-main.zip", map[string]string{
		"lantern-gallery-main/README.md":            "hi",
		"lantern-gallery-main/g/cave.toml":          "needs = [{id = \"rope-lore\", version = \">=1.2\"}]\nconflicts = [\"old-gallery\"]\n[cave]\nid = \"lantern-gallery\"\nversion = \"0.7.2\"\nfor = \"[7.1,8)\"\n",
		"lantern-gallery-main/g/seals/gallery.seal": "s",
		"lantern-gallery-main/g/charts/g/a.chart":   "a",
		"lantern-gallery-main/g/by-choice/wet.toml": "w",
		"lantern-gallery-main/g/gallery.yaml":       "deep: 3",
		"lantern-gallery-main/g/rooms/hall.room":    "h",
		"lantern-gallery-main/g/preview.png":        "p",
	}))
	c := r.Crate
	require.Equal(t, "lantern-gallery@0.7.2", c.Label())
	require.Equal(t, "lantern-gallery", c.Key())
	got := map[string][]string{}
	for _, f := range c.Files {
		got[f.Source.Base()] = append(got[f.Source.Base()], f.Place+":"+string(f.Path))
	}
	require.Equal(t, map[string][]string{
		"cave.toml":    {"caves:lantern-gallery/cave.toml"},
		"gallery.seal": {"caves:lantern-gallery/seals/gallery.seal", "seals:gallery.seal"},
		"a.chart":      {"charts:charts/g/a.chart"},
		"wet.toml":     {"caves:lantern-gallery/by-choice/wet.toml"},
		"gallery.yaml": {"caves:lantern-gallery/gallery.yaml"},
		"hall.room":    {"caves:lantern-gallery/rooms/hall.room"},
	}, got)
	for _, f := range c.Files {
		require.Equal(t, f.Source.Base() == "wet.toml", f.Optional == "wet-season")
		require.Equal(t, f.Source.Base() == "gallery.yaml", f.Settings)
	}
	require.Equal(t, []Fact{
		{Kind: rulebook.Needs, Name: "rope-lore", Range: ">=1.2", From: "cave.toml"},
		{Kind: rulebook.Conflicts, Name: "old-gallery", From: "cave.toml"},
		{Kind: rulebook.Game, Range: "[7.1,8)", From: "cave.toml"},
	}, c.Facts)
	require.Equal(t, []Left{{Source: "lantern-gallery-main/README.md", Size: 2, Reason: "outside the add-on's folder lantern-gallery-main/g", Settled: true},
		{Source: "lantern-gallery-main/g/preview.png", Size: 1, Reason: "notes and pictures are for people", Line: 24, Settled: true}}, c.Left)
}

func TestAPackGivesOneCratePerAddOn(t *testing.T) {
	r := lay(readMoss(t), archive("grand-tour-3.zip", map[string]string{
		"tour/caves/hall/cave.toml":  "[cave]\nid = \"hall\"\nversion = \"1.0\"\n",
		"tour/caves/shaft/cave.toml": "[cave]\nid = \"shaft\"\nversion = \"2.0\"\n",
		"tour/caves/shaft/deep/x":    "x",
		"tour/client/skin.png":       "s",
		"tour/LICENSE":               "l",
	}), nil)
	require.Len(t, r.Crates, 2)
	require.Equal(t, "grand-tour@3", r.Pallet.Label())
	require.Empty(t, r.Crates[0].Findings, "the 3 in the file's name is the pack's")
	require.Equal(t, "hall@1.0", r.Crates[0].Label())
	require.Equal(t, "shaft@2.0", r.Crates[1].Label())
	require.Equal(t, map[string]string{"tour/caves/shaft/cave.toml": "caves:shaft/cave.toml", "tour/caves/shaft/deep/x": "caves:shaft/deep/x"}, targets(r.Crates[1]))
	require.Equal(t, []finding.Finding{{Level: finding.Note, Code: "left-of-pack", Path: "tour/LICENSE",
		What: "belongs to none of the add-ons in it and is left out: tour/LICENSE, tour/client/skin.png"}}, r.Findings)
}

func TestVersionFoldersGiveOneCrateEach(t *testing.T) {
	r := lay(readMoss(t), archive("shaft.zip", map[string]string{
		"shaft/1.0/cave.toml": "[cave]\nfor = \"7.1\"\n", "shaft/1.1/cave.toml": "[cave]\nfor = \"7.2\"\n",
	}), nil)
	require.Len(t, r.Crates, 2)
	require.Equal(t, "shaft@1.0", r.Crates[0].Label())
	require.Equal(t, "shaft@1.1", r.Crates[1].Label())
	require.Nil(t, r.Pallet, "versions of one add-on are no pallet")
	require.Equal(t, "7.2", r.Crates[1].Facts[0].Range)
}

func TestALoaderKeepsItsTree(t *testing.T) {
	r := layOne(readMoss(t), archive("winch-4.2.zip", map[string]string{"winch-4.2/bin/winch": "#!", "winch-4.2/lib/a/b.lib": "b", "winch-4.2/go.sh": "g"}))
	require.Equal(t, "winch@4.2", r.Crate.Label())
	require.Equal(t, map[string]string{
		"winch-4.2/bin/winch": "root:bin/winch", "winch-4.2/lib/a/b.lib": "root:lib/a/b.lib", "winch-4.2/go.sh": "root:go.sh",
	}, targets(r.Crate))
	require.Equal(t, "kept relative to the folder that holds bin; goes to the place root", r.Crate.Files[0].Reason)
}

func TestAnInstallerIsRecognised(t *testing.T) {
	r := layOne(readMoss(t), archive("winch-4.2-setup.run", nil))
	require.Nil(t, r.Crate)
	require.Equal(t, []finding.Finding{{Level: finding.Warn, Code: "installer", What: "it is an installer, which must be run elsewhere first; stage what it makes",
		Mend: "Run it in an empty folder, then stage that folder."}}, r.Findings)
}

func TestAnArchiveInsideAnArchiveIsLaidOut(t *testing.T) {
	r := layOne(book(t, fair), archive("bundle.zip", map[string]string{
		"READ ME.txt":                           "first unpack",
		"drum-tent-0.4.zip":                     "PK",
		"drum-tent-0.4.zip!/drum-tent/stall.lf": `version = "0.4"`,
		"drum-tent-0.4.zip!/drum-tent/wares/a":  "a",
	}))
	require.Equal(t, "drum-tent@0.4", r.Crate.Label())
	require.Equal(t, map[string]string{
		"drum-tent-0.4.zip!/drum-tent/stall.lf": "stalls:drum-tent/stall.lf",
		"drum-tent-0.4.zip!/drum-tent/wares/a":  "stalls:drum-tent/wares/a",
		"READ ME.txt":                           "-",
	}, targets(r.Crate))
	require.Equal(t, "in drum-tent-0.4.zip: drum-tent/stall.lf marks the root", r.Crate.Why)
}

func TestWhichNumberIsWhoseComesFromTheRulebook(t *testing.T) {
	b := readMoss(t)
	r := layOne(b, archive("shaft-7.1-rope-3.4.zip", map[string]string{"s/cave.toml": "[cave]\nid = \"shaft\"\n"}))
	require.Equal(t, "3.4", r.Crate.Version)
	require.Equal(t, "the file name shaft-7.1-rope-3.4.zip", r.Crate.VersionFrom)
	require.Equal(t, []Fact{{Kind: rulebook.Game, Range: "7.1", From: "the file name shaft-7.1-rope-3.4.zip"},
		{Kind: rulebook.Loader, Name: "rope", From: "the file name shaft-7.1-rope-3.4.zip"}}, r.Crate.Facts)
	r = layOne(b, archive("shaft-7.1.zip", map[string]string{"cave.toml": "[cave]\nid = \"shaft\"\n"}))
	require.Equal(t, "version-or-game", r.Findings[0].Code)
	r = layOne(b, archive("shaft-3.5.zip", map[string]string{"cave.toml": "[cave]\nid = \"shaft\"\nversion = \"3.4\"\n"}))
	require.Equal(t, "cave.toml says 3.4, but the file name shaft-3.5.zip says 3.5; the first is taken", r.Findings[0].What)
}

func TestABrokenManifestIsSaidAndDoesNotStopAnything(t *testing.T) {
	r := layOne(readMoss(t), archive("shaft-3.5.zip", map[string]string{"shaft/cave.toml": "[cave\n"}))
	require.Equal(t, "shaft@3.5", r.Crate.Label())
	require.Equal(t, "bad-manifest", r.Findings[0].Code)
	require.Contains(t, r.Findings[0].What, "shaft/cave.toml is not TOML")
}

func TestCorrectionsAreKeptForTheNextVersion(t *testing.T) {
	b := book(t, fair)
	fixes := Fixes{"drum-tent": {From: "drum-tent@0.4", Name: "big-drum", Version: map[string]string{tree.Sum([]byte("drum-tent-0.5.zip")).String(): "0.5.1"},
		Rules: []rulebook.Rule{{Take: []string{"*.bin"}, Place: "stalls", As: "{name}/{file}", Because: "you placed it"}}}}
	a := archive("drum-tent-0.5.zip", map[string]string{"drum-tent/stall.lf": "", "drum-tent/odd.bin": "?"})
	res := lay(b, a, fixes)
	c := res.Crates[0]
	require.Equal(t, "big-drum@0.5.1", c.Label())
	require.Equal(t, map[string]string{"drum-tent/stall.lf": "stalls:big-drum/stall.lf", "drum-tent/odd.bin": "stalls:big-drum/odd.bin"}, targets(c))
	require.Empty(t, c.Findings)
	require.Equal(t, []string{"called big-drum instead of drum-tent, as you said for drum-tent@0.4", "version 0.5.1, as you said, instead of 0.5",
		"1 rule placed as you said for drum-tent@0.4"}, c.Corrected)
	other := archive("drum-tent-0.6.zip", map[string]string{"drum-tent/stall.lf": ""})
	require.Equal(t, "big-drum@0.6", lay(b, other, fixes).Crates[0].Label(), "the version was said of one archive alone")
}

func TestAChosenRootIsFoundAgain(t *testing.T) {
	b := book(t, fair)
	files := map[string]string{"v2-tent/stall.lf": "", "v2-tent/wares/a": "", "old/stall.lf": ""}
	res := lay(b, archive("tents-2.zip", files), nil)
	require.Empty(t, res.Crates)
	require.Equal(t, []Choice{{Kind: "stall", Root: "v2-tent", Files: 2, Why: "v2-tent/stall.lf marks the root"}, {Kind: "stall", Root: "old", Files: 1, Why: "old/stall.lf marks the root"}}, res.Choices)
	require.Equal(t, "tents", ChoiceKey(b, "tents-2.zip"))
	fixes := Fixes{"tents": {From: "tents-2.zip", Root: Pattern("v2-tent")}}
	next := map[string]string{"v3-tent/stall.lf": "", "old/stall.lf": ""}
	c := lay(b, archive("tents-3.zip", next), fixes).Crates[0]
	require.Equal(t, tree.Path("v3-tent"), c.Root)
	require.Contains(t, c.Corrected, "the root "+string(c.Root)+", as you chose it for tents-2.zip")
}
