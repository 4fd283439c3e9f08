package e2e

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/demo"
)

// shape is what a download must become. Files maps each source to its target,
// place: path; a file that is left out has its reason behind "- ".
type shape struct {
	book, label, kind string
	files             map[string]string
	why               string // the reason of one of its files
	facts             []string
}

// shapes are written by hand from what a careful person would do with each
// download, not from what the program says.
var shapes = map[string][]shape{
	"tide-lamps-2.2.0 (1).tdx": {{"tidewright", "tide-lamps@2.2.0", "fixture",
		map[string]string{"tide-lamps-2.2.0 (1).tdx": "fixtures: tide-lamps-2.2.0.tdx"}, "a single file that is the add-on; goes to the place fixtures", nil}},
	"gull-flocks-9.3-keel-0.8-beta.2.tdx": {{"tidewright", "gull-flocks@0.8-beta.2", "fixture",
		map[string]string{"gull-flocks-9.3-keel-0.8-beta.2.tdx": "fixtures: gull-flocks-9.3-keel-0.8-beta.2.tdx"}, "a single file that is the add-on; goes to the place fixtures",
		[]string{"game 9.3", "loader keel"}}},
	"pier-signs-1.4.0.zip": {{"tidewright", "pier-signs@1.4.0", "fixture", map[string]string{
		"pier-signs/pier-signs-1.4.0.tdx": "fixtures: pier-signs-1.4.0.tdx", "pier-signs/README.md": "- notes and pictures are for people",
		"pier-signs/preview.png": "- notes and pictures are for people"}, "a single file that is the add-on; goes to the place fixtures", nil}},
	"reedbank-shores-12.zip": {{"tidewright", "reedbank-shores@12", "table",
		map[string]string{"reedbank-shores-12.zip": "tables: reedbank-shores.zip"}, "a single file that is the add-on; goes to the place tables", nil}},
	"mud-flats-3.zip": {{"tidewright", "mud-flats@3", "table",
		map[string]string{"mud-flats-3.zip": "tables: mud-flats.zip"}, "packed anew: its marker was one folder too deep; goes to the place tables", nil}},
	"harbour-client.zip": {{"tidewright", "harbour@unmarked", "harbour-tree", map[string]string{
		"harbour/fixtures/fog-horns-9.3-1.1.tdx": "root: fixtures/fog-horns-9.3-1.1.tdx", "harbour/fittings/fog-horns.yaml": "root: fittings/fog-horns.yaml",
		"harbour/client/shaders.txt": "- only players need it", "harbour/readme.txt": "- only players need it"},
		"kept relative to the folder that holds fittings; goes to the place root", nil}},
	"drum-tent-0.5.0.zip": {{"lanternfall", "drum-tent@0.5.0", "stall", map[string]string{
		"drum-tent-main/drum-tent-main/stall.lf": "stalls: drum-tent/stall.lf", "drum-tent-main/drum-tent-main/beats.lf": "stalls: drum-tent/beats.lf",
		"drum-tent-main/drum-tent-main/wares/drum.lf": "stalls: drum-tent/wares/drum.lf", "drum-tent-main/drum-tent-main/wares/kettle.lf": "stalls: drum-tent/wares/kettle.lf",
		"drum-tent-main/README.md": "- outside the add-on's folder drum-tent-main/drum-tent-main", "drum-tent-main/poster.psd": "- outside the add-on's folder drum-tent-main/drum-tent-main"},
		"stall.lf marks the root; wrapper drum-tent-main dropped; goes to the place stalls", []string{"needs ticket-gate"}}},
	"gate-lights-1.1.zip": {{"lanternfall", "gate-lights@1.1", "stall", map[string]string{
		"download/files/gate-lights-1.1/booth.lf": "stalls: gate-lights/booth.lf", "download/files/gate-lights-1.1/lights.lf": "stalls: gate-lights/lights.lf",
		"download/how-to.txt": "- outside the add-on's folder download/files/gate-lights-1.1"},
		"booth.lf marks the root; wrapper download/files dropped; goes to the place stalls", nil}},
	"swing-boats-1.0.zip": {{"lanternfall", "swing-boats@1.0", "ride", map[string]string{
		"swing-boats/ride.lf": "rows: swing-boats/ride.lf", "swing-boats/swing.lf": "rows: swing-boats/swing.lf", "swing-boats/readme.txt": "- notes are for people"},
		"ride.lf marks the root; goes to the place rows", nil}},
	"harvest-songs-1.2.zip": {{"lanternfall", "harvest-songs@1.2", "songbook", map[string]string{
		"reel.tune": "songbooks: harvest-songs/reel.tune", "jig.tune": "songbooks: harvest-songs/jig.tune", "notes.txt": "- only tunes belong in a songbook"},
		"loose files; a folder is made around them; goes to the place songbooks", nil}},
	"drum-tent-bundle.zip": {{"lanternfall", "drum-tent@0.4.0", "stall", map[string]string{
		"drum-tent-0.4.0.zip!/drum-tent-main/drum-tent-main/stall.lf": "stalls: drum-tent/stall.lf", "drum-tent-0.4.0.zip!/drum-tent-main/drum-tent-main/beats.lf": "stalls: drum-tent/beats.lf",
		"drum-tent-0.4.0.zip!/drum-tent-main/drum-tent-main/wares/drum.lf": "stalls: drum-tent/wares/drum.lf",
		"drum-tent-0.4.0.zip!/drum-tent-main/README.md":                    "- outside the add-on's folder drum-tent-main/drum-tent-main",
		"drum-tent-0.4.0.zip!/drum-tent-main/poster.psd":                   "- outside the add-on's folder drum-tent-main/drum-tent-main",
		"READ ME.txt": "- beside drum-tent-0.4.0.zip, which holds the add-on"},
		"stall.lf marks the root; wrapper drum-tent-main dropped; goes to the place stalls", []string{"needs ticket-gate"}}},
	"lantern-gallery-main.zip": {{"mossgrave", "lantern-gallery@0.7.2", "cave", map[string]string{
		"lantern-gallery-main/lantern-gallery/cave.toml":                 "caves: lantern-gallery/cave.toml",
		"lantern-gallery-main/lantern-gallery/rooms/hall.room":           "caves: lantern-gallery/rooms/hall.room",
		"lantern-gallery-main/lantern-gallery/seals/gallery.seal":        "caves: lantern-gallery/seals/gallery.seal and trusted-seals: gallery.seal",
		"lantern-gallery-main/lantern-gallery/charts/gallery/hall.chart": "charts: lantern-gallery/hall.chart",
		"lantern-gallery-main/lantern-gallery/by-choice/wet-season.toml": "caves: lantern-gallery/by-choice/wet-season.toml",
		"lantern-gallery-main/lantern-gallery/settings.yaml":             "caves: lantern-gallery/settings.yaml",
		"lantern-gallery-main/README.md":                                 "- outside the add-on's folder lantern-gallery-main/lantern-gallery",
		"lantern-gallery-main/preview.png":                               "- outside the add-on's folder lantern-gallery-main/lantern-gallery"},
		"cave.toml marks the root; wrapper lantern-gallery-main dropped; goes to the place caves",
		[]string{"needs rope-lore >=1.2", "conflicts flooded-hall", "game 7.1 || 7.2", "side server"}}},
	"grand-tour-3.zip": {
		{"mossgrave", "echo-hall@1.0", "cave", map[string]string{"grand-tour/caves/echo-hall/cave.toml": "caves: echo-hall/cave.toml",
			"grand-tour/caves/echo-hall/rooms/hall.room": "caves: echo-hall/rooms/hall.room"}, "", nil},
		{"mossgrave", "long-shaft@2.3", "cave", map[string]string{"grand-tour/caves/long-shaft/cave.toml": "caves: long-shaft/cave.toml",
			"grand-tour/caves/long-shaft/rooms/hall.room": "caves: long-shaft/rooms/hall.room"}, "", nil}},
	"echo-shaft.zip": {
		{"mossgrave", "echo-shaft@1.4", "cave", map[string]string{"echo-shaft/1.4/cave.toml": "caves: echo-shaft/cave.toml", "echo-shaft/1.4/rooms/hall.room": "caves: echo-shaft/rooms/hall.room"},
			"", []string{"needs rope-lore >=1.2", "conflicts flooded-hall", "game 7.1", "side server"}},
		{"mossgrave", "echo-shaft@1.5", "cave", map[string]string{"echo-shaft/1.5/cave.toml": "caves: echo-shaft/cave.toml", "echo-shaft/1.5/rooms/hall.room": "caves: echo-shaft/rooms/hall.room"},
			"", []string{"needs rope-lore >=1.2", "conflicts flooded-hall", "game 7.2", "side server"}}},
	"winch-4.2.zip": {{"mossgrave", "winch@4.2", "winch", map[string]string{
		"winch-4.2/winch.sh": "root: winch.sh", "winch-4.2/winchlib/core/drum.wl": "root: winchlib/core/drum.wl", "winch-4.2/winchlib/hook.wl": "root: winchlib/hook.wl",
		"winch-4.2/LICENSE.txt": "- notes are for people"}, "kept relative to the folder that holds winchlib; goes to the place root", nil}},
	"winch-4.2-setup.run": {},
	"drum-tent-by-night-1.0.zip": {{"lanternfall", "by-night@1.0", "stall-change", map[string]string{
		"by-night/wares/drum.lf": "stalls: drum-tent/wares/drum.lf", "by-night/wares/lantern.lf": "stalls: drum-tent/wares/lantern.lf",
		"by-night/change.lf": "- what it is for is told, not put", "by-night/README.md": "- what it is for is told, not put"},
		"change.lf marks the root; laid over drum-tent", []string{"needs drum-tent"}}},
	"reedbank-tides-2.zip": {{"tidewright", "reedbank-tides@2", "table-change", map[string]string{
		"reedbank-tides/tides/spring.toml": "tables: reedbank-shores.zip!/tides/spring.toml", "reedbank-tides/table.toml": "tables: reedbank-shores.zip!/table.toml",
		"reedbank-tides/change.toml": "- what it is for is told, not put"},
		"change.toml marks the root; merged into a packed file of reedbank-shores", []string{"needs reedbank-shores"}}},
	"deep-survey.survey": {{"mossgrave", "deep-survey@2.1", "survey",
		map[string]string{"deep-survey.survey": "surveys: deep-survey.survey"}, "a single file that is the add-on; goes to the place surveys", nil}},
	"deep-survey-names-1.zip": {{"mossgrave", "deep-survey-names@1", "survey-change", map[string]string{
		"deep-survey-names/levels/second.level": "surveys: deep-survey.survey!/levels/second.level", "deep-survey-names/names.toml": "surveys: deep-survey.survey!/names.toml",
		"deep-survey-names/recount.toml": "- what it is for is told, not put"},
		"recount.toml marks the root; merged into a packed file of deep-survey", []string{"needs deep-survey"}}},
}

