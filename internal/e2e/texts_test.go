package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/testbed"
)

// marsh is a made-up game whose add-ons bring settings that people change.
const marsh = `format: 1
name: marsh
title: Marsh
places: {gates: {path: gates}}
kinds:
  gate:
    recognise: {marker: gate.toml}
    version: {read: {file: gate.toml, at: /version}}
    put:
      - {take: settings.yaml, place: gates, as: "{name}/{path}", settings: true}
      - {take: "**", place: gates, as: "{name}/{path}"}
settings:
  - {files: [marsh.ini], secret: [/server/code], ports: [/server/port, /server/watch]}
agreements:
  - value: {file: marsh.ini, match: '(?m)^gates = (\d+)$'}
    with: {file: gates/weir/settings.yaml, at: /rows}
    bound: at-most
    because: a gate without a row leaks
`

// marshland is a server of it with a weir of a first version.
func marshland(t *testing.T) (s *service, root string, text func(name string) string, weir func(version, settings string)) {
	s, root = start(t), t.TempDir()
	dl := t.TempDir()
	s.must("rulebook", "add", textFile(t, dl, "marsh.yaml", marsh))
	s.must("server", "add", "fen", "--rulebook", "marsh", "--folder", root)
	s.must("server", "test", "fen")
	weir = func(version, settings string) {
		folder := filepath.Join(dl, version, "weir")
		testbed.Write(t, filepath.Join(folder, "gate.toml"), "version = \""+version+"\"\n")
		testbed.Write(t, filepath.Join(folder, "settings.yaml"), settings)
		testbed.Write(t, filepath.Join(folder, "notes.yaml"), "about: a weir\nversion: "+version+"\n")
		s.must("stage", folder, "--for", "fen")
	}
	text = func(name string) string {
		raw, err := os.ReadFile(filepath.Join(root, name))
		require.NoError(t, err)
		return string(raw)
	}
	weir("1", "# The weir\nrows: 3\nlamps: 2   # at night\nmotto: calm\n")
	s.must("deploy", "fen", "weir@1", "--yes")
	return s, root, text, weir
}

const weirs = "gates/weir/settings.yaml"

func TestSettingsAreKeptOverUpdates(t *testing.T) {
	t.Parallel()
	s, root, text, weir := marshland(t)
	byHand := "# The weir\n# ours: four, since the flood\nrows: 4\nlamps: 2   # at night\nmotto: calm\n"
	testbed.Write(t, filepath.Join(root, weirs), byHand)

	weir("2", "# The new weir\nrows: 3\nlamps: 5   # at night\nmotto: calm\nbell: true\n")
	out := s.must("deploy", "fen", "weir@2", "--yes")
	require.Contains(t, out, "settings-merged")
	require.Equal(t, "# The new weir\n# ours: four, since the flood\nrows: 4\nlamps: 5   # at night\nmotto: calm\nbell: true\n", text(weirs))
	require.Contains(t, s.must("files", "fen"), "weir@2")

	s.must("rollback", "fen", "--deployment", "2", "--yes")
	require.Equal(t, byHand, text(weirs), "the way back restores settings too")

	weir("3", "# The weir\nrows: 9\nlamps: 2   # at night\nmotto: calm\n")
	refused := s.fails(3, "blocked by 1 finding", "deploy", "fen", "weir@3", "--yes")
	require.Contains(t, refused.out, "3 was shipped, the server has 4, and the new version 9")
	require.Contains(t, refused.out, "restless deployment decide fen#4 theirs="+weirs+":/rows")
	require.Equal(t, byHand, text(weirs))
	s.must("deployment", "decide", "fen#4", "theirs="+weirs+":/rows")
	s.must("deployment", "run", "fen#5", "--yes")
	require.Equal(t, "# The weir\n# ours: four, since the flood\nrows: 9\nlamps: 2   # at night\nmotto: calm\n", text(weirs))

	testbed.Write(t, filepath.Join(root, weirs), "rows: 10\nlamps: 2\nmotto: calm\n")
	weir("4", "rows: 11\nlamps: 2\nmotto: calm\n")
	out = s.must("deploy", "fen", "weir@4", "--yes")
	require.Contains(t, out, "conflict-decided", "what was decided once is remembered")
	require.Equal(t, "rows: 11\nlamps: 2\nmotto: calm\n", text(weirs))
}

