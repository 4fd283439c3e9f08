package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// reefs is a made-up game whose server reads four lists, in three texts: by ids that differ
// from folders, by groups, by a map with its mode, and by a line that is always the same.
const reefs = `format: 1
name: reefs
title: Reefs
variables:
  shoal: {ask: which shoal it swims in, default: deep, per: add-on}
places:
  corals: {path: corals}
  shoals: {path: "corals/{shoal}.shoal"}
  charts: {path: charts}
kinds:
  coral:
    recognise: {marker: coral.toml}
    id: {read: {file: coral.toml, at: /id}}
    name: {read: {file: coral.toml, at: /title}}
    version: {read: {file: coral.toml, at: /version}}
    put: [{take: "**", place: corals, as: "{name}/{path}"}]
  fish:
    recognise: {marker: fish.toml}
    version: {read: {file: fish.toml, at: /version}}
    put: [{take: "**", place: shoals, as: "{name}/{path}"}]
  chart:
    recognise: {marker: chart.toml}
    version: {read: {file: chart.toml, at: /version}}
    tells: {mode: {file: chart.toml, at: /modes}}
    put: [{leave: chart.toml}, {take: "**", place: charts, as: "{file}"}]
load-lists:
  corals: {file: reef.load, form: line, entry: "load {id}", disabled: "# {entry}", kinds: [coral]}
  shoals: {file: shoals.load, form: line, entry: "shoal {shoal}", kinds: [fish]}
  rotation: {file: rotation.json, form: json, at: "", entry: "{name}:{mode}", kinds: [chart]}
  charts: {file: reef.yaml, form: yaml, at: /sea/charts, if-missing: begin, entry: "{file}", files: "*.chart", kinds: [chart]}
  reading: {file: switches.load, form: line, entry: "read-charts on", kinds: [chart]}
`

func TestEntriesAreMadeFromWhatTheGameAsksFor(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "reefs.yaml", reefs))
	testbed.Write(t, filepath.Join(root, "reef.load"), "load old-one\n")
	testbed.Write(t, filepath.Join(root, "corals/Old One/coral.toml"), "id = \"old-one\"\n")
	testbed.Write(t, filepath.Join(root, "rotation.json"), "[\n  \"bay:calm\"\n]\n")
	testbed.Write(t, filepath.Join(root, "reef.yaml"), "sea:\n  depth: 9 # fathoms\nport: 7\n")
	s.must("server", "add", "reef", "--rulebook", "reefs", "--folder", root)
	s.must("server", "test", "reef")
	for _, d := range []struct{ folder, file, text string }{
		{"brain", "coral.toml", "id = \"mk.brain\"\ntitle = \"Brain Coral\"\nversion = \"1\"\n"},
		{"fan", "coral.toml", "id = \"mk.fan\"\ntitle = \"Fan\"\nversion = \"1\"\n"},
		{"tuna", "fish.toml", "version = \"1\"\n"},
		{"eel", "fish.toml", "version = \"1\"\n"},
		{"lagoon", "chart.toml", "version = \"1\"\nmodes = [\"calm\", \"storm\"]\n"},
	} {
		testbed.Write(t, filepath.Join(dl, d.folder, d.file), d.text)
		if d.folder == "lagoon" {
			testbed.Write(t, filepath.Join(dl, d.folder, "east.chart"), "e")
			testbed.Write(t, filepath.Join(dl, d.folder, "west.chart"), "w")
		}
		s.must("stage", filepath.Join(dl, d.folder), "--for", "reef")
	}
	text := func(name string) string {
		raw, err := os.ReadFile(filepath.Join(root, name))
		require.NoError(t, err)
		return string(raw)
	}
	silent := func(args ...string) {
		t.Helper()
		out := s.must(args...)
		require.NotContains(t, out, "listed-nothing")
		require.NotContains(t, out, "not-listed")
	}

	silent("deploy", "reef", "Brain Coral@1", "Fan@1", "tuna@1", "eel@1", "lagoon@1", "--yes")
	require.Equal(t, "load old-one\nload mk.brain\nload mk.fan\n", text("reef.load"), "by the id, not by the folder")
	require.Equal(t, "shoal deep\n", text("shoals.load"), "once for both")
	require.Equal(t, "[\n  \"bay:calm\",\n  \"lagoon:calm\",\n  \"lagoon:storm\"\n]\n", text("rotation.json"), "once for each mode")
	require.Equal(t, "sea:\n  depth: 9 # fathoms\n  charts:\n    - east.chart\n    - west.chart\nport: 7\n", text("reef.yaml"), "once for each file")
	require.Equal(t, "read-charts on\n", text("switches.load"))

	silent("disable", "reef", "Brain Coral", "--yes") // what its manifest calls it, which is not its key
	require.Equal(t, "load old-one\n# load mk.brain\nload mk.fan\n", text("reef.load"))
	silent("enable", "reef", "mk.brain", "--yes")
	testbed.Write(t, filepath.Join(root, "rotation.json"), "[\n  \"lagoon:storm\",\n  \"bay:calm\",\n  \"lagoon:calm\"\n]\n") // by hand
	silent("disable", "reef", "lagoon", "--yes")                                                                              // these lists can only take it out
	require.Equal(t, "[\n  \"bay:calm\"\n]\n", text("rotation.json"))
	silent("enable", "reef", "lagoon", "--yes")
	require.Equal(t, "[\n  \"lagoon:storm\",\n  \"bay:calm\",\n  \"lagoon:calm\"\n]\n", text("rotation.json"), "where each stood")
	silent("remove", "reef", "tuna", "--yes")
	require.Equal(t, "shoal deep\n", text("shoals.load"), "the eel still swims there")
	silent("remove", "reef", "eel", "fan", "--yes")
	require.Equal(t, "load old-one\nload mk.brain\n", text("reef.load"))
	require.Empty(t, text("shoals.load"))

	s.must("rollback", "reef", "--to", "0", "--yes")
	require.Equal(t, "load old-one\n", text("reef.load"))
	require.Equal(t, "[\n  \"bay:calm\"\n]\n", text("rotation.json"))
	require.Equal(t, "sea:\n  depth: 9 # fathoms\nport: 7\n", text("reef.yaml"))
}

