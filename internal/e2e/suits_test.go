package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// known gives what is known of the server by name, with where that was read.
func known(s *service) map[string]api.KnownFact {
	var srv api.Server
	s.get(&srv, "server", "show", "here")
	out := map[string]api.KnownFact{}
	for _, f := range srv.Known {
		out[f.Name] = f
	}
	return out
}

// What does not fit the server is stopped before anything is sent, with what would mend it.
func TestWhatDoesNotFitAServerIsStoppedBeforeAnythingIsSent(t *testing.T) {
	t.Parallel()
	playedOverBoth(t, "tidewright", doesNotFit)
}

func doesNotFit(t *testing.T, r *running) {
	r.must("stage", r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0", "loader keel >=4"), r.fixture("screens-1.0.tdx", "name screens", "version 1.0", "side player"),
		r.fixture("winches-2.0.tdx", "name winches", "version 2.0", "for 9.4"), r.fixture("winches-1.0.tdx", "name winches", "version 1.0", "for 9.3"),
		r.fixture("bells-1.0.tdx", "name bells", "version 1.0", "shuns winches"), r.download("keel-4.1.zip"))
	require.Contains(t, r.must("server", "facts", "here"), "fact game         9.3 (the log")
	require.Contains(t, r.must("server", "facts", "here"), "fact loader       plain (the name of tidewright")
	require.NotContains(t, r.must("server", "show", "here"), "before the last start")
	r.must("restart", "here", "--yes")
	require.Contains(t, r.must("server", "show", "here"), "before the last start", "it may be otherwise now")
	require.NotContains(t, r.must("server", "facts", "here"), "before the last start")
	require.Equal(t, "the log", known(r.service)["game"].From)

	before := testbed.Snapshot(t, filepath.Join(r.root, "fixtures"))
	o := r.fails(3, "blocked by 1 finding", "deploy", "here", "cranes", "--yes")
	require.Contains(t, o.out, "BLOCK other-loader: cranes@1.0: it is for keel >=4, and the loader of the server is plain.")
	o = r.fails(3, "blocked by 1 finding", "deploy", "here", "screens", "--yes")
	require.Contains(t, o.out, "BLOCK players-only: screens@1.0: it is for players, not for servers (screens-1.0.tdx says: player).")
	require.Equal(t, before, testbed.Snapshot(t, filepath.Join(r.root, "fixtures")))
	require.Contains(t, r.must("deploy", "here", "cranes", "screens", "winches", "--without", "screens", "--without", "cranes", "--draft"), "winches@1.0", "what is left out is left out, and the version that fits is meant")
	require.Contains(t, r.must("crate", "show", "cranes"), "does not fit here: it is for keel >=4, and the loader of the server is plain")
	require.Contains(t, r.must("crate", "show", "winches@1.0"), "fits here\n")

	// A loader that comes along is the one that the server will have.
	require.NotContains(t, r.must("deploy", "here", "cranes", "keel", "--draft"), "other-loader")

	require.Contains(t, r.must("deploy", "here", "winches", "--yes"), "LOADED   winches              1.0")
	out := r.must("status", "here")
	require.Contains(t, out, "2.0 is staged and does not fit: it says that it is for game version 9.4, and the server runs 9.3")
	require.NotContains(t, out, "2.0 is staged;")
	o = r.fails(3, "blocked by 1 finding", "deploy", "here", "bells", "--yes")
	require.Contains(t, o.out, "BLOCK does-not-go-with: bells@1.0 says that it does not go together with winches, and winches@1.0 is there.")
	require.Contains(t, o.out, "restless deployment decide here#6 instead-of=winches")
	out = r.must("deploy", "here", "bells", "--instead-of", "winches", "--draft")
	require.Contains(t, out, "restless rewrite here winches bells --draft")
	instead := regexp.MustCompile(`deployment decide (\S+) rewrite=winches:bells`).FindStringSubmatch(out)[1]
	require.Contains(t, r.must("deployment", "decide", instead, "rewrite=winches:bells"), "NOTE  nothing-names-old: Nothing in ")
	// Two texts name what goes, one of them in a longer name.
	testbed.Write(t, filepath.Join(r.root, "keepers.txt"), "winches are greased at noon\nask winches, not winches-old\n")
	testbed.Write(t, filepath.Join(r.root, "rota.txt"), "monday: winches-old\n")
	out = r.must("deploy", "here", "bells", "--instead-of", "winches", "--rewrite", "winches:bells", "--yes")
	require.Contains(t, out, "NOTE  names-change: 2 places in 1 text that named winches")
	require.NotContains(t, out, "names-of-old")
	require.Equal(t, "bells are greased at noon\nask bells, not winches-old\n", r.read("keepers.txt"))
	require.Equal(t, "monday: winches-old\n", r.read("rota.txt"))
	require.Contains(t, r.must("deploy", "here", "bells", "--rewrite", "monday:tuesday", "--draft"), "NOTE  names-change: 1 place in 1 text that named monday", "whatever goes or stays")
	r.fails(2, "OLD:NEW", "deploy", "here", "bells", "--rewrite", "winches", "--draft")
	require.Contains(t, out, "LOADED   bells                1.0")
	require.NoFileExists(t, filepath.Join(r.root, "fixtures/winches-1.0.tdx"))
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = bells\n")
	require.Contains(t, r.must("rollback", "here", "--deployment", regexp.MustCompile(`here#(\d+)  DONE`).FindStringSubmatch(out)[1], "--yes"), "LOADED   winches")
	require.FileExists(t, filepath.Join(r.root, "fixtures/winches-1.0.tdx"))
	require.Equal(t, "winches are greased at noon\nask winches, not winches-old\n", r.read("keepers.txt"), "one way back for all of it")
	r.fails(1, "there is no add-on", "deploy", "here", "bells", "--instead-of", "nobody", "--yes")

	// The game is another one from the next start on.
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("edition 9.4\n"), 0o644))
	r.must("restart", "here", "--yes")
	require.Contains(t, r.must("server", "facts", "here"), "fact game         9.4 (the log")
	out = r.must("status", "here")
	require.Contains(t, out, "does not fit: it says that it is for game version 9.3, and the server runs 9.4; 2.0 is staged")
	r.must("server", "edit", "here", "--fact", "game=9.3")
	require.Contains(t, r.must("server", "show", "here"), "; but by the log it is 9.4", "what a person says counts, and what the server tells is said")
	r.must("server", "edit", "here", "--fact", "game=")
	require.False(t, known(r.service)["game"].ByHand)
}

