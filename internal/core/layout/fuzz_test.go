package layout

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// FuzzLay lays any tree out by any rulebook that can be read: it may never
// panic, never lose a file of a single add-on, and never let one leave its place.
func FuzzLay(f *testing.F) {
	for _, book := range []string{fair, tide, moss} {
		f.Add(book, "drum-tent-0.4 (1).zip", "a-main/stall.lf\na-main/wares/x\nREADME.md\nb.tune\nlib/x\ncave.toml\nx.zip\nx.zip!/stall.lf", `version = "1"`)
	}
	f.Add(fair, " ", "stall.lf", "0")
	f.Fuzz(func(t *testing.T, book, filename, paths, text string) {
		b, err := rulebook.Parse([]byte(book))
		if err != nil {
			return
		}
		if p, err := tree.ParsePath(filename); err != nil || p.Depth() != 1 {
			return
		}
		a := Archive{Filename: filename, Whole: tree.Entry{Size: 1, Digest: tree.Sum([]byte(text))}}
		seen := map[tree.Path]bool{}
		for _, line := range strings.Split(paths, "\n") {
			p, err := tree.ParsePath(line)
			if err != nil || seen[p] || len(seen) > 50 {
				continue
			}
			seen[p] = true
			a.Entries = append(a.Entries, tree.Entry{Path: p, Size: int64(len(text)), Digest: tree.Sum([]byte(text))})
		}
		a.Read = reading(map[string]string{"": text})
		for _, c := range lay(b, a, nil).Crates {
			require.NotEmpty(t, c.Name)
			require.NotEmpty(t, c.Version)
			for _, file := range c.Files {
				_, err := tree.ParsePath(string(file.Path))
				require.NoError(t, err)
			}
		}
	})
}