func TestEveryShapeBecomesWhatACarefulPersonWouldMakeOfIt(t *testing.T) {
	t.Parallel()
	s, dir := start(t), t.TempDir()
	s.helper("survey-bundle")
	require.NoError(t, demo.WriteSamples(dir))
	for _, game := range []string{"tidewright", "lanternfall", "mossgrave"} {
		s.must("rulebook", "add", books+game+".yaml")
	}
	for file, want := range shapes {
		t.Run(file, func(t *testing.T) {
			var staged []api.Staged
			o := s.restless("stage", filepath.Join(dir, file), "--json")
			require.Equal(t, len(want) == 0, o.code == 3, "of what no crate comes the exit code tells: %s%s", o.out, o.err)
			require.NoError(t, json.Unmarshal([]byte(o.out), &staged))
			var got []api.Crate
			for _, b := range staged[0].Rulebooks {
				for _, c := range b.Crates {
					var whole api.Crate
					s.get(&whole, "crate", "show", c.Digest)
					got = append(got, whole)
				}
			}
			require.Len(t, got, len(want))
			for i, w := range want {
				c := got[i]
				require.Equal(t, w.label, c.Label)
				require.Equal(t, []string{w.book, w.kind}, []string{c.Rulebook, c.Kind})
				require.Equal(t, w.files, told(c))
				if w.why != "" {
					require.Contains(t, reasons(c), w.why)
				}
				if w.facts != nil {
					require.Equal(t, w.facts, facts(c))
				}
			}
		})
	}
	require.Contains(t, s.fails(3, "no crate was made", "stage", filepath.Join(dir, "winch-4.2-setup.run")).out, "it is an installer, which must be run elsewhere first; stage what it makes")
	require.Contains(t, s.must("stage", filepath.Join(dir, "grand-tour-3.zip")), "belongs to none of the add-ons in it and is left out: grand-tour/TOUR.md, grand-tour/client/skin.png")
}