func TestAnyNameCanBeAddressed(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "reefs.yaml", reefs))
	s.must("server", "add", "reef", "--rulebook", "reefs", "--folder", root)
	s.must("server", "test", "reef")
	for i, title := range []string{"@kelp", "north@kelp", "Kelp Wood 2.0", "twin"} {
		testbed.Write(t, filepath.Join(dl, "k", title, "coral.toml"), fmt.Sprintf("id = \"k%d\"\ntitle = %q\nversion = \"1.%d\"\n", i, title, i))
		s.must("stage", filepath.Join(dl, "k", title), "--for", "reef")
	}
	for name, label := range map[string]string{
		"@kelp": "@kelp@1.0", "@kelp@1.0": "@kelp@1.0", "north@kelp": "north@kelp@1.1", "north@kelp@1.1": "north@kelp@1.1",
		"kelp wood 2.0": "Kelp Wood 2.0@1.2", "Kelp Wood 2.0@1.2": "Kelp Wood 2.0@1.2", "K2": "Kelp Wood 2.0@1.2",
	} {
		require.Contains(t, s.must("crate", "show", name), label, name)
		s.must("deploy", "reef", name, "--yes")
		require.Contains(t, s.must("status", "reef"), "1."+label[len(label)-1:], name)
	}
	s.must("rollback", "reef", "--addon", "Kelp Wood 2.0", "--yes")
	s.must("remove", "reef", "@kelp", "--yes")
	require.NoDirExists(t, filepath.Join(root, "corals/@kelp"))

	testbed.Write(t, filepath.Join(dl, "other", "coral.toml"), "id = \"k9\"\ntitle = \"Twin\"\nversion = \"1\"\n")
	s.must("stage", filepath.Join(dl, "other"), "--for", "reef")
	s.fails(2, "twin is the name of several add-ons: k3, k9", "crate", "show", "twin")
}

func TestAnAddOnIsDisabledByRenamingWhereNoListNamesIt(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "moles.yaml", `format: 1
name: moles
title: Moles
places: {tunnels: {path: tunnels}}
kinds:
  mole: {recognise: {single: "*.mole"}, disabled-by: {suffix: .asleep}, put: [{take: "*.mole", place: tunnels, as: "{file}"}]}
  sett: {recognise: {marker: sett.txt}, disabled-by: {suffix: .asleep}, put: [{take: "**", place: tunnels, as: "{name}/{path}"}]}
`))
	s.must("server", "add", "hill", "--rulebook", "moles", "--folder", root)
	s.must("server", "test", "hill")
	for _, version := range []string{"1.0", "1.1"} {
		s.must("stage", textFile(t, dl, "digger-"+version+".mole", version), "--for", "hill")
	}
	testbed.Write(t, filepath.Join(dl, "deep/sett.txt"), "d")
	testbed.Write(t, filepath.Join(dl, "deep/rooms/a.txt"), "a")
	require.NoError(t, os.Mkdir(filepath.Join(dl, "deep/stores"), 0o755)) // which is empty
	s.must("stage", filepath.Join(dl, "deep"), "--for", "hill")
	s.must("deploy", "hill", "digger@1.0", "deep", "--yes")

	s.must("disable", "hill", "digger", "deep", "--yes")
	require.Equal(t, []string{"tunnels/deep.asleep/rooms/a.txt", "tunnels/deep.asleep/sett.txt", "tunnels/digger-1.0.mole.asleep"}, filesOf(t, root))
	require.DirExists(t, filepath.Join(root, "tunnels/deep.asleep/stores"))
	require.NoDirExists(t, filepath.Join(root, "tunnels/deep"), "nothing of it is left for the server to load")
	require.Regexp(t, `digger +1\.0.*disabled`, s.must("status", "hill"))
	s.must("deploy", "hill", "digger@1.1", "deep", "--yes")
	require.NoDirExists(t, filepath.Join(root, "tunnels/deep"), "an update leaves it so")
	require.Contains(t, filesOf(t, root), "tunnels/digger-1.1.mole.asleep", "it stays disabled over an update")
	require.NotContains(t, filesOf(t, root), "tunnels/digger-1.0.mole.asleep")
	s.must("enable", "hill", "digger", "deep", "--yes")
	require.Equal(t, []string{"tunnels/deep/rooms/a.txt", "tunnels/deep/sett.txt", "tunnels/digger-1.1.mole"}, filesOf(t, root))
	require.DirExists(t, filepath.Join(root, "tunnels/deep/stores"))
	require.NoDirExists(t, filepath.Join(root, "tunnels/deep.asleep"))
	require.NotContains(t, s.must("status", "hill"), "disabled")
	s.must("rollback", "hill", "--to", "2", "--yes")
	require.Equal(t, []string{"tunnels/deep.asleep/rooms/a.txt", "tunnels/deep.asleep/sett.txt", "tunnels/digger-1.0.mole.asleep"}, filesOf(t, root))
	require.Regexp(t, `digger +1\.0.*disabled`, s.must("status", "hill"))
}

// filesOf lists the files of a server's tree, without what is ours.
func filesOf(t *testing.T, root string) (out []string) {
	t.Helper()
	for name, thing := range settled(t, root) {
		if !thing.Mode.IsDir() {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}
