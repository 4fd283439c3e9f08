package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// mills is a made-up game whose add-ons are zips under suffixes of their own.
const mills = `format: 1
name: mills
title: Mills
places: {stones: {path: stones}, wheels: {path: wheels}, houses: {path: houses}}
kinds:
  wheel:
    recognise: {single: "*.grist", holds: wheel.json}
    several: true
    version: {read: {file: wheel.json, at: /made/version}}
    put: [{take: "*.grist", place: wheels, as: "{name}.grist"}]
  stone:
    recognise: {single: "*.grist"}
    several: true
    id: {read: {file: META/stone.toml, at: /id}}
    version: {read: {file: META/stone.toml, at: /version}}
    needs: {file: META/stone.toml, at: /needs}
    put: [{take: "*.grist", place: stones, as: "{id}-{version}.grist"}]
  house:
    recognise: {marker: house.txt}
    version: {read: {file: "*.sack!/label.toml", at: /version}}
    put: [{take: "**", place: houses, as: "{name}/{path}"}]
`

func TestAPackedFileIsLookedIntoWhereverItLies(t *testing.T) {
	t.Parallel()
	s, dl := start(t), t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "mills.yaml", mills))
	stone := func(file, id, version string) string {
		return testbed.Zip(t, filepath.Join(dl, file), map[string]string{"META/stone.toml": "id = \"" + id + "\"\nversion = \"" + version + "\"\nneeds = [\"axle >= 2\"]\n", "code/x.bin": "code of " + id})
	}
	raw := func(file string) string { return read(t, file) }
	flint, chalk := stone("flint.grist", "mk-flint", "1.4"), stone("chalk (2).grist", "mk-chalk", "0.9")
	wheel := testbed.Zip(t, filepath.Join(dl, "big.grist"), map[string]string{"wheel.json": `{"made": {"version": "7"}}`})
	broken := textFile(t, dl, "cut.grist", raw(flint)[:60])

	kinds := func(file string) map[string]string {
		t.Helper()
		var st []api.Staged
		s.get(&st, "stage", file, "--rulebook", "mills")
		out := map[string]string{}
		for _, c := range st[0].Rulebooks[0].Crates {
			var whole api.Crate
			s.get(&whole, "crate", "show", c.Ref)
			needs := ""
			for _, f := range whole.Facts {
				needs += " needs " + f.Name + f.Range
			}
			out[c.Label] = c.Kind + needs
		}
		return out
	}
	alone := kinds(flint)
	require.Equal(t, map[string]string{"mk-flint@1.4": "stone needs axle>= 2"}, alone)
	require.Equal(t, alone, kinds(testbed.Zip(t, filepath.Join(dl, "with-notes.zip"), map[string]string{"README.md": "x", "in/flint.grist": raw(flint)})), "in an archive, beside notes")
	pack := map[string]string{"a/flint.grist": raw(flint), "a/chalk.grist": raw(chalk), "b/big.grist": raw(wheel), "notes/cut.grist": raw(broken)}
	require.Equal(t, map[string]string{"mk-flint@1.4": "stone needs axle>= 2", "mk-chalk@0.9": "stone needs axle>= 2", "big@7": "wheel", "cut@unmarked": "wheel"},
		kinds(testbed.Zip(t, filepath.Join(dl, "pack-3.zip"), pack)), "in a pack, each by what is in it; what is broken is believed by its name")
	require.Equal(t, map[string]string{"mk-flint@1.4": "stone needs axle>= 2", "mk-chalk@0.9": "stone needs axle>= 2"},
		kinds(testbed.TarGz(t, filepath.Join(dl, "two.tar.gz"), map[string]string{"flint.grist": raw(flint), "chalk.grist": raw(chalk)})), "in another format")
	sack := testbed.Zip(t, filepath.Join(dl, "flour.sack"), map[string]string{"label.toml": "version = \"12\"\n"})
	require.Equal(t, map[string]string{"mill-house@12": "house"},
		kinds(testbed.Zip(t, filepath.Join(dl, "h.zip"), map[string]string{"mill-house/house.txt": "h", "mill-house/flour.sack": raw(sack)})), "a reading looks into a packed sibling")
	require.NoError(t, os.Remove(broken))
}
