package e2e

import (
	"path/filepath"
	"testing"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

func TestCratesAreComparedAndJoinedByClicking(t *testing.T) {
	t.Parallel()
	s, _, download := gameServer(t, "lanternfall")
	s.must("stage", download("drum-tent-0.4.0.zip"), download("drum-tent-0.5.0.zip"))
	more := testbed.Zip(t, filepath.Join(t.TempDir(), "drum-sounds-0.5.0.zip"), map[string]string{"drum-sounds/stall.lf": "version = \"0.5.0\"\n", "drum-sounds/sounds/boom.lf": "boom"})
	s.must("stage", more)
	c := openConsole(t, s)
	c.goTo("/crates/" + digestOf(s, "drum-tent@0.5.0"))
	c.click("Compare…")
	c.see("From drum-tent@0.4.0 to drum-tent@0.5.0: 2 files the same, and")
	c.seeIn("[role=dialog]", "removed")
	c.seeIn("[role=dialog]", "stalls: drum-tent/wares/old-drum.lf")
	c.seeIn("[role=dialog]", "stalls: drum-tent/wares/kettle.lf")

	c.ok(c.page.Select("The other crate", digestOf(s, "drum-sounds@0.5.0")))
	c.see("From drum-sounds@0.5.0 to drum-tent@0.5.0") // the page moves until it is there
	c.click("Make one crate of both, called drum-tent@0.5.0")
	c.see("drum-sounds-0.5.0.zip") // beside the first download's name
	c.see("stalls/drum-sounds/sounds/boom.lf")
}

func TestWhatAPatchChangesIsSaidByClicking(t *testing.T) {
	t.Parallel()
	s, _, _ := gameServer(t, "lanternfall")
	s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "hush-1.zip"), map[string]string{"hush/change.lf": "version = \"1\"\n", "hush/wares/drum.lf": "hush"}))
	c := openConsole(t, s)
	c.goTo("/crates/" + digestOf(s, "hush@1"))
	c.see("hush@1 changes another add-on, and nothing in the archive tells which")
	c.click("Rename…")
	c.fill("Changes the add-on", "drum-tent")
	c.click("Save")
	c.see("stalls/drum-tent/wares/drum.lf")
	c.see("changes drum-tent, as you said for hush@1")
}

func TestAnIdIsKeptByClicking(t *testing.T) {
	t.Parallel()
	s, _, _ := gameServer(t, "lanternfall")
	c := openConsole(t, s)
	c.goTo("/staging")
	c.click("Without a download…")
	c.fill("Id", "drum")
	c.click("Keep it")
	c.see(`rulebook lanternfall does not take "drum" for the id of an add-on`)
	c.fill("Id", "4711081")
	c.click("Keep it")
	c.see("an id in a list, without a download; the server fetches it itself")
	c.see("no download")
}

func digestOf(s *service, ref string) string {
	s.t.Helper()
	var c api.Crate
	s.get(&c, "crate", "show", ref)
	return c.Digest
}
