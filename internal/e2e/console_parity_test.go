package e2e

import (
	"archive/zip"
	"fmt"
	"image/color"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// The search by halves goes through the console, survives a page that is loaded again, and waits on
// the desk as long as it is not over.
func TestTheConsoleFindsTheCauseByHalves(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	names := []string{"cranes", "ropes", "bells", "lamps"}
	for _, n := range names {
		r.must("stage", r.fixture(n+"-1.0.tdx", "name "+n, "version 1.0"))
	}
	r.must(append(append([]string{"deploy", "here"}, names...), "--yes")...)
	conf := func() string { return strings.Split(r.read("tidewright.conf"), "days-open")[0] }
	before := conf()
	c := openConsole(t, r.service)
	c.goTo("/servers/here/running")
	c.click("Find it by halves…")
	c.click("lamps 1.0") // not suspected
	c.click("Begin")
	c.seeIn("[data-narrowing=on]", "It may be one of 3 add-ons")
	c.goTo("/")
	c.seeIn("[data-need=search]", "a search for what does something wrong on here is not over")
	c.click("Answer it")
	for range 4 {
		c.seeIn("[data-narrowing]", "Which add-on does it?")
		var n api.Narrowing
		if status, _ := r.call("GET", "/api/v1/servers/here/narrowing", r.token(), ""); status == 404 {
			break
		}
		r.get(&n, "narrow", "here")
		require.NotContains(t, n.Off, "lamps")
		c.seeIn("[data-narrowing=on]", "Off now: "+strings.Join(n.Off, ", "))
		said := "It still happens"
		if slices.Contains(n.Off, "ropes") {
			said = "It does not happen now"
		}
		c.clickIn("[data-narrowing=on]", said)
		_, err := browser.Until[bool](c.page, "the next question", fmt.Sprintf(`(s => s && (s.dataset.narrowing === 'over' || s.dataset.tried > %d) && !s.querySelector('[data-step]'))(document.querySelector('[data-narrowing]')) || null`, n.Tried))
		c.ok(err)
	}
	c.seeIn("[data-narrowing=over]", "It is ropes: with it alone off it does not happen. Everything on here is as it was.")
	require.Equal(t, before, conf())
	c.click("Disable ropes…")
	c.see("DRAFT")

	c.goTo("/servers/here/running")
	c.click("Find it by halves…")
	c.click("Begin")
	c.seeIn("[data-narrowing=on]", "It may be one of 4 add-ons")
	c.click("Give it up")
	c.seeIn("[data-narrowing=over]", "The search is given up. Everything on here is as it was.")
	require.Equal(t, before, conf())
	c.goTo("/")
	c.see("here")
	c.ok(c.page.Gone("is not over"))
}

// The service downloads from an address that a person gives, and tells why it does not.
func TestTheConsoleDownloadsFromAnAddress(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	h := newShelf(t, tentWithNoise(t))
	c := openConsole(t, s)
	fetch := func(address string) {
		c.click("From an address…")
		c.fill("Address", address)
		c.click("Download it")
	}
	c.goTo("/staging")
	fetch(h.URL + "/get")
	c.seeIn("[data-fetched=refused]", "127.0.0.1 is no public address")
	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32"}
	s.up()
	c.click("Try it again")
	c.seeIn("[data-fetched=staged]", "drum-tent@0.5.0")
	fetch(h.URL + "/page")
	c.seeIn("[data-fetched=refused]", "page")
}

// A name is changed in every text but where it is unticked, with the files that are called so; a person's
// picture takes the place of an add-on's; mistakes in texts are told and lead to their text.
func TestTheConsoleChangesNamesFilesAndMistakes(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	dl := t.TempDir()
	folder := filepath.Join(dl, "sluice")
	testbed.Write(t, filepath.Join(folder, "gate.toml"), "version = \"1\"\n")
	testbed.Write(t, filepath.Join(folder, "settings.yaml"), "face: face.png\nby: heron\nnot-by: heron\n")
	testbed.Write(t, filepath.Join(folder, "heron.txt"), "a heron\n")
	testbed.Write(t, filepath.Join(folder, "face.png"), drawing(t, 8, color.White))
	s.must("stage", folder, "--for", "fen")
	s.must("deploy", "fen", "sluice@1", "--yes")
	c := openConsole(t, s)
	c.goTo("/servers/fen/texts")
	c.click("Change a name…")
	c.fill("The name now", "heron")
	c.fill("The new name", "egret")
	c.click("See where it stands")
	c.seeIn("[data-places]", "not-by: heron")
	c.click("Change line 3 of gates/sluice/settings.yaml")
	c.click("Rename what is called so too, and what names the things that the server loads")
	c.seeIn("[role=dialog]", "gates/sluice/heron.txt → gates/sluice/egret.txt")
	c.click("Draft 3 changes")
	c.runDraft("fen#3")
	require.Equal(t, "face: face.png\nby: egret\nnot-by: heron\n", text("gates/sluice/settings.yaml"))
	require.Equal(t, "a egret\n", text("gates/sluice/egret.txt"))

	own := drawing(t, 8, color.Black)
	mine := textFile(t, dl, "mine.png", own)
	c.goTo("/servers/fen/files?open=gates/sluice/face.png")
	c.click("Put a file of yours there…")
	c.upload("[role=dialog] input[type=file]", mine)
	c.click("Draft it")
	c.runDraft("fen#4")
	require.Equal(t, own, text("gates/sluice/face.png"))

	require.NoError(t, os.WriteFile(filepath.Join(root, "gates/sluice/settings.yaml"), []byte("face: face.png\nby: egret\nby: stork\n"), 0o644))
	c.goTo("/servers/fen/texts")
	c.click("Look for mistakes")
	c.see(" in 3 texts.")
	c.seeIn("[data-finding]", "gates/sluice/settings.yaml")
	c.clickIn("[data-finding]", "Line 3")
	c.see("All texts")
}

// Rulebooks begin with a shape and go out of use, packs get other names, and two servers stand side by side.
func TestTheConsoleBeginsWithAShapeAndComparesServers(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.must("server", "add", "harbour", "--rulebook", "lanternfall", "--folder", t.TempDir())
	s.must("server", "test", "harbour")
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	s.must("deploy", "harbour", "drum-tent@0.4.0", "--yes")
	s.stage(stall("0.5.0", map[string]string{"drum.txt": "BOOM"}))
	s.must("deploy", "lantern", "drum-tent@0.5.0", "--yes")
	c := openConsole(t, s)
	c.goTo("/servers/lantern/compare")
	c.seeIn("[data-turn=drum-tent]", "drum-tent@0.4.0")
	c.pick("Beside", "server harbour")
	c.seeIn("[data-turn=drum-tent]", "drum-tent@0.5.0 drum-tent@0.4.0")
	c.see("on lantern alone")

	c.goTo("/rulebooks")
	c.click("Begin with a shape…")
	c.fill("The game's name", "Reed Bank")
	c.fill("What the rulebook is called", "reedbank")
	c.click("Keep it and open it")
	c.seeIn(".cm-content", "title: \"Reed Bank\"")
	c.goTo("/rulebooks/reedbank")
	c.click("Take out of use…")
	c.click("Take it out of use")
	c.see("Lantern")
	c.ok(c.page.Gone("Reed Bank"))
	c.goTo("/rulebooks/lanternfall")
	c.click("Take out of use…")
	c.click("Take it out of use")
	c.seeIn("[role=alertdialog]", "harbour")
}

// A pack gets another name, and a crate's texts are looked over.
func TestTheConsoleNamesPacksAndLooksOverCrates(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"mossgrave.yaml")
	pack := map[string]string{"tour/TOUR.txt": "a tour"}
	for _, c := range []string{"hall", "shaft"} {
		pack["tour/"+c+"/cave.toml"] = fmt.Sprintf("[cave]\nid = %q\nversion = \"1\"\n", c)
		pack["tour/"+c+"/list.json"] = "{\"a\": 1,,}\n"
	}
	require.Contains(t, s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "grand-tour-1.zip"), pack)), "pallet grand-tour@1")
	c := openConsole(t, s)
	c.goTo("/staging")
	c.clickIn("[data-pallet='grand-tour@1']", "Rename grand-tour@1…")
	c.fill("Name", "Spring Tour")
	c.click("Rename it")
	c.seeIn("[data-pallet='Spring Tour@1']", "2 crates")
	c.clickIn("table", "shaft")
	c.click("Look for mistakes…")
	c.seeIn("[role=dialog] [data-finding]", "list.json")
}