func TestTweaksAreDoneAgainAfterUpdates(t *testing.T) {
	t.Parallel()
	s, _, text, weir := marshland(t)
	s.must("tweak", "set", "fen", weirs, "/lamps", "7", "--note", "more light", "--yes")
	s.must("tweak", "set", "fen", "gates/weir/notes.yaml", "/about", "our weir", "--yes")
	require.Equal(t, "# The weir\nrows: 3\nlamps: 7   # at night\nmotto: calm\n", text(weirs))
	list := s.must("tweak", "list", "fen")
	require.Contains(t, list, "more light")
	id := regexp.MustCompile(`(t-[0-9a-f]{6})\s+` + weirs).FindStringSubmatch(list)[1]

	weir("2", "# The weir\nrows: 4\nlamps: 2   # at night\nmotto: calm\n")
	out := s.must("deploy", "fen", "weir@2", "--yes")
	require.Contains(t, out, "tweak-again")
	require.Equal(t, "# The weir\nrows: 4\nlamps: 7   # at night\nmotto: calm\n", text(weirs))
	require.Equal(t, "about: our weir\nversion: 2\n", text("gates/weir/notes.yaml"), "also where nobody calls it settings")

	s.must("tweak", "undo", "fen", id, "--yes")
	require.Equal(t, "# The weir\nrows: 4\nlamps: 2   # at night\nmotto: calm\n", text(weirs))
	require.NotContains(t, s.must("tweak", "list", "fen"), id)

	weir("3", "# The weir\nrows: 4\nmotto: calm\n")
	s.must("tweak", "set", "fen", weirs, "/lamps", "8", "--yes")
	out = s.must("deploy", "fen", "weir@3", "--keep", "theirs="+weirs, "--yes")
	require.Contains(t, out, "tweak-unfit")
	require.Equal(t, "# The weir\nrows: 4\nmotto: calm\n", text(weirs))
}

func TestATextIsEditedInAnotherProgram(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\r\nname = Fen\r\nport = 4100 ; open\r\n\r\n\r\n[more]\r\nseats = 4\r\n")
	mine := filepath.Join(t.TempDir(), "marsh.ini")
	s.must("text", "fetch", "fen", "marsh.ini", mine)
	raw, err := os.ReadFile(mine)
	require.NoError(t, err)
	testbed.Write(t, mine, string(raw[:len(raw)-len("4\r\n")])+"6\r\n")
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\r\nname = Fen of Reeds\r\nport = 4100 ; open\r\n\r\n\r\n[more]\r\nseats = 4\r\n")
	s.must("text", "put", "fen", "marsh.ini", mine, "--yes")
	require.Equal(t, "[server]\r\nname = Fen of Reeds\r\nport = 4100 ; open\r\n\r\n\r\n[more]\r\nseats = 6\r\n", text("marsh.ini"), "what moved meanwhile is merged")

	again := filepath.Join(t.TempDir(), "marsh.ini")
	s.must("text", "fetch", "fen", "marsh.ini", again)
	testbed.Write(t, again, strings.ReplaceAll(text("marsh.ini"), "seats = 6", "seats = 7"))
	testbed.Write(t, filepath.Join(root, "marsh.ini"), strings.ReplaceAll(text("marsh.ini"), "seats = 6", "seats = 8"))
	refused := s.fails(3, "blocked by 1 finding", "text", "put", "fen", "marsh.ini", again, "--yes")
	require.Contains(t, refused.out, "it was 6 when the editing began, the server has 8 now, and the edited text 7")
	s.must("text", "put", "fen", "marsh.ini", again, "--keep", "theirs=marsh.ini:/more/seats", "--yes")
	require.Contains(t, text("marsh.ini"), "seats = 7\r\n")
	broken := filepath.Join(t.TempDir(), "settings.yaml")
	s.must("text", "fetch", "fen", weirs, broken)
	testbed.Write(t, broken, "rows: [3\n")
	require.Contains(t, s.fails(3, "blocked by 1 finding", "text", "put", "fen", weirs, broken, "--yes").out, "text-breaks")
}

