package e2e

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

const ponds = `format: 1
name: ponds
title: Ponds
game: {names: [ponds]}
places: {reeds: {path: reeds}, kits: {path: kits}}
kinds:
  kit:
    recognise: {marker: kit.toml}
    version: {read: {file: kit.toml, at: /version}}
    put:
      - {take: "reeds/*.reed", place: reeds, as: "{file}"}
      - {take: "**", place: kits, as: "{name}/{path}"}
  dye:
    recognise: {marker: dye.toml}
    overlays: {read: {file: dye.toml, at: /for}}
    put:
      - {leave: dye.toml}
      - {take: "**", place: kits, as: "{base}/{path}"}
  reed:
    recognise: {single: "*.reed"}
    put: [{take: "*.reed", place: reeds, as: "{file}"}]
`

// A person's kit holds a reed that they also have by itself. The reed's next version never
// lies beside its old one.
func TestAFileThatTwoAddOnsShareIsNotLeftBesideItsNextVersion(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "ponds.yaml", ponds))
	s.must("server", "add", "pond", "--rulebook", "ponds", "--folder", root)
	s.must("server", "test", "pond")
	s.must("stage", testbed.Zip(t, filepath.Join(dl, "night-kit.zip"), map[string]string{"night-kit/kit.toml": "version = \"1\"\n", "night-kit/reeds/tall-1.0.reed": "one"}),
		textFile(t, dl, "tall-1.0.reed", "one"), textFile(t, dl, "tall-1.1.reed", "two"))
	s.must("deploy", "pond", "night-kit", "tall@1.0", "--yes")

	o := s.fails(3, "is blocked by 1 finding", "deploy", "pond", "tall@1.1", "--yes")
	require.Contains(t, o.out, "BLOCK shared-goes: reeds/tall-1.0.reed belongs to night-kit@1 too, and tall@1.1 brings tall-1.1.reed, another version of the same. Two versions would lie side by side.")
	require.NoFileExists(t, filepath.Join(root, "reeds/tall-1.1.reed"))
	s.must("deploy", "pond", "tall@1.1", "--yes", "--accept", "shared-goes")
	require.NoFileExists(t, filepath.Join(root, "reeds/tall-1.0.reed"))
	require.Equal(t, "two", read(t, filepath.Join(root, "reeds/tall-1.1.reed")))
	s.must("rollback", "pond", "--deployment", "3", "--yes")
	require.Equal(t, "one", read(t, filepath.Join(root, "reeds/tall-1.0.reed")), "and the way back covers it")
}

// A kit is updated under a dye that replaces one of its files: what the update brings for that
// file does not show, and that is said where it brings something.
func TestWhatAnUpdateBringsBelowAPatchIsSaid(t *testing.T) {
	t.Parallel()
	s, root, dl := start(t), t.TempDir(), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "ponds.yaml", ponds))
	s.must("server", "add", "pond", "--rulebook", "ponds", "--folder", root)
	s.must("server", "test", "pond")
	kit := func(version, rim string) string {
		return testbed.Zip(t, filepath.Join(dl, "night-kit-"+version+".zip"), map[string]string{"night-kit/kit.toml": "version = \"" + version + "\"\n", "night-kit/rim.txt": rim})
	}
	s.must("stage", kit("1", "grey"), kit("2", "green"), kit("3", "green"),
		testbed.Zip(t, filepath.Join(dl, "red-dye-1.zip"), map[string]string{"red-dye/dye.toml": "for = \"night-kit\"\n", "red-dye/rim.txt": "red"}))
	s.must("deploy", "pond", "night-kit@1", "red-dye", "--yes")
	require.Contains(t, s.must("deploy", "pond", "night-kit@2", "--yes"),
		"WARN  base-changed: kits/night-kit/rim.txt of night-kit@2 is another one than that of night-kit@1, and red-dye@1 replaces it still: what is new in it does not show.")
	require.Equal(t, "red", read(t, filepath.Join(root, "kits/night-kit/rim.txt")))
	require.NotContains(t, s.must("deploy", "pond", "night-kit@3", "--yes"), "base-changed")
	s.must("remove", "pond", "red-dye", "--yes")
	require.Equal(t, "green", read(t, filepath.Join(root, "kits/night-kit/rim.txt")))
}

func TestNamesAndVersionsAreToldApartAsAuthorsWriteThem(t *testing.T) {
	t.Parallel()
	s, dl := start(t), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "ponds.yaml", ponds))
	for file, want := range map[string]string{
		"PondsHeron-3.4.reed":       "crate Heron@3.4 ",
		"00-1.0.reed":               "crate 00@1.0 ",
		"48213-otter-2.1.reed":      "crate otter@2.1 ",
		"otter_48213 (1).reed":      "crate otter@unmarked ",
		"marsh-frog-20241105.reed":  "crate marsh-frog@20241105 ",
		"pike-2.0.1-hotfix2.reed":   "crate pike@2.0.1-hotfix2 ",
		"3.4.2 pylon/newt-1.0.reed": "crate newt@1.0 ",
	} {
		out := s.must("stage", textFile(t, filepath.Join(dl, filepath.Dir(file)), filepath.Base(file), file))
		require.Contains(t, out, want, file)
	}
	folder := map[string]string{"3.4.2 pylon/kit.toml": "x = 1\n"}
	require.Contains(t, s.must("stage", testbed.Zip(t, filepath.Join(dl, "pylon.zip"), folder)), "crate pylon@3.4.2 ")

	// The same bytes under a name that tells the version.
	plain := textFile(t, dl, "download.reed", "eel")
	require.Contains(t, s.must("stage", plain), "crate download@unmarked ")
	better := filepath.Join(dl, "eel-1.2.reed")
	require.NoError(t, os.Rename(plain, better))
	out := s.must("stage", better)
	require.Contains(t, out, "The same bytes were staged before as download.reed. This name tells the version, so it counts from now on.")
	require.Contains(t, out, "crate eel@1.2 ")
	require.NotContains(t, s.must("crate", "list"), "download@")
}

func TestALargeArchiveIsTakenOnAPersonsWord(t *testing.T) {
	t.Parallel()
	s, dl := start(t), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "ponds.yaml", ponds))
	file := testbed.Zip(t, filepath.Join(dl, "mist-kit.zip"), map[string]string{"mist-kit/kit.toml": "version = \"1\"\n", "mist-kit/mist.bin": string(bytes.Repeat([]byte{0}, 400<<20))})
	s.fails(1, "unpacked; it is refused", "stage", file)
	require.Contains(t, s.must("stage", file, "--trusted"), "crate mist-kit@1 ")
}

func TestAnothersRulebookIsNotWrittenOverUnasked(t *testing.T) {
	t.Parallel()
	s, dl := start(t), t.TempDir()
	var made api.MadeToken
	s.get(&made, "token", "add", "mara")
	body, err := json.Marshal(map[string]string{"text": ponds})
	require.NoError(t, err)
	status, raw := s.call("POST", "/api/v1/rulebooks", made.Secret, string(body))
	require.Equal(t, 200, status, raw)
	mine := textFile(t, dl, "ponds.yaml", ponds+"log: {file: pond.log}\n")
	o := s.fails(1, "revision 1 of rulebook ponds is by mara", "rulebook", "add", mine)
	require.Contains(t, o.err, "restless rulebook add FILE --over")
	require.NotContains(t, s.must("rulebook", "show", "ponds"), "revision 2")
	require.Contains(t, s.must("rulebook", "add", mine, "--over"), "revision 2")
}
