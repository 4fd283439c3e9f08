package layout

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
)

const fairPatches = `format: 1
name: fair
title: Fair
places:
  stalls: {path: stalls}
  tables: {path: tables}
kinds:
  stall:
    recognise: {marker: stall.lf}
    put: [{take: "**", place: stalls, as: "{name}/{path}"}]
  stall-change:
    recognise: {marker: change.lf}
    overlays: {read: {file: change.lf, match: '^for = "([^"]+)"'}}
    put:
      - {leave: "change.lf"}
      - {take: "tables/**", place: tables, into: "{base}.zip", as: "{path}"}
      - {take: "**", place: stalls, as: "{base}/{path}"}
  listed:
    about: songs that the server fetches itself
    recognise: {listed: "^[0-9]{6,9}$"}
`

func TestAPatchIsLaidOverTheAddOnThatItNames(t *testing.T) {
	c := layOne(book(t, fairPatches), archive("drum-tent-by-night-1.2.zip", map[string]string{
		"night/change.lf": "for = \"drum-tent\"\n", "night/wares/drum.lf": "d", "night/tables/beats.toml": "b",
	})).Crate
	require.Equal(t, "stall-change", c.Kind)
	require.True(t, c.Overlay)
	require.Equal(t, "drum-tent", c.Base)
	require.Equal(t, "night@1.2", c.Label())
	require.Equal(t, []Fact{{Kind: rulebook.Needs, Name: "drum-tent", From: "change.lf"}}, c.Facts)
	got := map[string]string{}
	for _, f := range c.Files {
		got[string(f.Source)] = f.Place + ": " + string(f.Target()) + " | " + f.Reason
	}
	require.Equal(t, map[string]string{
		"night/wares/drum.lf":     "stalls: drum-tent/wares/drum.lf | change.lf marks the root; laid over drum-tent",
		"night/tables/beats.toml": "tables: drum-tent.zip!/tables/beats.toml | change.lf marks the root; merged into a packed file of drum-tent",
	}, got)
	require.Empty(t, c.Findings)
}

func TestAPatchThatNamesNoAddOnAsksAndIsToldForItsNextVersionsToo(t *testing.T) {
	b := book(t, fairPatches)
	files := map[string]string{"night/change.lf": "title = \"Night\"\n", "night/wares/drum.lf": "d"}
	c := layOne(b, archive("night-1.zip", files)).Crate
	require.Empty(t, c.Files)
	require.Equal(t, []finding.Finding{{Level: finding.Block, Code: "no-base", Final: true,
		What: "night@1 changes another add-on, and nothing in the archive tells which",
		Mend: "Say which, for this and later versions.", Remedies: []finding.Remedy{finding.NameCrate.With("base")}}}, withCode(c.Findings, "no-base"))
	require.Equal(t, "which add-on it changes is not known", c.Left[1].Reason)
	require.False(t, c.Left[1].Settled)

	fixed := lay(b, archive("night-2.zip", files), Fixes{"night": {From: "night@1", Base: "drum-tent"}}).Crates[0]
	require.Equal(t, "stalls:drum-tent/wares/drum.lf", targets(fixed)["night/wares/drum.lf"])
	require.Equal(t, []string{"changes drum-tent, as you said for night@1"}, fixed.Corrected)
	require.Empty(t, fixed.Findings)
}

func withCode(all []finding.Finding, code string) (out []finding.Finding) {
	for _, f := range all {
		if f.Code == code {
			out = append(out, f)
		}
	}
	return out
}

func TestAnIdInAListIsAnAddOnWithoutFiles(t *testing.T) {
	b := book(t, fairPatches)
	c, err := Listed(b, "4711081")
	require.NoError(t, err)
	require.Equal(t, "4711081@unmarked", c.Label())
	require.Equal(t, "listed", c.Kind)
	require.Empty(t, c.Files)
	require.Equal(t, "an id in a list, without a download; the server fetches it itself", c.Why)
	again, err := Listed(b, "4711081")
	require.NoError(t, err)
	require.Equal(t, c.Digest(), again.Digest())

	_, err = Listed(b, "drum-tent")
	require.EqualError(t, err, `rulebook fair does not take "drum-tent" for the id of an add-on; kind listed takes ids like ^[0-9]{6,9}$`)
	_, err = Listed(b, "../1234567")
	require.EqualError(t, err, `"../1234567" cannot be the id of an add-on`)
	_, err = Listed(book(t, fair), "1234567")
	require.ErrorContains(t, err, "it knows no add-ons without a download")
	require.Empty(t, lay(b, archive("4711081", nil), nil).Crates, "a download is never taken for an id")
}