// What add-ons need of one another is told, and taken along where it is staged.
func TestWhatAddonsNeedComesAlong(t *testing.T) {
	t.Parallel()
	playedOverBoth(t, "tidewright", comesAlong)
}

func comesAlong(t *testing.T, r *running) {
	r.must("stage", r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0", "needs winches >=2"), r.fixture("winches-1.0.tdx", "name winches", "version 1.0"))
	o := r.fails(3, "blocked by 1 finding", "deploy", "here", "cranes", "--yes")
	require.Contains(t, o.out, "BLOCK need-missing: cranes@1.0 needs winches >=2.")
	require.Contains(t, o.out, "Nothing that is staged mends it.")

	r.must("stage", r.fixture("winches-2.1.tdx", "name winches", "version 2.1", "needs ropes"), r.fixture("winches-3.0.tdx", "name winches", "version 3.0", "needs ropes", "for 9.4"), r.fixture("ropes-1.0.tdx", "name ropes", "version 1.0"))
	r.must("server", "facts", "here")
	o = r.fails(3, "blocked by 1 finding", "deploy", "here", "cranes", "--yes")
	require.Contains(t, o.out, "Take along what is staged: ropes@1.0, winches@2.1.")
	require.Contains(t, o.out, "restless deployment decide here#2 take-needs")
	require.Contains(t, r.must("deployment", "decide", "here#2", "take-needs"), "here#3  DRAFT  cranes@1.0, ropes@1.0, winches@2.1")
	out := r.must("deploy", "here", "cranes", "--take-needs", "--yes")
	require.Contains(t, out, "NOTE  comes-along: ropes@1.0 comes along: winches@2.1 needs ropes.")
	require.Contains(t, out, "Roll call: 3 loaded")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = ropes,winches,cranes\n", "each behind what it needs")

	// What others need does not go without a word.
	o = r.fails(3, "blocked by 1 finding", "remove", "here", "ropes", "--yes")
	require.Contains(t, o.out, "BLOCK still-needed: winches@2.1 needs ropes, which is not there any more then.")
	o = r.fails(3, "blocked by 1 finding", "deploy", "here", "winches@1.0", "--yes")
	require.Contains(t, o.out, "BLOCK still-needed: cranes@1.0 needs winches >=2, which will be 1.0 then.")
	out = r.must("remove", "here", "ropes", "winches", "cranes", "--draft")
	require.NotContains(t, out, "still-needed", "all of them go")
	require.NotContains(t, r.must("rollback", "here", "--deployment", "4", "--draft"), "still-needed")

	// Nor does it stay untold afterwards.
	r.must("remove", "here", "ropes", "--yes", "--accept", "still-needed")
	out = r.must("status", "here")
	require.Contains(t, out, "winches@2.1 needs ropes, which is not among what was deployed.")
	require.Contains(t, out, "ropes@1.0 is staged.\n      restless deploy here ropes@1.0\n")
	r.must("deploy", "here", "ropes@1.0", "--yes")
	require.NotContains(t, r.must("status", "here"), "needs ropes")

	// What somebody put there by hand may be what is needed.
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "fixtures", "moon-2.tdx"), []byte("tdx 1\nname moon\nversion 2\n"), 0o644))
	r.must("stage", r.fixture("tides-1.0.tdx", "name tides", "version 1.0", "needs moon"))
	out = r.must("deploy", "here", "tides", "--draft")
	require.Contains(t, out, "WARN  need-unknown: tides@1.0 needs moon. Nothing that was deployed is called so, but fixtures/moon-2.tdx lies on the server.")
	require.NotContains(t, out, "need-missing")
}

