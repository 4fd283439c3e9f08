package e2e

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
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

// A pack of several kinds, with what lies beside them; its next version under another file
// name drops one, and another one was left out or is newer on the server.
func TestAPackIsOnePalletOverItsVersions(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	book := strings.Replace(hives, "load-lists", "load-lists", 1) + `  rest:
    recognise: {rest: ["settings/**", "*.sh"]}
    put: [{take: "**", place: root}]
`
	book = strings.Replace(strings.Replace(book, "combs: {path: combs}}", "combs: {path: combs}, root: {path: .}}", 1), "  hive:\n", "  hive:\n    several: true\n", 1)
	s.must("rulebook", "add", textFile(t, dl, "hives.yaml", book))
	s.must("server", "add", "yard", "--rulebook", "hives", "--folder", root, "--fact", "loader=wax")
	s.must("server", "test", "yard")
	hive := func(id, version string) string {
		return "id = \"" + id + "\"\nversion = \"" + version + "\"\nqueen = \"Ada\"\n"
	}
	pack := func(file string, files map[string]string) string {
		all := map[string]string{}
		for name, text := range files {
			all["The Pack/"+name] = text
		}
		return s.must("stage", testbed.Zip(t, filepath.Join(dl, file), all), "--for", "yard")
	}
	out := pack("meadow-pack-1.0.zip", map[string]string{"mods/clover/hive.toml": hive("clover", "1"), "mods/clover/data/c.txt": "c1", "mods/heather/hive.toml": hive("heather", "1"), "mods/heather/data/h.txt": "h1",
		"bees/mason-2.0.bee": "m", "settings/yard.conf": "quiet=1", "run.sh": "go", "README.md": "x"})
	require.Contains(t, out, "pallet meadow-pack@1.0: these 4 together")
	require.Contains(t, out, "crate meadow-pack-rest@1.0  rest of hives: 2 files placed")
	s.must("deploy", "yard", "meadow-pack", "--without", "heather", "--yes")
	require.Equal(t, []string{"hives/clover/c.txt", "hives/mason-2.0.bee", "run.sh", "settings/yard.conf"}, filesOf(t, root))
	require.Regexp(t, `meadow-pack +1\.0 +pallet +placed +4 .*3 of its 4 add-ons; not there: heather`, s.must("status", "yard"))
	require.Regexp(t, `meadow-pack@1\.0 +hives +pallet +4 crates`, s.must("crate", "list"))

	s.must("pallet", "rename", "meadow-pack", "Meadow")
	s.must("stage", textFile(t, dl, "mason-3.0.bee", "m3"), "--for", "yard")
	s.must("deploy", "yard", "mason@3.0", "--yes")
	require.Contains(t, pack("meadow-pack-2.0-final.zip", map[string]string{"mods/heather/hive.toml": hive("heather", "2"), "mods/heather/data/h.txt": "h2", "mods/sage/hive.toml": hive("sage", "1"), "mods/sage/data/s.txt": "s",
		"bees/mason-2.5.bee": "m", "settings/yard.conf": "quiet=2"}), "pallet Meadow@2.0")
	out = s.must("deploy", "yard", "Meadow", "--yes")
	require.Contains(t, out, "heather@2 of Meadow@2.0-final is left out, as you said.")
	require.Contains(t, out, "mason 3.0 is on the server, which is newer than the 2.5 of Meadow@2.0-final; it stays.")
	require.Equal(t, []string{"hives/mason-3.0.bee", "hives/sage/s.txt", "settings/yard.conf"}, filesOf(t, root), "clover is retired, and so is the script")
	s.must("deploy", "yard", "Meadow", "--with", "heather", "--yes")
	require.Contains(t, filesOf(t, root), "hives/heather/h.txt")
}

// Corrections belong to what was corrected, are shown, and can be taken back.
func TestCorrectionsAreShownAndTakenBack(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "b.yaml", `format: 1
name: barns
title: Barns
places: {barns: {path: barns}, loose: {path: loose}}
kinds:
  barn: {recognise: {marker: barn.txt}, several: true, put: [{take: "**", place: barns, as: "{name}/{path}"}]}
  hay: {recognise: {single: "*.hay"}, put: [{take: "*.hay", place: loose, as: "{file}"}]}
`))
	s.must("server", "add", "farm", "--rulebook", "barns", "--folder", root)
	s.must("server", "test", "farm")
	s.must("stage", testbed.Zip(t, filepath.Join(dl, "two.zip"), map[string]string{"north/main/barn.txt": "n", "south/main/barn.txt": "s", "south/main/x.txt": "x"}), "--for", "farm")
	var crates []api.Crate
	s.get(&crates, "crate", "list", "--addon", "main")
	require.Len(t, crates, 2, "two of one name")
	s.fails(2, "main can mean several crates", "deploy", "farm", "main", "--yes")
	for _, c := range crates {
		if c.FileCount == 2 {
			out := s.must("crate", "set", c.Ref, "--name", "southern")
			require.Contains(t, out, "crate southern@unmarked")
			require.Contains(t, out, "crate main@unmarked", "the other one is as it was")
		}
	}
	s.fails(2, `no file of southern@unmarked is like "*.yaml"`, "crate", "place", "southern", "*.yaml", "--leave-out")
	s.must("crate", "place", "southern", "x.txt", "--leave-out")
	require.Regexp(t, `(?s)main in south/main.*leave: \["x.txt"\]`, strings.ReplaceAll(s.must("crate", "unset"), "\n", " "))
	s.must("crate", "unset", "southern", "--files")
	require.Contains(t, s.must("crate", "unset", "southern", "--name"), "crate main@unmarked")
	require.Contains(t, s.must("crate", "unset"), "Nothing was corrected.")
	s.fails(2, "no kind of rulebook barns takes the folder south", "stage", filepath.Join(dl, "two.zip"), "--for", "farm", "--root", "south")
	out := s.must("stage", filepath.Join(dl, "two.zip"), "--for", "farm", "--root", "south/main")
	require.Contains(t, out, "2 files placed, 1 left out")

	// Another kind with the same name is asked about.
	s.must("deploy", "farm", "main", "--yes")
	s.must("stage", textFile(t, dl, "main.hay", "h"), "--for", "farm")
	o := s.fails(3, "farm#2 is blocked by 1 finding", "deploy", "farm", "main", "--yes")
	require.Contains(t, o.out, "main@unmarked is a hay, and the main on the server is a barn.")
	require.Contains(t, o.out, "--apart")
	s.get(&crates, "crate", "list", "--addon", "main")
	require.Equal(t, "hay", crates[0].Kind)
	require.Contains(t, s.must("crate", "set", crates[0].Ref, "--apart"), "told apart from others called main by its kind")
	s.must("deploy", "farm", "main.hay", "--yes")
	require.Equal(t, []string{"barns/main/barn.txt", "barns/main/x.txt", "loose/main.hay"}, filesOf(t, root), "both are there")
}