func TestSecretsOfTextsAreMasked(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\nname = Fen\ncode = reedmace\nrcon-password = bulrush\n")
	for _, out := range []string{
		s.must("text", "fen", "marsh.ini"), s.must("text", "fen", "marsh.ini", "--json"), s.must("find", "fen", "reedmace"),
		s.must("tweak", "set", "fen", "marsh.ini", "/server/code", "sweetflag", "--yes"), s.must("tweak", "list", "fen"),
		s.must("history", "fen", "--path", "marsh.ini"), s.must("deployment", "show", "fen#2", "--json"),
	} {
		for _, secret := range []string{"reedmace =", "= reedmace", "bulrush", "sweetflag"} {
			require.NotContains(t, out, secret)
		}
	}
	require.Contains(t, s.must("text", "fen", "marsh.ini", "--reveal"), "bulrush")
	testbed.Write(t, filepath.Join(root, weirs), "rows: 4\npassword: \"loosestrife\n  - [\n")
	for _, asked := range [][]string{{"text", "fen", weirs}, {"find", "fen", "password"}} {
		out := s.must(asked...)
		require.Contains(t, out, "password")
		require.NotContains(t, out, "loosestrife", "a broken text hides its secrets too: %v", asked)
	}
	require.Contains(t, text("marsh.ini"), "code = sweetflag")
}

func TestTextsAreListedShownAndLookedThrough(t *testing.T) {
	t.Parallel()
	s, root, _, _ := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\n; who may come\nseats = changeme\n")
	testbed.Write(t, filepath.Join(root, weirs), "rows: 4\nrows: 5\n")
	out := s.must("text", "fen")
	require.Regexp(t, weirs+`\s+yaml.*weir@1\s+changed outside`, out)
	require.Contains(t, out, "placeholder: marsh.ini, line 3")
	require.Contains(t, s.must("text", "fen", "marsh.ini", "/server/seats"), "beside it: who may come")
	require.Contains(t, s.must("find", "fen", "a weir"), "/about")
	require.Contains(t, s.must("lint", "fen"), "doubled-key: "+weirs+", line 2")
	require.Contains(t, s.must("lint", "weir"), "No findings in 3 texts.")
	s.fails(1, "no value at /server/seat", "text", "fen", "marsh.ini", "/server/seat")
}

func TestAgreementsAreLookedAtBeforeAndAfter(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\ngates = 3\n")
	require.NotContains(t, s.must("lint", "fen"), "agreement-broken")
	out := s.must("tweak", "set", "fen", "marsh.ini", "/server/gates", "5", "--yes")
	const says = "gates is 5 (marsh.ini, line 2), and rows is 3 (gates/weir/settings.yaml, line 2); it must be at most that: a gate without a row leaks."
	require.Contains(t, out, says, "in the draft")
	require.Contains(t, out, "restless tweak set fen marsh.ini /server/gates 3")
	require.Contains(t, s.must("status", "fen"), "by fen#2: "+says, "as that deployment left it")
	require.Contains(t, s.must("lint", "fen"), says)
	require.Contains(t, s.must("status", "fen"), "by lint, ")
	s.must("tweak", "set", "fen", weirs, "/rows", "5", "--yes")
	require.NotContains(t, s.must("status", "fen"), "gates is 5")
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\ngates = 3\nport = 8100\nwatch = 8100\n")
	require.Contains(t, s.must("lint", "fen"), "port (marsh.ini, line 3) and watch (marsh.ini, line 4) are both 8100")
	require.NotContains(t, s.must("lint", "fen"), "agreement-broken")
	require.Contains(t, text(weirs), "rows: 5")
}

