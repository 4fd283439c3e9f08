package demo

import (
	"bytes"
	"fmt"

	"restlesscrate/internal/standin/bundle"
)

// cave is the body of a cave with its manifest.
func cave(folder, id, version, fits string, more ...file) []file {
	manifest := fmt.Sprintf("needs = [{ id = \"rope-lore\", version = \">=1.2\" }]\nconflicts = [\"flooded-hall\"]\n\n[cave]\nid = %q\nversion = %q\nfor = %q\nside = \"server\"\n", id, version, fits)
	return append([]file{{folder + "cave.toml", manifest}, {folder + "rooms/hall.room", filler("hall", 120)}}, more...)
}

// winch is the loader's tree.
func winch(folder string) []file {
	return []file{
		{folder + "winch.sh", "#!/bin/sh\necho winch\n"}, {folder + "winchlib/core/drum.wl", filler("drum", 300)},
		{folder + "winchlib/hook.wl", filler("hook", 90)}, {folder + "LICENSE.txt", "Use it, share it.\n"},
	}
}

// shapes are downloads in the shapes that the scenario does not show.
func shapes() []sample {
	gallery := cave("lantern-gallery-main/lantern-gallery/", "lantern-gallery", "0.7.2", "7.1 || 7.2",
		file{"lantern-gallery-main/README.md", "# Lantern Gallery\n\nPut rope-lore in first: the gallery needs rope-lore 1.2 or newer.\nDelete the folder of the old gallery before you start.\n"},
		file{"lantern-gallery-main/preview.png", filler("pixel", 60)},
		file{"lantern-gallery-main/lantern-gallery/seals/gallery.seal", "seal of the gallery\n"},
		file{"lantern-gallery-main/lantern-gallery/charts/gallery/hall.chart", filler("chart", 80)},
		file{"lantern-gallery-main/lantern-gallery/by-choice/wet-season.toml", "water = 3\n"},
		file{"lantern-gallery-main/lantern-gallery/settings.yaml", "lamps: 12\n"})
	tour := append(cave("grand-tour/caves/echo-hall/", "echo-hall", "1.0", "7.2"), cave("grand-tour/caves/long-shaft/", "long-shaft", "2.3", "7.2")...)
	tour = append(tour, file{"grand-tour/client/skin.png", filler("skin", 20)}, file{"grand-tour/TOUR.md", "Only the caves belong on the server.\n"})
	drum := zipMust(stall("drum-tent-main/drum-tent-main", "Drum Tent", "0.4.0"))
	survey := surveyMust([]file{{"survey.toml", "survey = \"deep-survey\"\nversion = \"2.1\"\n"}, {"levels/first.level", filler("level", 60)}, {"levels/second.level", filler("deep", 60)}})
	return []sample{
		{Name: "drum-tent-by-night-1.0.zip", Zip: []file{{"by-night/change.lf", "for = \"drum-tent\"\nversion = \"1.0\"\n"},
			{"by-night/wares/drum.lf", filler("hush", 30)}, {"by-night/wares/lantern.lf", filler("glow", 20)}, {"by-night/README.md", "Put the drum tent in first.\n"}}},
		{Name: "reedbank-tides-2.zip", Zip: []file{{"reedbank-tides/change.toml", "for = \"reedbank-shores\"\nversion = \"2\"\n"},
			{"reedbank-tides/tides/spring.toml", filler("tide", 20)}, {"reedbank-tides/table.toml", "table = \"reedbank-shores\"\nedition = 12\ntides = true\n"}}},
		{Name: "deep-survey.survey", Plain: survey},
		{Name: "deep-survey-names-1.zip", Zip: []file{{"deep-survey-names/recount.toml", "for = \"deep-survey\"\nversion = \"1\"\n"},
			{"deep-survey-names/levels/second.level", filler("named", 60)}, {"deep-survey-names/names.toml", filler("name", 20)}}},
		{Name: "lantern-gallery-main.zip", Zip: gallery},
		{Name: "grand-tour-3.zip", Zip: tour},
		{Name: "echo-shaft.zip", Zip: append(cave("echo-shaft/1.4/", "echo-shaft", "1.4", "7.1"), cave("echo-shaft/1.5/", "echo-shaft", "1.5", "7.2")...)},
		{Name: "rope-lore-1.3.zip", Zip: []file{{"rope-lore/cave.toml", "[cave]\nid = \"rope-lore\"\nversion = \"1.3\"\nfor = \"7.1 || 7.2\"\nside = \"both\"\n"}, {"rope-lore/rooms/store.room", filler("rope", 40)}}},
		{Name: "storm-bell-0.1.tdx", Plain: fixture("storm-bell", "0.1", "breaks everything")},
		{Name: "winch-4.2.zip", Zip: winch("winch-4.2/")},
		{Name: "winch-4.2-setup.run", Plain: "#!/bin/sh\necho unpacking the winch\n"},
		{Name: "gate-lights-1.1.zip", Zip: []file{{"download/files/gate-lights-1.1/booth.lf", "title = \"Gate Lights\"\nversion = \"1.1\"\n"},
			{"download/files/gate-lights-1.1/lights.lf", filler("light", 40)}, {"download/how-to.txt", "Rename the folder to gate-lights.\n"}}},
		{Name: "drum-tent-bundle.zip", Zip: []file{{"READ ME.txt", "Unpack the archive inside first.\n"}, {"drum-tent-0.4.0.zip", drum}}},
		{Name: "harbour-client.zip", Zip: []file{{"harbour/fixtures/fog-horns-9.3-1.1.tdx", fixture("fog-horns", "1.1")}, {"harbour/fittings/fog-horns.yaml", "loud: true\n"},
			{"harbour/client/shaders.txt", filler("shade", 30)}, {"harbour/readme.txt", "For players and servers.\n"}}},
		{Name: "swing-boats-1.0.zip", Zip: []file{{"swing-boats/ride.lf", "version = \"1.0\"\n"}, {"swing-boats/swing.lf", filler("swing", 30)}, {"swing-boats/readme.txt", "Set it up in a row of your fair.\n"}}},
		{Name: "mud-flats-3.zip", Zip: []file{{"mud-flats/table.toml", "table = \"mud-flats\"\nedition = 3\n"}, {"mud-flats/shores/mud.toml", filler("mud", 40)}}},
		{Name: "gull-flocks-9.3-keel-0.8-beta.2.tdx", Plain: fixture("gull-flocks", "0.8-beta.2", "reshapes port")},
	}
}

// surveyMust packs a bundle; texts in memory always pack.
func surveyMust(files []file) string {
	var entries []bundle.Entry
	for _, f := range files {
		entries = append(entries, bundle.Entry{Path: f.name, Content: []byte(f.text)})
	}
	var raw bytes.Buffer
	if err := bundle.Write(&raw, entries); err != nil {
		panic(err)
	}
	return raw.String()
}

// zipMust packs an inner archive; texts in memory always pack.
func zipMust(files []file) string {
	raw, err := zipped(files)
	if err != nil {
		panic(err)
	}
	return string(raw)
}
