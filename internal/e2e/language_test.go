package e2e

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// What a rulebook can say of where files go, in a made-up game of beehives.
const hives = `format: 1
name: hives
title: Hives
game: {versions: ["3", "4"], loaders: [smoke, wax]}
variables: {apiary: {ask: which apiary, default: "", per: add-on}}
places: {hives: {path: "hives/{apiary}"}, keys: {path: keys}, combs: {path: combs}}
kinds:
  hive:
    recognise: {marker: "hive*.toml"}
    id: {read: {file: "hive*.toml", at: /id}}
    version: {read: {file: "hive*.toml", at: /version}}
    tells: {queen: {file: "hive*.toml", at: /queen}}
    put:
      - {leave: ["hive*.toml"]}
      - {take: "*/combs/*.comb", place: combs, as: "{queen}/{1}-{2}.comb"}
      - {take: "data/**", place: hives, as: "{id}/{below}"}
      - {take: "for-smoke/**", place: hives, as: "{id}/{below}", optional: smoked, one-of: build, for: {loader: smoke}}
      - {take: "for-wax/**", place: hives, as: "{id}/{below}", optional: waxed, one-of: build, for: {loader: wax}}
      - {take: "**", place: hives, as: "{id}/{around}/{root}/{path}"}
  bee:
    recognise: {single: "*.bee", beside: [.sting, .txt]}
    several: true
    put: [{take: "*.sting", place: keys, as: "{file}"}, {take: "*.bee", place: hives, as: "{file}"}, {leave: "**"}]
`

func TestWhatARulebookCanSayOfWhereFilesGo(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "hives.yaml", hives))
	s.must("server", "add", "yard", "--rulebook", "hives", "--folder", root)
	s.must("server", "test", "yard")
	s.must("stage", testbed.Zip(t, filepath.Join(dl, "meadow.zip"), map[string]string{
		"pack/meadow/hive-2.toml": "id = \"mk/meadow\"\nversion = \"1\"\nqueen = \"Ada\"\n", "pack/meadow/east/combs/a.comb": "1", "pack/meadow/data/deep/d.txt": "2",
		"pack/meadow/for-smoke/x.lib": "s", "pack/meadow/for-wax/x.lib": "w", "pack/meadow/rest.txt": "3",
	}), "--for", "yard")
	s.must("stage", testbed.Zip(t, filepath.Join(dl, "bees.zip"), map[string]string{
		"b/mason.bee": "m", "b/mason.bee.sting": "ms", "b/carder.bee": "c", "b/carder.sting": "cs", "b/carder.txt": "n", "b/other.sting": "o",
	}), "--for", "yard")

	o := s.fails(3, "meadow@1 comes in several forms, of which one is taken (build): smoked (for loader smoke), waxed (for loader wax)", "deploy", "yard", "mk/meadow@1", "mason", "carder", "--yes")
	require.Contains(t, o.err, "--with smoked")
	s.fails(2, "of build only one is taken: smoked or waxed", "deploy", "yard", "mk/meadow@1", "--with", "smoked", "--with", "waxed", "--yes")
	s.must("server", "edit", "yard", "--fact", "loader=wax")
	s.must("deploy", "yard", "mk/meadow@1", "mason", "carder", "--set", "carder:apiary=north", "--yes")
	require.Equal(t, []string{
		"combs/Ada/east-a.comb", "hives/mason.bee", "hives/mk-meadow/deep/d.txt", "hives/mk-meadow/pack/meadow/rest.txt", "hives/mk-meadow/x.lib",
		"hives/north/carder.bee", "keys/carder.sting", "keys/mason.bee.sting",
	}, filesOf(t, root))
	require.Equal(t, "w", read(t, filepath.Join(root, "hives/mk-meadow/x.lib")))
	s.must("deploy", "yard", "mk/meadow@1", "--with", "smoked", "--yes")
	require.Equal(t, "s", read(t, filepath.Join(root, "hives/mk-meadow/x.lib")), "what a person says")
	s.must("server", "edit", "yard", "--fact", "loader=smoke")
	s.must("deploy", "yard", "mk/meadow@1", "--yes")
	require.Equal(t, "s", read(t, filepath.Join(root, "hives/mk-meadow/x.lib")))
}
