package layout

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
)

func TestEveryStarterLaysItsOwnSampleOut(t *testing.T) {
	samples := map[string]struct {
		file  string
		texts map[string]string
		label string
		want  map[string]string
	}{
		"single-files": {"bright-lamps-1.2.zip", map[string]string{"bright-lamps/bright-lamps-1.2.mod": "m", "bright-lamps/README.md": "r"}, "bright-lamps@1.2",
			map[string]string{"bright-lamps/bright-lamps-1.2.mod": "add-ons:bright-lamps-1.2.mod", "bright-lamps/README.md": "-"}},
		"marked-folders": {"bright-lamps-main.zip", map[string]string{"bright-lamps-main/manifest.txt": "version = \"1.2\"\n", "bright-lamps-main/src/a.txt": "a", "bright-lamps-main/art.psd": "p"}, "bright-lamps@1.2",
			map[string]string{"bright-lamps-main/manifest.txt": "add-ons:bright-lamps/manifest.txt", "bright-lamps-main/src/a.txt": "add-ons:bright-lamps/src/a.txt", "bright-lamps-main/art.psd": "-"}},
		"body-keys-launch": {"lamps.zip", map[string]string{"x/manifest.toml": "id = \"lamps\"\nversion = \"1.2\"\n", "x/maps/quay.map": "m", "x/optional/extra.lf": "e", "x/notes.txt": "n"}, "lamps@1.2",
			map[string]string{"x/manifest.toml": "bodies:lamps/manifest.toml", "x/maps/quay.map": "maps:lamps/quay.map", "x/optional/extra.lf": "bodies:lamps/optional/extra.lf", "x/notes.txt": "-"}},
		"packed-data": {"shores-3.zip", map[string]string{"pack.json": `{"version": "3.1"}`, "data/a": "a"}, "shores@3.1", map[string]string{".": "packs:shores.zip"}},
		"client-tree": {"lamps-1.2.zip", map[string]string{"lamps/mods/lamps.mod": "m", "lamps/config/lamps.ini": "c", "lamps/shaders/glow": "g"}, "lamps@1.2",
			map[string]string{"lamps/mods/lamps.mod": "root:mods/lamps.mod", "lamps/config/lamps.ini": "root:config/lamps.ini", "lamps/shaders/glow": "-"}},
	}
	all := rulebook.Starters()
	require.Len(t, all, len(samples))
	for _, s := range all {
		c, ok := samples[s.Name]
		require.True(t, ok, "%s has no sample", s.Name)
		r := layOne(book(t, string(s.Text)), archive(c.file, c.texts))
		require.NotNil(t, r.Crate, s.Name)
		require.Equal(t, c.label, r.Crate.Label(), s.Name)
		require.Equal(t, c.want, targets(r.Crate), s.Name)
	}
}
