package layout

import (
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
)

// tides is a rulebook whose single files say what they need.
const tides = `format: 1
name: tides
title: Tides
places: {fixtures: {path: fixtures}}
kinds:
  fixture:
    several: true
    recognise: {single: "*.tdx"}
    version: {read: {file: "*.tdx", match: '^version (\S+)$'}}
    needs: {file: "*.tdx", match: '^needs (\S+)$'}
    put: [{take: "*.tdx", place: fixtures, as: "{file}"}]
`

func TestASingleFileSaysWhatItNeedsToo(t *testing.T) {
	plain := archive("lamps.tdx", nil)
	plain.Texts = fstest.MapFS{"lamps.tdx": {Data: []byte("version 2.1\nneeds wicks\n")}}
	r := layOne(book(t, tides), plain)
	require.Equal(t, "lamps@2.1", r.Crate.Label())
	require.Equal(t, []Fact{{Kind: rulebook.Needs, Name: "wicks", From: "lamps.tdx"}}, r.Crate.Facts)

	// Of several beside each other, each speaks for itself alone.
	res := Lay(book(t, tides), archive("tides.zip", map[string]string{"a/lamps.tdx": "version 2.1\nneeds wicks\n", "a/wicks.tdx": "version 1.0\n"}), nil)
	labels := map[string]int{}
	for _, c := range res.Crates {
		labels[c.Label()] = len(c.Facts)
	}
	require.Equal(t, map[string]int{"lamps@2.1": 1, "wicks@1.0": 0}, labels)

	// What cannot be read is told and hinders nothing.
	plain.Texts = fstest.MapFS{}
	r = layOne(book(t, tides), plain)
	require.Equal(t, "lamps@unmarked", r.Crate.Label())
	require.True(t, strings.HasPrefix(r.Findings[0].What, "lamps.tdx could not be read"), "%v", r.Findings)
}
