package requests

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/model"
)

func TestALineThatReloadsNamesWhatTheRulebookSays(t *testing.T) {
	for line, want := range map[string]string{
		"again {name}":    "again Blue Glaze",
		"again {id}":      "again glaze.blue",
		"again {file}":    "again blue.pot",
		"again {version}": "again 1.2",
		"again all":       "again all",
	} {
		b, err := rulebook.Parse([]byte("format: 1\nname: kiln\ntitle: Kiln\nplaces: {shelf: {path: shelf}}\nkinds: {pot: {recognise: {single: \"*.pot\"}, takes-effect: reload, reload: \"" + line + "\", put: [{take: \"*\", place: shelf}]}}\n"))
		require.NoError(t, err, line)
		e := EffectOf(b, model.Crate{Body: layout.Crate{Kind: "pot", ID: "glaze.blue", Name: "Blue Glaze", Version: "1.2", Files: []layout.File{{Path: "old/blue.pot"}}}})
		require.Equal(t, want, e.Reload)
	}
}
