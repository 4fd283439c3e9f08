package layout

import (
	"regexp"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/testbed/findingtest"
)

// cove is a rulebook with a kind for each way in which something can be told.
const cove = `format: 1
name: cove
title: The Cove
game: {versions: ["9.2", "9.3"]}
places:
  reefs: {path: reefs}
  songs: {path: songs}
kinds:
  reef:
    recognise: {marker: reef.toml}
    several: true
    name: {read: {file: reef.toml, at: /name}}
    version: {read: {file: reef.toml, at: /version}}
    needs: {file: reef.toml, at: /needs}
    side: {file: reef.toml, at: /side}
    put:
      - {leave: "*.md"}
      - {take: "*.flat", place: reefs, as: "{name}/{below}"}
      - {take: "**/*.twin", place: reefs, as: "{name}/twin"}
      - {take: "*.out", place: reefs, as: "{around}/{file}"}
      - {take: ["*.toml", "wares/**", "client/**", "clients/**"], place: reefs, as: "{name}/{path}"}
  mast:
    recognise: {marker: mast.toml}
    put: [{take: "**", place: reefs, as: "{name}/{path}"}]
  rig:
    recognise: {marker: rig.toml}
    installer: run it first
  patch:
    recognise: {marker: patch.toml}
    overlays: {read: {file: patch.toml, at: /for}}
    put: [{take: "**", place: reefs, as: "{base}/{path}"}]
  song:
    recognise: {loose: "*.tune"}
    put: [{take: "**", place: songs, as: "{name}/{path}"}]
  roll:
    recognise: {single: "*.zip", holds: roll.toml, repack: true}
    put: [{take: "*", place: songs, as: "{name}.zip"}]
`

// download is an archive by its name and its files.
type download struct {
	name  string
	files map[string]string
}

const reefToml = "name = \"shoal\"\nversion = \"1.0\"\n"

// reef is a download of shoal@1.0 with more in it.
func reef(more ...string) download {
	d := download{"shoal-1.0.zip", map[string]string{"shoal/reef.toml": reefToml}}
	for i := 0; i < len(more); i += 2 {
		d.files[more[i]] = more[i+1]
	}
	return d
}

// says is the same with another manifest.
func says(manifest string) download { return reef("shoal/reef.toml", manifest) }

// found are the findings of what the rulebook makes of it.
func (d download) found(t *testing.T) (out []finding.Finding) {
	r, err := Lay(book(t, cove), archive(d.name, d.files), nil)
	require.NoError(t, err)
	out = r.Findings
	for _, c := range r.Crates {
		out = append(out, c.Findings...)
	}
	return out
}

func mast(name string, more ...string) download {
	d := download{name, map[string]string{"m/mast.toml": ""}}
	for i := 0; i < len(more); i += 2 {
		d.files[more[i]] = more[i+1]
	}
	return d
}

