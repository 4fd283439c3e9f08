package e2e

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/demo"
	"restlesscrate/internal/standin/bundle"
	"restlesscrate/internal/testbed"
)

// gameServer gives a service with one game on a local folder, and the demo's
// downloads.
func gameServer(t *testing.T, game string) (s *service, root string, download func(string) string) {
	s, root = start(t), t.TempDir()
	dir := t.TempDir()
	require.NoError(t, demo.WriteSamples(dir))
	s.must("rulebook", "add", books+game+".yaml")
	s.must("server", "add", "here", "--rulebook", game, "--folder", root)
	s.must("server", "test", "here")
	return s, root, func(name string) string { return filepath.Join(dir, name) }
}

func TestAPatchIsLaidOverAStallAndGoesAgain(t *testing.T) {
	t.Parallel()
	s, root, download := gameServer(t, "lanternfall")
	s.must("stage", download("drum-tent-0.4.0.zip"), download("drum-tent-0.5.0.zip"), download("drum-tent-by-night-1.0.zip"))
	require.Contains(t, s.must("deploy", "here", "by-night@1.0", "--draft"), "by-night@1.0 changes drum-tent, which is not on this server.")
	require.NotContains(t, s.must("deploy", "here", "by-night@1.0", "drum-tent@0.4.0", "--draft"), "which is not on this server")
	s.must("deploy", "here", "drum-tent@0.4.0", "--yes", "--accept", "need-missing")
	first := testbed.Snapshot(t, root)

	out := s.must("deploy", "here", "by-night@1.0", "--yes", "--accept", "author-says")
	require.Contains(t, out, "by-night@1.0 replaces stalls/drum-tent/wares/drum.lf of drum-tent@0.4.0.")
	require.Contains(t, out, "What drum-tent@0.4.0 brings comes back when by-night goes.")
	night := testbed.Files(testbed.Snapshot(t, root))
	require.Contains(t, night["stalls/drum-tent/wares/drum.lf"], "hush")
	require.Contains(t, night["stalls/drum-tent/wares/lantern.lf"], "glow")
	status := s.must("status", "here")
	require.Contains(t, status, "by-night")

	// The stall is updated below the patch; the patch stays on top.
	out = s.must("deploy", "here", "drum-tent@0.5.0", "--yes", "--accept", "author-says")
	require.Contains(t, out, "by-night@1.0 replaces stalls/drum-tent/wares/drum.lf of drum-tent@0.5.0.")
	require.NotContains(t, out, "base-changed", "0.5.0 brings the same drum.lf")
	now := testbed.Files(testbed.Snapshot(t, root))
	require.Contains(t, now["stalls/drum-tent/wares/drum.lf"], "hush")
	require.NotEmpty(t, now["stalls/drum-tent/wares/kettle.lf"], "which 0.5.0 brings new")
	refused := s.fails(3, "is blocked by 1 finding, so nothing was done", "remove", "here", "drum-tent", "--yes")
	require.Contains(t, refused.out, "by-night@1.0 changes stalls/drum-tent/wares/drum.lf of an add-on that goes")

	s.must("remove", "here", "by-night", "--yes")
	updated := testbed.Files(testbed.Snapshot(t, root))
	require.NotContains(t, updated["stalls/drum-tent/wares/drum.lf"], "hush")
	require.Empty(t, updated["stalls/drum-tent/wares/lantern.lf"])

	s.must("rollback", "here", "--to", "3", "--yes")
	require.Equal(t, first, testbed.Snapshot(t, root))
}

func TestAPatchIsMergedIntoAPackedFile(t *testing.T) {
	t.Parallel()
	s, root, download := gameServer(t, "tidewright")
	s.must("stage", download("reedbank-shores-12.zip"), download("reedbank-tides-2.zip"))
	s.fails(1, "reedbank-tides@2 is merged into ports/reedbank/tables/reedbank-shores.zip, which no add-on has put on this server", "deploy", "here", "reedbank-tides", "--yes")
	require.Empty(t, testbed.Files(testbed.Snapshot(t, root)))

	s.must("deploy", "here", "reedbank-shores", "--yes")
	packed := filepath.Join(root, "ports", "reedbank", "tables", "reedbank-shores.zip")
	plain := read(t, packed)
	out := s.must("deploy", "here", "reedbank-tides", "--yes")
	require.Contains(t, out, "reedbank-tides@2 is merged into ports/reedbank/tables/reedbank-shores.zip of reedbank-shores@12: 2 files, replacing table.toml.")
	merged := zipTexts(t, packed)
	require.Equal(t, "table = \"reedbank-shores\"\nedition = 12\ntides = true\n", merged["table.toml"])
	require.Contains(t, merged["tides/spring.toml"], "tide")
	for name, text := range zipTextsOf(t, []byte(plain)) {
		if name != "table.toml" {
			require.Equal(t, text, merged[name])
		}
	}
	require.Contains(t, s.must("deploy", "here", "reedbank-tides", "--yes"), "0 files in, 0 changed, 0 out, 1 as they are", "the same of the same is not made again")

	s.must("remove", "here", "reedbank-tides", "--yes")
	require.Equal(t, plain, read(t, packed), "byte for byte as it came")
}