func TestATextInsideAPackedFileIsTweakedAndKept(t *testing.T) {
	t.Parallel()
	s, root, _, _ := marshland(t)
	dl := t.TempDir()
	cellar := func(version, rooms string) {
		folder := filepath.Join(dl, version, "cellar")
		testbed.Write(t, filepath.Join(folder, "gate.toml"), "version = \""+version+"\"\n")
		testbed.Zip(t, filepath.Join(folder, "rooms.zip"), map[string]string{"etc/rooms.toml": rooms, "art/door.txt": "a door " + version})
		s.must("stage", folder, "--for", "fen")
		s.must("deploy", "fen", "cellar@"+version, "--yes")
	}
	const in = "gates/cellar/rooms.zip!/etc/rooms.toml"
	inner := func() string {
		raw, err := os.ReadFile(filepath.Join(root, "gates/cellar/rooms.zip"))
		require.NoError(t, err)
		text, err := settings.Member(raw, "etc/rooms.toml")
		require.NoError(t, err)
		return string(text)
	}
	cellar("1", "rooms = 3 # dry ones\nlocks = 2\n")
	out := s.must("tweak", "set", "fen", in, "/rooms", "5", "--yes")
	require.Contains(t, out, "+rooms = 5 # dry ones", "the diff is of the text")
	require.Equal(t, "rooms = 5 # dry ones\nlocks = 2\n", inner())
	require.Contains(t, s.must("text", "fen", in), "rooms = 5")
	require.Contains(t, s.must("find", "fen", "dry ones"), in)
	testbed.Zip(t, filepath.Join(root, "gates/attic.loft"), map[string]string{"beams.toml": "beams = 7 # dry ones\n"})
	require.Contains(t, s.must("find", "fen", "dry ones"), "gates/attic.loft!/beams.toml", "its bytes tell that it is packed, not its name")
	require.NoError(t, os.Remove(filepath.Join(root, "gates/attic.loft")))

	cellar("2", "rooms = 3 # dry ones\nlocks = 4\nlamps = 1\n")
	require.Equal(t, "rooms = 5 # dry ones\nlocks = 4\nlamps = 1\n", inner(), "a merge inside a packed file")
	id := regexp.MustCompile(`t-[0-9a-f]{6}`).FindString(s.must("tweak", "list", "fen"))
	s.must("tweak", "undo", "fen", id, "--yes")
	require.Equal(t, "rooms = 3 # dry ones\nlocks = 4\nlamps = 1\n", inner())
}

func TestATweakOverSSHDAndFTP(t *testing.T) {
	t.Parallel()
	overs := map[string]func(t *testing.T) (*service, string, string){
		"sshd": func(t *testing.T) (*service, string, string) {
			s, _, root := overSSH(t)
			s.trust()
			return s, root, "lantern"
		},
		"ftp": func(t *testing.T) (*service, string, string) {
			s, _, root := overFTP(t, testbed.FTPOptions{})
			return s, root, "lantern"
		},
	}
	for name, over := range overs {
		t.Run(name, func(t *testing.T) {
			s, root, server := over(t)
			testbed.Write(t, filepath.Join(root, "fair.conf"), "lamps = 40\nmusic = \"soft\" # always\n")
			s.must("tweak", "set", server, "fair.conf", "/music", "loud", "--yes")
			raw, err := os.ReadFile(filepath.Join(root, "fair.conf"))
			require.NoError(t, err)
			require.Equal(t, "lamps = 40\nmusic = \"loud\" # always\n", string(raw))
			s.must("rollback", server, "--path", "fair.conf", "--yes")
			raw, err = os.ReadFile(filepath.Join(root, "fair.conf"))
			require.NoError(t, err)
			require.Equal(t, "lamps = 40\nmusic = \"soft\" # always\n", string(raw))
		})
	}
}