// All that a feed announces can be staged, and each next version by itself.
func TestTheConsoleStagesWhatAFeedAnnounces(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.kill()
	s.more = []string{"--downloads-from", "127.0.0.1/32"}
	s.up()
	h := newHerald(t)
	h.announce(t, "2026-11-28T10:00:00Z", h.tent(t, "0.4.0"), h.tent(t, "0.5.0"))
	s.must("feed", "add", "reedbank", h.URL+"/feed.json", "--for", "lantern")
	c := openConsole(t, s)
	c.goTo("/staging")
	c.click("All of reedbank…")
	c.click("Stage Drum-Tent@0.4.0")
	c.seeIn("[data-announced='Drum-Tent']", "staged")
	c.click("Stage each next version by itself: Drum-Tent")
	testbed.Eventually(t, "it is kept", func() bool {
		var f api.Feed
		s.get(&f, "feed", "show", "reedbank")
		return slices.Contains(f.Taken, "drum-tent")
	})
	require.Contains(t, s.must("crate", "list"), "drum-tent@0.4.0")
}

// Names of another code page are read as a person says, and what unpacks to far more than it is is staged
// once a person says that it may.
func TestTheConsoleReadsOldNamesAndTrusts(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	write := func(name string, fill func(z *zip.Writer)) string {
		file := filepath.Join(t.TempDir(), name)
		f, err := os.Create(file)
		require.NoError(t, err)
		z := zip.NewWriter(f)
		manifest, err := z.Create("drum-tent-main/stall.lf")
		require.NoError(t, err)
		_, err = manifest.Write([]byte("title = \"Drum Tent\"\nversion = \"1.0\"\n"))
		require.NoError(t, err)
		fill(z)
		require.NoError(t, z.Close())
		require.NoError(t, f.Close())
		return file
	}
	old := write("drum-tent-1.0.zip", func(z *zip.Writer) {
		w, err := z.CreateHeader(&zip.FileHeader{Name: "drum-tent-main/wares/\x91\xbe\x8c\xdb.txt", NonUTF8: true})
		require.NoError(t, err)
		_, err = w.Write([]byte("boom"))
		require.NoError(t, err)
	})
	swollen := write("drum-tent-2.0.zip", func(z *zip.Writer) {
		w, err := z.Create("drum-tent-main/wares/silence.raw")
		require.NoError(t, err)
		for range 300 {
			_, err = w.Write(make([]byte, 1<<20))
			require.NoError(t, err)
		}
	})
	c := openConsole(t, s)
	c.goTo("/staging")
	for _, page := range []string{"IBM850", "IBM866", "Big5", "EUC-KR", "GBK", "windows-1251", "windows-1252", "Shift_JIS"} {
		c.pick("Old names", page)
		c.upload("input[type=file][multiple]", old)
		c.seeIn("[data-upload='drum-tent-1.0.zip']", "drum-tent@1.0")
		c.click("Clear the list")
		_, err := browser.Until[bool](c.page, "an empty list", "!document.querySelector('[data-upload]') || null")
		c.ok(err)
	}
	require.Contains(t, s.must("crate", "show", "drum-tent@1.0"), "太鼓.txt")
	c.pick("Old names", "")
	c.upload("input[type=file][multiple]", swollen)
	c.seeIn("[data-upload='drum-tent-2.0.zip']", "more than 200 times its own size")
	c.click("Stage it as trusted")
	c.seeIn("[data-upload='drum-tent-2.0.zip']", "2 files")
}