func TestAPackedFormatOfTheGamesOwnIsReadAndMergedByItsHelper(t *testing.T) {
	t.Parallel()
	s, root, download := gameServer(t, "mossgrave")
	out := s.must("stage", download("deep-survey.survey"))
	require.Contains(t, out, "deep-survey@unmarked")
	require.Contains(t, out, "deep-survey.survey is in a packed format of the game's own, and the helper program survey-bundle for it is not there; it was not looked into")
	require.Contains(t, out, filepath.Join(s.data, "helpers"))

	s.helper("survey-bundle")
	require.Contains(t, s.must("stage", download("deep-survey.survey"), download("deep-survey-names-1.zip")), "deep-survey@2.1")
	out = s.must("deploy", "here", "deep-survey@2.1", "deep-survey-names", "--yes")
	require.Contains(t, out, "deep-survey-names@1 is merged into surveys/deep-survey.survey of deep-survey@2.1: 2 files, replacing levels/second.level.")
	texts := map[string]string{}
	entries, err := bundle.Read(strings.NewReader(read(t, filepath.Join(root, "surveys", "deep-survey.survey"))))
	require.NoError(t, err)
	for _, e := range entries {
		texts[e.Path] = string(e.Content)
	}
	require.Contains(t, texts["levels/second.level"], "named")
	require.Contains(t, texts["levels/first.level"], "level")
	require.Contains(t, texts["names.toml"], "name")
	require.Contains(t, texts["survey.toml"], "2.1")
	s.must("remove", "here", "deep-survey-names", "--yes")
	require.Equal(t, read(t, download("deep-survey.survey")), read(t, filepath.Join(root, "surveys", "deep-survey.survey")))

	// A helper that cannot read a file is told, and the file stays a file.
	broken := written(t, "flooded-3.survey", "SURVEY 1\n999 x\nshort")
	out = s.must("stage", broken)
	require.Contains(t, out, "flooded-3.survey was not looked into: the helper program survey-bundle could not unpack: exit status 1: the bundle ends within x")
	require.Contains(t, out, "flooded@3")
}

func TestAnAddOnWithoutADownloadIsKeptByItsId(t *testing.T) {
	t.Parallel()
	s, _, _ := gameServer(t, "lanternfall")
	s.fails(2, "say which game's ids these are", "stage", "--id", "4711081")
	s.fails(2, `rulebook lanternfall does not take "drum" for the id of an add-on; kind troupe takes ids like ^[0-9]{6,9}$`, "stage", "--id", "drum", "--for", "here")
	out := s.must("stage", "--id", "4711081", "--for", "here")
	require.Contains(t, out, "an id in a list, without a download; the server fetches it itself")
	require.Contains(t, s.must("crate", "list"), "no download")
	require.Contains(t, s.must("crate", "show", "4711081"), "4711081@unmarked")
	s.fails(1, "4711081@unmarked has no archive that could be laid out again", "crate", "set", "4711081", "--name", "travelling-troupe")
	require.Contains(t, s.must("crate", "list"), "4711081@unmarked", "a correction that cannot be made takes nothing away")
	o := s.fails(1, "has no files to put anywhere, and rulebook lanternfall has no load list that names it", "deploy", "here", "4711081", "--yes")
	require.Contains(t, o.err, "Write its id into the server's list by hand.")
}

func TestWhichAddOnAPatchChangesIsSaidOnce(t *testing.T) {
	t.Parallel()
	s, root, download := gameServer(t, "lanternfall")
	s.must("stage", download("drum-tent-0.4.0.zip"))
	patch := func(v string) string {
		return s.must("stage", testbed.Zip(t, filepath.Join(t.TempDir(), "hush-"+v+".zip"), map[string]string{"hush/change.lf": "version = \"" + v + "\"\n", "hush/wares/drum.lf": "hush " + v}))
	}
	require.Contains(t, patch("1"), "hush@1 changes another add-on, and nothing in the archive tells which")
	s.fails(3, "hush@1 cannot be deployed: hush@1 changes another add-on", "deploy", "here", "drum-tent", "hush", "--yes")
	s.fails(2, "which changes no other add-on", "crate", "set", "drum-tent", "--base", "hush")
	require.Contains(t, s.must("crate", "set", "hush", "--base", "drum-tent"), "changes drum-tent, as you said for hush@1")
	require.NotContains(t, patch("2"), "nothing in the archive tells which")
	s.must("deploy", "here", "drum-tent", "hush@2", "--yes", "--accept", "author-says", "--accept", "need-missing")
	require.Equal(t, "hush 2", testbed.Files(testbed.Snapshot(t, root))["stalls/drum-tent/wares/drum.lf"])
}

func zipTexts(t *testing.T, file string) map[string]string {
	t.Helper()
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	return zipTextsOf(t, raw)
}

func zipTextsOf(t *testing.T, raw []byte) map[string]string {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	require.NoError(t, err)
	out := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		out[f.Name] = string(text)
	}
	return out
}