// Of two builds of one version the one for the server is meant.
func TestTheBuildForTheServerIsChosen(t *testing.T) {
	t.Parallel()
	s, root, _ := gameServer(t, "tidewright")
	for _, loader := range []string{"keel", "plain"} {
		s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "pumps-"+loader+".zip"), map[string]string{"pumps/pumps-1.0.tdx": "tdx 1\nname pumps\nversion 1.0\nloader " + loader + "\n"}))
	}
	require.NoError(t, os.WriteFile(filepath.Join(root, "tidewright"), []byte("#!/bin/sh\n"), 0o755))
	s.must("server", "facts", "here")
	var list []api.Crate
	s.get(&list, "crate", "list", "pumps")
	require.Len(t, list, 2)
	out := s.must("deploy", "here", list[0].Label, "--yes", "--accept", "no-load-list", "--accept", "no-settings-file", "--accept", "entry-unwritable")
	require.Contains(t, out, "of 2 builds the one for plain is taken; here has plain")
	require.Contains(t, read(t, filepath.Join(root, "fixtures", "pumps-1.0.tdx")), "loader plain")
}

// The same by clicking: what is needed is taken along, what does not go together goes.
func TestTheConsoleTakesAlongWhatIsNeeded(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.fixture("cranes-1.0.tdx", "name cranes", "version 1.0", "needs winches", "shuns bells", "for 9.3"), r.fixture("winches-1.0.tdx", "name winches", "version 1.0"), r.fixture("bells-1.0.tdx", "name bells", "version 1.0", "loader keel"))
	r.must("deploy", "here", "bells", "--yes", "--accept", "other-loader")
	require.Contains(t, r.fails(3, "blocked by 2 findings", "deploy", "here", "cranes", "--yes").out, "here#2  DRAFT")
	c := openConsole(t, r.service)
	c.goTo("/servers/here")
	c.seeIn("main", "does not fit: it is for keel, and the loader of the server is plain")
	c.goTo("/servers/here/deployments/2")
	c.clickIn("[data-choices]", "Take bells off the server")
	c.see("here#3")
	c.click("Take winches@1.0 along")
	c.see("here#4")
	c.see("winches@1.0 comes along: cranes@1.0 needs winches.")
	c.click("Run it")
	c.seeIn("[data-rollcall]", "2 loaded")
	r.must("remove", "here", "winches", "--yes", "--accept", "still-needed")
	c.goTo("/servers/here")
	c.seeIn("[data-company]", "cranes@1.0 needs winches, which is not among what was deployed.")
	c.click("Deploy winches@1.0…")
	c.click("Run it")
	c.seeIn("[data-rollcall]", "2 loaded")
	c.goTo("/servers/here/about")
	c.fill("Value", "9.9")
	c.click("Set")
	c.seeIn("[data-facts]", "but the log says 9.3")
	c.click("Take back")
	c.ok(c.page.Gone("but the log says 9.3"))
}

// A change of a text that a kind of add-on needs may hold what is known of the server.
func TestATweakOfAKindHoldsAFact(t *testing.T) {
	t.Parallel()
	s, root := start(t), t.TempDir()
	testbed.Write(t, filepath.Join(root, "mill.conf"), "built-for = unknown\nwheels = 2\n")
	s.must("rulebook", "add", textFile(t, t.TempDir(), "mill.yaml", `format: 1
name: mill
title: The Mill
places: {sacks: {path: sacks}}
kinds:
  sack:
    recognise: {single: "*.sack"}
    tweaks: [{file: mill.conf, set: /built-for, value: "{game}"}]
    put: [{take: "*.sack", place: sacks, as: "{file}"}]
`))
	s.must("server", "add", "mill", "--rulebook", "mill", "--folder", root, "--fact", "game=9.3")
	s.must("stage", textFile(t, t.TempDir(), "oats-1.0.sack", "oats\n"))
	s.must("deploy", "mill", "oats", "--yes")
	raw, err := os.ReadFile(filepath.Join(root, "mill.conf"))
	require.NoError(t, err)
	require.Equal(t, "built-for = 9.3\nwheels = 2\n", string(raw))
}