func TestEveryShapeIsStagedThroughTheConsole(t *testing.T) {
	t.Parallel()
	s, dir := start(t), t.TempDir()
	s.helper("survey-bundle")
	require.NoError(t, demo.WriteSamples(dir))
	for _, game := range []string{"tidewright", "lanternfall", "mossgrave"} {
		s.must("rulebook", "add", books+game+".yaml")
	}
	c := openConsole(t, s)
	c.goTo("/staging")
	var files []string
	for file := range shapes {
		files = append(files, filepath.Join(dir, file))
	}
	c.upload("[data-files]", files...)
	for file, want := range shapes {
		for _, w := range want {
			c.seeIn(fmt.Sprintf("[data-upload=%q]", file), w.label)
		}
	}
	c.seeIn("[data-upload='grand-tour-3.zip']", "pallet grand-tour@3")
	c.seeIn("[data-upload='winch-4.2-setup.run']", "it is an installer, which must be run elsewhere first")
}

func told(c api.Crate) map[string]string {
	out := map[string]string{}
	for _, f := range c.Files {
		target := f.Place + ": " + f.Path
		if f.Into != "" {
			target = f.Place + ": " + f.Into + "!/" + f.Path
		}
		if there, twice := out[f.Source]; twice {
			target = there + " and " + target
		}
		out[f.Source] = target
	}
	for _, l := range c.Left {
		out[l.Source] = "- " + l.Reason
	}
	return out
}

func reasons(c api.Crate) (out []string) {
	for _, f := range c.Files {
		out = append(out, f.Reason)
	}
	return out
}

func facts(c api.Crate) (out []string) {
	for _, f := range c.Facts {
		text := f.Kind
		for _, part := range []string{f.Name, f.Range} {
			if part != "" {
				text += " " + part
			}
		}
		out = append(out, text)
	}
	return out
}
