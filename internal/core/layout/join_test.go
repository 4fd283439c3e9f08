package layout

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTwoDownloadsOfOneAddOnAreJoined(t *testing.T) {
	a := &Crate{Rulebook: "moss", Name: "gallery", Version: "1", Files: []File{at("caves", "g/cave.toml", "m"), at("caves", "g/both", "same")}}
	b := &Crate{Rulebook: "moss", Name: "gallery-charts", Version: "1.0", Files: []File{at("charts", "g/a.chart", "c"), at("caves", "g/both", "same")}}
	c, err := Join(a, b)
	require.NoError(t, err)
	require.Equal(t, "gallery@1", c.Label())
	require.Equal(t, []string{"caves:g/both", "caves:g/cave.toml", "charts:g/a.chart"}, spots(c))
	require.Equal(t, "from gallery-charts@1.0: ", c.Files[2].Reason)
	require.Len(t, a.Files, 2, "the parts are as they were")
	b.Files[1].Digest = a.Files[0].Digest
	_, err = Join(a, b)
	require.EqualError(t, err, "both hold g/both in caves, with other bytes")
	b.Rulebook = "tide"
	_, err = Join(a, b)
	require.EqualError(t, err, "gallery@1 is of rulebook moss and gallery-charts@1.0 of tide")
}

func spots(c *Crate) (out []string) {
	for _, f := range c.Files {
		out = append(out, f.Place+":"+string(f.Path))
	}
	return out
}
