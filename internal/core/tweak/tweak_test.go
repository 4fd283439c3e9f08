package tweak_test

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tweak"
)

func TestEachKindOfTweak(t *testing.T) {
	raw, err := os.ReadFile("testdata/kinds.yaml")
	require.NoError(t, err)
	var cases []struct {
		About   string
		Format  text.Format
		Text    string
		Tweak   map[string]any
		Gives   string
		Refused string
	}
	require.NoError(t, yaml.Unmarshal(raw, &cases))
	for _, c := range cases {
		t.Run(c.About, func(t *testing.T) {
			asJSON, err := json.Marshal(c.Tweak)
			require.NoError(t, err)
			var tw tweak.Tweak
			require.NoError(t, json.Unmarshal(asJSON, &tw))
			tw.Format = c.Format
			after, undo, err := settings.Apply([]byte(c.Text), settings.Tweaked(tw))
			if c.Refused != "" {
				require.ErrorContains(t, err, c.Refused)
				return
			}
			require.NoError(t, err)
			require.Equal(t, c.Gives, string(after))
			again, nothing, err := settings.Apply(after, settings.Tweaked(tw))
			require.NoError(t, err)
			require.Equal(t, c.Gives, string(again), "it is done already")
			require.Empty(t, nothing.Do)
			back, _, err := settings.Apply(after, undo)
			require.NoError(t, err)
			require.Equal(t, c.Text, string(back), "%+v", undo)
		})
	}
}
