package packing

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/model"
)

// Players have files where the rulebook says, and else where the server has them.
func TestPlayersHaveFilesWhereTheRulebookSays(t *testing.T) {
	b, err := rulebook.Parse([]byte(`format: 1
name: quay
title: Quay
variables: {port: {ask: "Which port?"}}
places:
  fixtures: {path: "srv/fixtures", players: "Quay/Addons"}
  tables: {path: "ports/{port}/tables"}
kinds:
  fixture:
    recognise: {single: "*.tdx"}
    put: [{take: "*.tdx", place: fixtures, as: "{file}"}]
`))
	require.NoError(t, err)
	srv := model.Server{Variables: map[string]string{"port": "reedbank"}}
	c := &layout.Crate{Files: []layout.File{{Place: "tables", Path: "shore.zip", Size: 3}, {Place: "fixtures", Path: "lamps.tdx"}, {Place: "fixtures", Path: "patch.txt", Into: "lamps.tdx"}}}
	var paths []string
	for _, f := range filesOf(b, srv, c) {
		paths = append(paths, f.Path)
	}
	require.Equal(t, []string{"Quay/Addons/lamps.tdx", "ports/reedbank/tables/shore.zip"}, paths)

	_, err = rulebook.Parse([]byte("format: 1\nname: quay\ntitle: Quay\nplaces: {fixtures: {path: f, players: ../out}}\nkinds: {x: {recognise: {single: \"*\"}, put: [{take: \"*\", place: fixtures}]}}\n"))
	require.ErrorContains(t, err, "players")
}
