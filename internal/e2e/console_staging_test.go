package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

func TestAFileThatNoRuleTakesIsPlacedByPointing(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	book := written(t, "plain.yaml", strings.Replace(read(t, books+"lanternfall.yaml"), `      - leave: "**"
        because: only tunes belong in a songbook`, "", 1))
	s.must("rulebook", "add", book)
	c := openConsole(t, s)
	zip := testbed.Zip(t, filepath.Join(t.TempDir(), "harvest-songs-1.2.zip"), map[string]string{"reel.tune": "la", "words.lyr": "sing"})
	c.goTo("/staging")
	c.upload("[data-files]", zip)
	c.click("harvest-songs@1.2")
	c.see("No rule speaks of these · 1 file")
	c.click("Place words.lyr")
	c.see("later versions of harvest-songs are laid out the same")
	c.ok(c.page.Select("Place", "songbooks"))
	c.click("Place them")
	c.see("1 rule placed as you said for harvest-songs@1.2")
	c.see("placed as you said for harvest-songs@1.2")
	c.click("Rename…")
	c.fill("Version", "\b\b\b1.2.5")
	c.click("Save")
	c.seeIn("main", "harvest-songs@1.2.5")
	s.must("deploy", "lantern", "harvest-songs@1.2.5", "--yes")
	require.Equal(t, map[string]string{"songbooks/harvest-songs/reel.tune": "la", "songbooks/harvest-songs/words.lyr": "sing"}, testbed.Files(testbed.Snapshot(t, root)))

	// What was corrected is taken back, and nothing else is offered.
	c.click("Take corrections back…")
	c.seeIn("[role=dialog]", "which version it is")
	require.Equal(t, []string{"which version it is", "where its files go"}, evaluated[[]string](c, `[...document.querySelectorAll('[role=dialog] label')].map(l => l.innerText.trim())`))
	c.click("where its files go")
	c.click("Take them back")
	c.see("No rule speaks of these · 1 file")
	c.seeIn("main", "harvest-songs@1.2.5")
}

func TestTheAddOnInAnArchiveIsChosenByPointing(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	c := openConsole(t, s)
	zip := testbed.Zip(t, filepath.Join(t.TempDir(), "tents-2.zip"), map[string]string{"new/stall.lf": "version = \"2\"\n", "new/wares/a": "a", "old/stall.lf": "version = \"1\"\n"})
	c.goTo("/staging")
	c.upload("[data-files]", zip)
	c.see("Which of these is the add-on?")
	c.click("Take old")
	c.seeIn("[data-upload='tents-2.zip']", "old@1")

	// That was the wrong one: it is taken back on the crate's own page, at any time.
	c.click("old@1")
	c.see("the root old, as you chose it for tents-2.zip")
	c.click("Choose another root…")
	c.click("Ask again")
	c.seeIn("[data-loose='tents-2.zip']", "Which of these is the add-on?")
	c.goTo("/staging") // anew, in which the upload is not known any more
	c.click("Take new")
	c.seeIn("table", "new")
	c.seeIn("h2:last-of-type", "Crates")
	require.NotContains(t, s.must("crate", "list"), "old@1")
}

func TestArchivesAndFoldersAreDropped(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	c := openConsole(t, s)
	dir := t.TempDir()
	zip := testbed.Zip(t, filepath.Join(dir, "drum-tent-main.zip"), stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	testbed.Write(t, filepath.Join(dir, "harvest-songs-1.2", "reel.tune"), "la")
	testbed.Write(t, filepath.Join(dir, "harvest-songs-1.2", "deep", "jig.tune"), "le")
	c.goTo("/staging")
	c.ok(c.page.Drop("Drop archives or folders here", zip, filepath.Join(dir, "harvest-songs-1.2")))
	c.seeIn("[data-upload='drum-tent-main.zip']", "drum-tent@0.4.0")
	c.seeIn("[data-upload='harvest-songs-1.2.tar']", "harvest-songs@1.2")
	var crate api.Crate
	s.get(&crate, "crate", "show", "harvest-songs@1.2")
	require.Equal(t, "harvest-songs-1.2/deep/jig.tune", crate.Left[0].Source, "folders in it came along")
	require.Equal(t, 1, crate.FileCount)
}

func TestABrokenArchiveIsRefusedOnTheStagingPage(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	c := openConsole(t, s)
	file := filepath.Join(t.TempDir(), "broken.zip")
	require.NoError(t, os.WriteFile(file, []byte("PK\x03\x04 and then nothing"), 0o644))
	c.goTo("/staging")
	c.upload("[data-files]", file)
	c.seeIn("[data-upload='broken.zip']", "refused")
}
