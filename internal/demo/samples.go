package demo

import (
	"archive/zip"
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// file is one entry of a sample archive. The order is kept.
type file struct{ name, text string }

// sample is one download: a plain file where Plain is set, else a zip.
type sample struct {
	Name  string
	Plain string
	Zip   []file
}

// filler is text that compresses like configuration does, so that sizes in the
// demo look like something.
func filler(word string, lines int) string {
	var b strings.Builder
	for i := range lines {
		fmt.Fprintf(&b, "%s %d: %s\n", word, i, strings.Repeat(word[:1], i%17))
	}
	return b.String()
}

func fixture(name, version string, more ...string) string {
	head := fmt.Sprintf("tdx 1\nname %s\nversion %s\n", name, version)
	for _, line := range more {
		head += line + "\n"
	}
	return head + filler(name, 900)
}

func stall(folder, title, version string, more ...file) []file {
	out := []file{
		{"drum-tent-main/README.md", "# " + title + "\n\nCopy the inner folder to the stalls of your fair.\nNeeds ticket-gate 1.0 or newer.\n"},
		{"drum-tent-main/poster.psd", filler("poster", 40)},
		{folder + "/stall.lf", fmt.Sprintf("title = %q\nversion = %q\nneeds = { \"ticket-gate\" }\n", title, version)},
		{folder + "/beats.lf", filler("beat", 200)},
		{folder + "/wares/drum.lf", filler("drum", 60+len(version))},
	}
	return append(out, more...)
}

// samples are the downloads that the demo's scenario stages, by shape:
// a single file that is the add-on, a folder with a marker under wrappers with
// a branch suffix, loose files that need a folder, a packed data pack.
// [shapes] are the others.
func samples() []sample {
	const inner = "drum-tent-main/drum-tent-main"
	return []sample{
		{Name: "tide-base-3.2.1.tdx", Plain: fixture("tide-base", "3.2.1")},
		{Name: "tide-lamps-2.1.0.tdx", Plain: fixture("tide-lamps", "2.1.0")},
		{Name: "tide-lamps-2.2.0 (1).tdx", Plain: fixture("tide-lamps", "2.2.0")},
		{Name: "pier-signs-1.4.0.zip", Zip: []file{
			{"pier-signs/README.md", "Put the .tdx into fixtures. Needs tide-base 3.2 or newer.\n"},
			{"pier-signs/pier-signs-1.4.0.tdx", fixture("pier-signs", "1.4.0", "needs tide-base")},
			{"pier-signs/preview.png", filler("pixel", 30)}}},
		{Name: "keel-4.1.zip", Zip: []file{
			{"keel/README.md", "Start it once with keel-setup, and from then on with keel.\n"},
			{"keel/keel", filler("keel", 400)}, {"keel/keel-setup", filler("setup", 200)},
			{"keel/keelworks/pattern.txt", "gear pattern, version 4.1\n"}}},
		{Name: "reedbank-shores-12.zip", Zip: []file{{"table.toml", "table = \"reedbank-shores\"\nedition = 12\n"}, {"shores/rocks.toml", filler("rock", 80)}}},
		{Name: "drum-tent-0.4.0.zip", Zip: stall(inner, "Drum Tent", "0.4.0", file{inner + "/wares/old-drum.lf", filler("old", 20)})},
		{Name: "drum-tent-0.5.0.zip", Zip: stall(inner, "Drum Tent", "0.5.0", file{inner + "/wares/kettle.lf", filler("kettle", 50)})},
		{Name: "harvest-songs-1.2.zip", Zip: []file{{"reel.tune", filler("reel", 30)}, {"jig.tune", filler("jig", 30)}, {"notes.txt", "Play them slowly.\n"}}},
		{Name: "harvest-songs-1.3.zip", Zip: []file{{"reel.tune", filler("reel", 31)}, {"jig.tune", filler("jig", 30)}, {"waltz.tune", filler("waltz", 30)}}},
	}
}

// stamp is the time of every entry: the same archive has the same bytes.
var stamp = time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)

// WriteSamples makes every sample archive in a folder, the same bytes each time.
func WriteSamples(folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	for _, s := range slices.Concat(samples(), shapes(), tuned()) {
		raw := []byte(s.Plain)
		if s.Zip != nil {
			var err error
			if raw, err = zipped(s.Zip); err != nil {
				return fmt.Errorf("make %s: %w", s.Name, err)
			}
		}
		if err := os.WriteFile(filepath.Join(folder, s.Name), raw, 0o644); err != nil {
			return err
		}
	}
	return nil
}

func zipped(files []file) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		h := &zip.FileHeader{Name: f.name, Method: zip.Deflate, Modified: stamp}
		w, err := z.CreateHeader(h)
		if err != nil {
			return nil, err
		}
		if _, err := w.Write([]byte(f.text)); err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return b.Bytes(), err
}
