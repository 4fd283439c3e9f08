package layout

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
)

func TestATreeIsReadByARulebook(t *testing.T) {
	b := book(t, `format: 1
name: mix
title: Mix
protected: ["*.key"]
variables: {port: {ask: which, default: north}}
places:
  stalls: {path: stalls}
  fixtures: {path: "ports/{port}/fixtures"}
  charts: {path: charts}
kinds:
  stall:
    recognise: {marker: stall.lf}
    put: [{take: "**", place: stalls, as: "{name}/{path}"}]
  fixture:
    recognise: {single: "*.tdx"}
    put: [{take: "*", place: fixtures}]
`)
	var entries []tree.Entry
	for _, dir := range []string{"stalls", "stalls/gate", "stalls/half-done", "ports", "ports/north", "ports/north/fixtures"} {
		entries = append(entries, tree.Entry{Path: tree.Path(dir), Dir: true})
	}
	for _, file := range []string{"harbour.key", "stalls/gate/stall.lf", "stalls/gate/wares.lf", "stalls/half-done/wares.lf", "ports/north/fixtures/lamps-2.1.0.tdx", "lost.tdx"} {
		entries = append(entries, tree.Entry{Path: tree.Path(file), Size: 1})
	}
	got, err := Read(b, map[string]string{"port": "north"}, entries)
	require.NoError(t, err)
	require.Equal(t, OnTree{
		Places:    []PlaceThere{{"stalls", "stalls", 2}, {"fixtures", "ports/north/fixtures", 1}, {"charts", "charts", -1}},
		Addons:    []AddonThere{{"stall", "stalls", "stalls/gate", "gate", ""}, {"fixture", "fixtures", "ports/north/fixtures/lamps-2.1.0.tdx", "lamps", "2.1.0"}},
		Protected: []tree.Path{"harbour.key"},
	}, got)
	_, err = Read(b, nil, nil)
	require.ErrorContains(t, err, "{port}, which has no value")
}

func TestWhatLiesAFolderTooDeepIsFound(t *testing.T) {
	b := book(t, `format: 1
name: mix
title: Mix
places: {stalls: {path: stalls}}
kinds:
  stall:
    recognise: {marker: ["stall.lf", "*.booth"]}
    put: [{take: "**", place: stalls, as: "{name}/{path}"}]
`)
	var entries []tree.Entry
	for _, file := range []string{"stalls/gate/stall.lf", "stalls/gate/more/stall.lf", "stalls/wheel-2.0/wheel/old.booth", "stalls/wheel-2.0/wheel/turn.lf", "stalls/far/a/b/stall.lf", "other/x/y/stall.lf"} {
		entries = append(entries, tree.Entry{Path: tree.Path(file), Size: 1})
	}
	require.Equal(t, []Deep{{Kind: "stall", Top: "stalls/wheel-2.0", Marker: "stalls/wheel-2.0/wheel/old.booth", Name: "wheel"}}, TooDeep(b, nil, entries))
}