func TestANameIsRewrittenOverThreeAddOns(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	dl := t.TempDir()
	for name, more := range map[string]string{"sluice": "opens: weir\nweirdly: true\n", "heron": "nests: [\"weir\", weir-two]\n"} {
		folder := filepath.Join(dl, name)
		testbed.Write(t, filepath.Join(folder, "gate.toml"), "version = \"1\"\n")
		testbed.Write(t, filepath.Join(folder, "settings.yaml"), more)
		s.must("stage", folder, "--for", "fen")
		s.must("deploy", "fen", name+"@1", "--yes")
	}
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\r\nname = The weir\r\npath = gates/weir/x ; weir\r\n")
	testbed.Write(t, filepath.Join(root, "art.bin"), "\x00\x01weir\x00")
	old := testbed.Files(testbed.Snapshot(t, root))

	s.fails(1, "7 places to be changed, and 5 places expected", "rewrite", "fen", "weir", "dam", "--count", "5", "--yes")
	out := s.must("rewrite", "fen", "weir", "dam", "--leave", "marsh.ini:3", "--count", "5", "--yes")
	require.Contains(t, out, "holds it and is no text, so it stays: art.bin")
	require.Contains(t, out, "is called so and keeps its name: gates/weir")
	listed := s.must("deployment", "list", "fen")
	require.Regexp(t, `in \d texts it writes "dam" for "weir" +\d texts edited  `, listed)
	require.Equal(t, "opens: dam\nweirdly: true\n", text("gates/sluice/settings.yaml"))
	require.Equal(t, "nests: [\"dam\", weir-two]\n", text("gates/heron/settings.yaml"))
	require.Equal(t, "[server]\r\nname = The dam\r\npath = gates/weir/x ; weir\r\n", text("marsh.ini"))
	require.Equal(t, "about: a dam\nversion: 1\n", text("gates/weir/notes.yaml"))
	s.must("rollback", "fen", "--deployment", "4", "--yes")
	require.Equal(t, old, testbed.Files(testbed.Snapshot(t, root)), "one undo")
}

func TestLinesComeFromTheAuthorsNotes(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\nname = Fen\n")
	folder := filepath.Join(t.TempDir(), "sluice")
	testbed.Write(t, filepath.Join(folder, "gate.toml"), "version = \"1\"\n")
	testbed.Write(t, filepath.Join(folder, "README.md"), "# Sluice\n\nPut this into marsh.ini:\n\n    [sluice]\n    width = 3\n")
	testbed.Write(t, filepath.Join(folder, "settings.yaml"), "a: “b”\n")
	require.Contains(t, s.must("stage", folder, "--for", "fen"), "typographic-quotes", "what is wrong with settings is told when they are staged")
	s.must("deploy", "fen", "sluice@1", "--yes")
	require.Contains(t, s.must("crate", "readme", "sluice@1", "--numbers"), "    5      [sluice]")
	s.must("tweak", "insert", "fen", "marsh.ini", "--from-readme", "sluice@1", "--lines", "5-6", "--for", "sluice", "--label", "sluice", "--yes")
	require.Equal(t, "[server]\nname = Fen\n; sluice begins\n[sluice]\nwidth = 3\n; sluice ends\n", text("marsh.ini"))
	s.must("tweak", "set", "fen", "marsh.ini", "/server/name", "Reeds", "--yes")
	require.Regexp(t, `fen#4, owner: sets /server/name to Reeds`, s.must("text", "fen", "marsh.ini", "/server/name"))
	s.must("remove", "fen", "sluice", "--yes")
	require.Equal(t, "[server]\nname = Reeds\n", text("marsh.ini"), "it goes with its add-on")
}

