package rulebook

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

const good = `format: 1
name: tidewright
title: Tidewright
variables:
  port: {ask: "which port the server runs"}
  pier: {ask: "which pier", default: north}
protected: [harbour.key, "locker/**"]
places:
  fixtures: {path: fixtures}
  tables: {path: "ports/{port}/tables"}
kinds:
  fixture:
    recognise: {single: "*.tdx"}
    name: {trim: [-main]}
    version: {read: {file: about.txt, match: 'version (\S+)'}}
    put:
      - leave: "*.md"
        because: notes are for people
      - {take: "*.tdx", place: fixtures, as: "{file}"}
`

func TestParseReadsEveryPart(t *testing.T) {
	b, err := Parse([]byte(good))
	require.NoError(t, err)
	require.Equal(t, "tidewright", b.Name)
	require.Equal(t, []Variable{{Name: "port", Ask: "which port the server runs"}, {Name: "pier", Ask: "which pier", Default: "north"}}, b.Variables)
	require.Equal(t, []string{"harbour.key", "locker/**"}, b.Protected)
	require.Equal(t, []Place{{Name: "fixtures", Path: "fixtures", Line: 9}, {Name: "tables", Path: "ports/{port}/tables", Line: 10}}, b.Places)
	k := b.Kinds[0]
	require.Equal(t, []string{"*.tdx"}, k.Single)
	require.Equal(t, Rule{Take: []string{"*.md"}, Leave: true, As: "{path}", Because: "notes are for people", Line: 17}, k.Rules[0])
	require.Equal(t, Rule{Take: []string{"*.tdx"}, Place: "fixtures", As: "{file}", Line: 19}, k.Rules[1])
}

func TestParseNamesLineColumnAndTheNearestRightWord(t *testing.T) {
	for name, c := range map[string]struct{ old, new, want string }{
		"typo in a key":        {"recognise:", "recognize:", `line 13, column 5: kind fixture has no key "recognize"; did you mean "recognise"?`},
		"typo in a place":      {"place: fixtures, as", "place: fixture, as", `line 19, column 32: there is no place "fixture"; did you mean "fixtures"?`},
		"unknown variable":     {"{port}/tables", "{prt}/tables", `line 10, column 1: place tables holds {prt}, but there is no variable "prt"`},
		"placeholder in as":    {"{file}", "{fil}", `line 19, column 46: as holds {fil}; did you mean "file"?`},
		"format":               {"format: 1", "format: 2", `line 1, column 9: format "2" is not known; this program reads format: 1`},
		"name":                 {"name: tidewright", "name: Tide Wright", `line 2, column 7: "Tide Wright" cannot be a name`},
		"missing title":        {"title: Tidewright\n", "", `line 1, column 1: a rulebook needs the key "title"`},
		"two ways":             {`{single: "*.tdx"}`, `{single: "*.tdx", loose: "*"}`, `line 13, column 16: recognise needs exactly one of single, marker, loose, folders, rest and listed; it has 2`},
		"path leaves the root": {"path: fixtures", "path: ../fixtures", `line 9, column 20: path "../fixtures" leads out of its root with ".."`},
		"expression":           {`version (\S+)`, `version (\S+`, `line 15, column 46: match: missing closing )`},
		"no group":             {`version (\S+)`, `version \S+`, `has no group; the first ( ) is the value`},
		"twice":                {"places:", "title: Again\nplaces:", `line 8, column 1: "title" stands here a second time; it is on line 3 already`},
		"glob":                 {`leave: "*.md"`, `leave: "[.md"`, `line 17, column 16: leave: "[.md" is not a glob`},
		"both put and leave":   {`leave: "*.md"`, `{leave: "*.md", place: fixtures}`, ``},
		"a tab":                {"  fixtures:", "\tfixtures:", `line 9, column 1: not YAML: found character that cannot start any token`},
	} {
		_, err := Parse([]byte(strings.Replace(good, c.old, c.new, 1)))
		require.ErrorContains(t, err, c.want, name)
	}
	_, err := Parse(nil)
	require.ErrorContains(t, err, "line 1, column 1: the rulebook is empty")
}

func TestParseReportsAllFaultsAtOnce(t *testing.T) {
	text := strings.Replace(strings.Replace(good, "recognise:", "recognize:", 1), "{file}", "{fil}", 1)
	_, err := Parse([]byte(text))
	var all *Error
	require.ErrorAs(t, err, &all)
	require.Len(t, all.Faults, 3, "the unknown key, the missing key, the placeholder: %v", err)
}

func TestValues(t *testing.T) {
	b, err := Parse([]byte(good))
	require.NoError(t, err)
	got, err := b.Values(map[string]string{"port": "reedbank"})
	require.NoError(t, err)
	require.Equal(t, map[string]string{"port": "reedbank", "pier": "north"}, got)
	where, err := b.Resolve("tables", got)
	require.NoError(t, err)
	require.Equal(t, "ports/reedbank/tables", string(where))

	_, err = b.Values(map[string]string{"prot": "x"})
	require.EqualError(t, err, `port is not set (which port the server runs); rulebook tidewright knows no variable "prot"; it asks for port, pier`)
	_, err = b.Values(map[string]string{"port": "../x"})
	require.ErrorContains(t, err, `leads out of its root`)
	_, err = b.Values(map[string]string{"port": "a/b"})
	require.ErrorContains(t, err, `more than one folder name`)
}

func TestWhatChangesOtherAddOnsIsListedOrNeedsAHelperIsReadAndChecked(t *testing.T) {
	const text = `format: 1
name: fair
title: Fair
places: {stalls: {path: stalls}}
helpers:
  chest: {files: "*.chest", program: chest-tool}
kinds:
  change:
    recognise: {marker: change.lf}
    overlays: {read: {file: change.lf, match: 'for=(.*)'}}
    put: [{take: "**", place: stalls, into: "{base}.chest", as: "{path}"}]
  song:
    recognise: {listed: "^[0-9]+$"}
`
	b, err := Parse([]byte(text))
	require.NoError(t, err)
	h, ok := b.HelperFor("drum.chest")
	require.True(t, ok)
	require.Equal(t, "chest-tool", h.Program)
	_, ok = b.HelperFor("drum.zip")
	require.False(t, ok)
	require.Equal(t, "{base}.chest", b.Kinds[0].Rules[0].Into)
	require.Equal(t, "a folder with change.lf; laid over another add-on", b.Kinds[0].Recognised())
	require.Equal(t, "no download: an id like ^[0-9]+$", b.Kinds[1].Recognised())
	for name, c := range map[string]struct{ old, new, want string }{
		"a base without overlays": {"    overlays: {read: {file: change.lf, match: 'for=(.*)'}}\n", "", "{base} and into go with overlays, which kind change has not"},
		"a word of into":          {`into: "{base}.chest"`, `into: "{path}.chest"`, `into holds {path}`},
		"a program's path":        {"program: chest-tool", "program: ../tool", `it stands in the service's folder of helper programs`},
		"listed and put":          {`    recognise: {listed: "^[0-9]+$"}`, "    recognise: {listed: x}\n    put: [{take: x, place: stalls}]", "kind song is only listed"},
		"an id's expression":      {`"^[0-9]+$"`, `"([0-9"`, "listed: missing closing ]"},
	} {
		changed := strings.Replace(text, c.old, c.new, 1)
		require.NotEqual(t, text, changed, name)
		_, err := Parse([]byte(changed))
		require.ErrorContains(t, err, c.want, name)
	}
}
