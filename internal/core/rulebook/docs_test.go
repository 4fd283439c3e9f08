package rulebook

import (
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Every example in the guide is a rulebook, or a part of one: what it lacks is added.
func TestEveryExampleOfTheGuideIsARulebook(t *testing.T) {
	page, err := os.ReadFile("../../../docs/rulebooks.md")
	require.NoError(t, err)
	blocks := regexp.MustCompile("(?s)```yaml\n(.*?)```").FindAllStringSubmatch(string(page), -1)
	require.Greater(t, len(blocks), 8)
	for i, b := range blocks {
		t.Run(fmt.Sprint(i, " ", strings.SplitN(b[1], "\n", 3)[0]), func(t *testing.T) {
			text := "format: 1\nname: guide\ntitle: Guide\n" + b[1]
			if !strings.Contains(b[1], "\nplaces:") {
				text += "places:\n"
				seen := map[string]bool{}
				for _, m := range regexp.MustCompile(`place: ([a-z]+)`).FindAllStringSubmatch(b[1]+"place: any", -1) {
					if !seen[m[1]] {
						seen[m[1]] = true
						text += fmt.Sprintf("  %s: {path: %s}\n", m[1], m[1])
					}
				}
			}
			if !strings.HasPrefix(b[1], "kinds:") && !strings.Contains(b[1], "\nkinds:") {
				text += "kinds: {any: {recognise: {single: \"*\"}, put: [{take: \"*\", place: any}]}}\n"
			}
			_, err := Parse([]byte(text))
			require.NoError(t, err, "%s", text)
		})
	}
}
