package standin

import (
	"fmt"
	"os"
	"path/filepath"
)

// The trees that a host's own installer would have left: what stands there
// before anybody adds anything.
var (
	tidewright = map[string]string{
		"tidewright":          "#!/bin/sh\necho 'the harbour game itself is not in this demo'\n",
		"tidewright.conf":     "# Tidewright\nharbour-name = Reedbank Commons\nmax-boats = 24\nport-name = reedbank\nload-fixtures = \n",
		"harbour.key":         "not a real key\n",
		"fixtures/.keep":      "",
		"ports/reedbank/seed": "41873\n",
	}
	lanternfall = map[string]string{
		"lanternfall": "#!/bin/sh\necho 'the fair itself is not in this demo'\n",
		"fair.order":  "# who is called, and in which order\ncall ticket-gate\n",
		"fair.seal":   "not a real seal\n",
		"stalls/ticket-gate/stall.lf": `title = "Ticket Gate"
version = "1.0"
`,
	}
	mossgrave = map[string]string{
		"mossgrave":                   "#!/bin/sh\necho 'the survey itself is not in this demo'\n",
		"start-survey.sh":             "#!/bin/sh\n# caves are joined by bars\nexec ./mossgrave --caves=\"old-gallery\" --quiet\n",
		"survey.edition":              "Mossgrave, edition 7.2, cut in spring\n",
		"survey.key":                  "not a real key\n",
		"caves/old-gallery/cave.toml": "name = \"old-gallery\"\nversion = \"1\"\n",
		"trusted-seals/own.seal":      "not a real seal\n",
		"charts/.keep":                "",
	}
)

// Furnish fills a folder with a game's own tree: "tidewright", "lanternfall" or
// "mossgrave".
func Furnish(folder, game string) error {
	tree, ok := map[string]map[string]string{"tidewright": tidewright, "lanternfall": lanternfall, "mossgrave": mossgrave}[game]
	if !ok {
		return fmt.Errorf("there is no stand-in for a game called %q", game)
	}
	for name, text := range tree {
		at := filepath.Join(folder, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(at, []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}