func TestValuesThatDependAreWrittenAgain(t *testing.T) {
	t.Parallel()
	s, root, text, weir := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\nname = Fen\nlevel = 0\ngame = none\n# sluice = open\n")
	s.fails(2, "heron is not on fen, so it has no version", "tweak", "set", "fen", "marsh.ini", "/server/level", "--from", "{version-of-heron}", "--yes")
	s.must("tweak", "set", "fen", "marsh.ini", "/server/level", "--from", "v{version-of-weir}", "--yes")
	s.must("server", "edit", "fen", "--fact", "game=9.2")
	s.must("tweak", "set", "fen", "marsh.ini", "/server/game", "--from", "{game}", "--yes")
	s.must("tweak", "uncomment", "fen", "marsh.ini", "--line", "sluice = open", "--if", "sluice", "--yes")
	require.Equal(t, "[server]\nname = Fen\nlevel = v1\ngame = 9.2\n# sluice = open\n", text("marsh.ini"))
	require.Contains(t, s.must("tweak", "list", "fen"), "once sluice is there")

	weir("2", "# The weir\nrows: 3\nlamps: 2   # at night\nmotto: calm\n")
	s.must("deploy", "fen", "weir@2", "--yes")
	require.Equal(t, "[server]\nname = Fen\nlevel = v2\ngame = 9.2\n# sluice = open\n", text("marsh.ini"), "the version is another one")

	s.must("server", "edit", "fen", "--fact", "game=9.3")
	folder := filepath.Join(t.TempDir(), "sluice")
	testbed.Write(t, filepath.Join(folder, "gate.toml"), "version = \"1\"\n")
	s.must("stage", folder, "--for", "fen")
	s.must("deploy", "fen", "sluice@1", "--yes")
	require.Equal(t, "[server]\nname = Fen\nlevel = v2\ngame = 9.3\nsluice = open\n", text("marsh.ini"), "it depends on the other add-on, and the game is another one")

	s.must("remove", "fen", "sluice", "--yes")
	require.Equal(t, "[server]\nname = Fen\nlevel = v2\ngame = 9.3\n# sluice = open\n", text("marsh.ini"))
}

func TestWhatAKindNeedsInTextsComesAndGoesWithItsAddOns(t *testing.T) {
	t.Parallel()
	s, root, text, weir := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\nname = Fen\n")
	s.must("rulebook", "add", textFile(t, t.TempDir(), "marsh.yaml", strings.Replace(marsh, "    put:\n", `    tweaks:
      - {file: marsh.ini, set: "/gates/{name}", value: "open, {version}"}
      - {file: marsh.ini, insert: "; {name} is here", after: "[server]"}
    put:
`, 1)))
	weir("2", "rows: 3\n")
	s.must("deploy", "fen", "weir@2", "--keep", "theirs="+weirs, "--yes")
	require.Equal(t, "[server]\n; weir is here\nname = Fen\n\n[gates]\nweir = open, 2\n", text("marsh.ini"))
	weir("3", "rows: 4\n")
	s.must("deploy", "fen", "weir@3", "--yes")
	require.Equal(t, "[server]\n; weir is here\nname = Fen\n\n[gates]\nweir = open, 3\n", text("marsh.ini"))
	s.must("remove", "fen", "weir", "--yes")
	require.Equal(t, "[server]\nname = Fen\n", text("marsh.ini"), "both go with it, and the section that was begun for one")
	require.Contains(t, s.must("tweak", "list", "fen"), "No tweaks hold on fen.")
}

func TestAValueTellsWhereElseItStands(t *testing.T) {
	t.Parallel()
	s, root, _, weir := marshland(t)
	weir("2", "rows: 3\nmotto: calm # not 8123\ngauge: {port: 8123, depth: 81230}\nsecret: deep-water\n")
	s.must("deploy", "fen", "weir@2", "--yes")
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\nport = 8123\ngates = 3\nopen = true\nguide = deep-water\n")
	testbed.Write(t, filepath.Join(root, "other.txt"), "8123\n")
	out := s.must("text", "fen", "marsh.ini", "/server/port")
	require.Contains(t, out, "also in gates/weir/settings.yaml, line 2: motto: calm # not 8123")
	require.Contains(t, out, "also in gates/weir/settings.yaml, line 3: gauge: {port: 8123, depth: 81230}")
	require.Equal(t, 2, strings.Count(out, "also in"), "not itself, not a longer number, and no text that is no settings:\n%s", out)
	require.NotContains(t, s.must("text", "fen", "marsh.ini", "/server/open"), "also in", "true means something else each time")
	require.NotContains(t, s.must("text", "fen", "marsh.ini", "/server/gates"), "also in")
	out = s.must("text", "fen", "marsh.ini", "/server/guide")
	require.Contains(t, out, "also in gates/weir/settings.yaml, line 4: secret: ")
	require.NotContains(t, strings.Split(out, "also in")[1], "deep-water", "a secret stays masked")
	require.NotContains(t, s.must("text", "fen", weirs, "/secret"), "also in")
	require.Contains(t, s.must("text", "fen", weirs, "/gauge/depth"), "nowhere else in the server's settings (2 texts searched)")
}

