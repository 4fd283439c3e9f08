package draft

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Every block of a draft that is not final is in the list of what can be accepted, and
// nothing else but what an author says.
func TestWhatCanBeAcceptedIsListed(t *testing.T) {
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	said := regexp.MustCompile(`report\((?:finding\.Block|level), ("[a-z-]+"|code)`)
	codes := regexp.MustCompile(`\bcode :?= "([a-z-]+)"`)
	asked := regexp.MustCompile(`Level: finding\.Block, Code: "([a-z-]+)", Path: p,\n`)
	found := []string{"author-says"}
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") {
			continue
		}
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, m := range asked.FindAllStringSubmatch(string(raw), -1) {
			found = append(found, m[1])
		}
		for _, m := range said.FindAllStringSubmatch(string(raw), -1) {
			if m[1] != "code" {
				found = append(found, strings.Trim(m[1], `"`))
				continue
			}
			for _, c := range codes.FindAllStringSubmatch(string(raw), -1) {
				found = append(found, c[1])
			}
		}
	}
	slices.Sort(found)
	require.Equal(t, Acceptable, slices.Compact(found))
}