// every is each code of a layout, with a download of which it is so, and the nearest one of
// which it is not.
var every = map[string]struct{ is, near download }{
	"bad-manifest":      {says("name = "), says("name = \"shoal\"\nversion = \"1.0\"")},
	"unseen-character":  {says("name = \"sh\u200boal\"\nversion = \"1.0\"\n"), says("name = \"shöal\"\nversion = \"1.0\"\n")},
	"reaches-out":       {says("name = \"../shoal\"\nversion = \"1.0\"\n"), says("name = \"..shoal\"\nversion = \"1.0\"\n")},
	"bad-range":         {says(reefToml + "needs = {mast = \">> 2\"}\n"), says(reefToml + "needs = {mast = \">=1.2 <2\"}\n")},
	"two-versions-told": {says("name = \"shoal\"\nversion = \"1.1\"\n"), reef()},
	"client-only":       {says(reefToml + "side = \"client\"\n"), says(reefToml + "side = \"client, server\"\n")},
	"client-folder":     {reef("shoal/client/a", "a"), reef("shoal/clients/a", "a")},
	"no-rule":           {reef("shoal/odd.bin", "a"), reef("shoal/odd.md", "a")},
	"same-target":       {reef("shoal/a.twin", "a", "shoal/wares/b.twin", "b"), reef("shoal/a.twin", "a")},
	"bad-target":        {reef("shoal/a.out", "a"), download{"shoal-1.0.zip", map[string]string{"sea/shoal/reef.toml": reefToml, "sea/shoal/a.out": "a"}}},
	"desktop-files":     {reef("shoal/.DS_Store", "a"), reef("shoal/DS_Store.md", "a")},
	"left-of-pack":      {reef("tide/reef.toml", "name = \"tide\"\nversion = \"1.0\"\n", "LICENCE", "l"), reef("tide/reef.toml", "name = \"tide\"\nversion = \"1.0\"\n", "tide/LICENCE.md", "l")},
	"also-fits":         {download{"shoal-1.0.zip", map[string]string{"shoal/reef.toml": reefToml, "mast/mast.toml": ""}}, download{"shoal-1.0.zip", map[string]string{"shoal/reef.toml": reefToml, "mast/mast.md": ""}}},
	"two-roots":         {mast("m-1.zip", "n/mast.toml", "n"), mast("m-1.zip", "n/mast.txt", "n")},
	"installer":         {download{"rig.zip", map[string]string{"rig/rig.toml": ""}}, download{"rig.zip", map[string]string{"rig/mast.toml": ""}}},
	"version-or-game":   {mast("m-9.3.zip"), mast("m-9.3-1.4.zip")},
	"no-version":        {download{"m.zip", map[string]string{"m/mast.toml": ""}}, mast("m-1.4.zip")},
	"no-name":           {download{"(1).zip", map[string]string{"reel.tune": "a"}}, download{"reels-9.3.zip", map[string]string{"reel.tune": "a"}}},
	"no-base":           {download{"p-1.zip", map[string]string{"p/patch.toml": "x = 1\n"}}, download{"p-1.zip", map[string]string{"p/patch.toml": "for = \"shoal\"\n"}}},
	"inner-archives":    {download{"outer-1.zip", map[string]string{"in.zip": "z", "in.zip!/shoal/reef.toml": reefToml}}, reef()},
	"not-repacked":      {download{"outer-1.zip", map[string]string{"in.zip": "z", "in.zip!/deep/roll.toml": "r"}}, download{"outer-1.zip", map[string]string{"in.zip": "z", "in.zip!/roll.toml": "r"}}},
}

func TestEveryFindingIsSaidWhereItIsSoAndNowhereElse(t *testing.T) {
	for code, c := range every {
		t.Run(code, func(t *testing.T) {
			findingtest.Said(t, code, c.is.found(t), c.near.found(t))
		})
	}
}

func TestNothingIsSaidOfADownloadThatIsAsItShouldBe(t *testing.T) {
	require.Empty(t, reef("shoal/wares/a", "a", "shoal/README.md", "r").found(t))
}

func TestEveryCodeOfALayoutHasItsDownloads(t *testing.T) {
	written := regexp.MustCompile(`(?:report\(finding\.\w+, |Code: )"([a-z-]+)"`)
	codes := findingtest.Codes(t, written)
	require.Greater(t, len(codes), 18)
	for _, code := range codes {
		require.Contains(t, every, code, "there is no download for it")
	}
}

// The name of a pack tells the version of the pack, not of what is in it, also where each of
// its add-ons is of a kind of its own.
func TestTheNameOfAPackTellsNothingOfItsMembers(t *testing.T) {
	text := `format: 1
name: ferry
title: The Ferry
places: {p: {path: p}}
kinds:
  route: {recognise: {single: "*.route"}, several: true, put: [{take: "*.route", place: p}]}
  crew: {recognise: {marker: crew.toml}, several: true, version: {read: {file: crew.toml, at: /v}}, put: [{take: "**", place: p, as: "{name}/{path}"}]}
`
	r, err := Lay(book(t, text), archive("harbour-2.1.zip", map[string]string{"harbour/routes/east.route": "e", "harbour/crew/anna/crew.toml": "v = \"0.4\"\n", "harbour/crew/ben/crew.toml": ""}), nil)
	require.NoError(t, err)
	labels := []string{}
	for _, c := range r.Crates {
		labels = append(labels, c.Label())
		require.False(t, slices.ContainsFunc(c.Findings, func(f finding.Finding) bool { return f.Code == "two-versions-told" }), "%v", c.Findings)
	}
	require.ElementsMatch(t, []string{"east@unmarked", "anna@0.4", "ben@unmarked"}, labels)
	require.Equal(t, "harbour@2.1", r.Pallet.Name+"@"+r.Pallet.Version)

	// Of an archive with one add-on it is the add-on's.
	r, err = Lay(book(t, text), archive("anna-2.1.zip", map[string]string{"anna/crew.toml": ""}), nil)
	require.NoError(t, err)
	require.Equal(t, "anna@2.1", r.Crates[0].Label())
}