func TestAValueComesFromAnotherText(t *testing.T) {
	t.Parallel()
	s, root, text, weir := marshland(t)
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\ngates = 3\nport = 8100\ncode = low-tide\n")
	weir("2", "rows: 3\nmotto: calm\nring: tcp://here:1\n")
	s.must("deploy", "fen", "weir@2", "--yes")
	out := s.must("tweak", "set", "fen", weirs, "/ring", "--from", "tcp://here:{marsh.ini:/server/port}", "--yes")
	require.Contains(t, out, "+ring: tcp://here:8100")
	require.Contains(t, text(weirs), "ring: tcp://here:8100\n")
	require.Contains(t, s.must("tweak", "list", "fen"), "tcp://here:{marsh.ini:/server/port}")

	// Both in one deployment, the one from the other.
	out = s.must("tweak", "set", "fen", "marsh.ini", "/server/port", "8200", "--yes")
	require.Contains(t, out, "{marsh.ini:/server/port} says tcp://here:8200 now")
	require.Contains(t, text(weirs), "ring: tcp://here:8200\n")
	s.must("rollback", "fen", "--deployment", "4", "--yes")
	require.Contains(t, text(weirs), "ring: tcp://here:8100\n")
	require.Contains(t, text("marsh.ini"), "port = 8100\n")

	// The other text is changed by hand, and an update comes.
	testbed.Write(t, filepath.Join(root, "marsh.ini"), "[server]\ngates = 3\nport = 8300\ncode = low-tide\n")
	weir("3", "rows: 3\nmotto: high\nring: tcp://here:1\n")
	s.must("deploy", "fen", "weir@3", "--yes")
	require.Contains(t, text(weirs), "ring: tcp://here:8300\n")
	require.Contains(t, text(weirs), "motto: high\n")

	o := s.fails(3, "", "tweak", "set", "fen", weirs, "/ring", "--from", "{marsh.ini:/server/prot}", "--yes")
	require.Contains(t, o.out+o.err, "marsh.ini has no value at /server/prot")

	// What is drawn from a secret is one.
	out = s.must("tweak", "set", "fen", weirs, "/motto", "--from", "{marsh.ini:/server/code}", "--yes")
	require.NotContains(t, out, "low-tide")
	require.Contains(t, text(weirs), "motto: low-tide\n")
	require.NotContains(t, s.must("tweak", "list", "fen"), "low-tide")
	require.NotContains(t, s.must("text", "fen", weirs), "low-tide", "the text that it is written to holds a secret from then on")
}

func TestAValueIsMarkedAsSecretByHand(t *testing.T) {
	t.Parallel()
	s, _, _, _ := marshland(t)
	s.must("tweak", "set", "fen", weirs, "/motto", "deep", "--yes")
	require.Contains(t, s.must("history", "fen", "--path", weirs), "deep")
	s.must("text", "secret", "fen", weirs, "/motto")
	for _, args := range [][]string{{"text", "fen", weirs}, {"text", "fen", weirs, "/motto"}, {"find", "fen", "deep"}, {"tweak", "list", "fen"}, {"history", "fen", "--path", weirs}, {"tweak", "set", "fen", weirs, "/motto", "deeper", "--yes"}} {
		require.NotContains(t, strings.ReplaceAll(s.must(args...), "deep ", ""), "deep", "restless %v", args)
	}
	require.Contains(t, s.must("text", "fen", weirs, "--reveal"), "motto: deeper")
	s.must("text", "secret", "fen", weirs, "/motto", "--off")
	require.Contains(t, s.must("text", "fen", weirs), "motto: deeper")
	s.fails(1, "is not marked by hand", "text", "secret", "fen", weirs, "/motto", "--off")
}
