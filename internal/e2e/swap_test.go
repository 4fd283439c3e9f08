package e2e

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// drawing is a picture of one colour.
func drawing(t *testing.T, side int, c color.Color) string {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, side, side))
	img.Set(0, 0, c)
	var out bytes.Buffer
	require.NoError(t, png.Encode(&out, img))
	return out.String()
}

// A person's own picture takes the place of an add-on's, its kind and measures compared; it stays
// over an update, and goes back on its own; under another name its reference goes with it.
func TestAnAssetIsSwappedWithItsReference(t *testing.T) {
	t.Parallel()
	s, root, text, _ := marshland(t)
	dl := t.TempDir()
	sluice := func(version string, side int) {
		folder := filepath.Join(dl, version, "sluice")
		testbed.Write(t, filepath.Join(folder, "gate.toml"), "version = \""+version+"\"\n")
		testbed.Write(t, filepath.Join(folder, "settings.yaml"), "face: face.png # beside this text\nheight: "+version+"\n")
		testbed.Write(t, filepath.Join(folder, "face.png"), drawing(t, side, color.White))
		s.must("stage", folder, "--for", "fen")
		s.must("deploy", "fen", "sluice@"+version, "--yes")
	}
	const face, where = "gates/sluice/face.png", "gates/sluice/settings.yaml"
	sluice("1", 8)
	own := drawing(t, 8, color.Black)
	mine := textFile(t, dl, "mine.png", own)
	out := s.must("tweak", "swap", "fen", face, mine, "--yes")
	require.NotContains(t, out, "swap-measures")
	require.Equal(t, own, text(face))
	require.Contains(t, s.must("tweak", "list", "fen"), "is swapped for mine.png")

	sluice("2", 9)
	require.Equal(t, own, text(face), "an update keeps it")
	require.Contains(t, s.must("deployment", "show", "fen#4"), "the new version brings another file, and yours (mine.png) stays in its place")
	id := regexp.MustCompile(`t-[0-9a-f]{6}`).FindString(s.must("tweak", "list", "fen"))
	s.must("tweak", "undo", "fen", id, "--yes")
	require.Equal(t, drawing(t, 9, color.White), text(face), "what the version of now brings")
	s.must("rollback", "fen", "--deployment", "5", "--yes")
	require.Equal(t, own, text(face))
	require.Contains(t, s.must("tweak", "list", "fen"), "mine.png")

	out = s.must("tweak", "swap", "fen", face, textFile(t, dl, "large.png", drawing(t, 16, color.Black)), "--draft")
	require.Regexp(t, `WARN +swap-measures: gates/sluice/face.png is image/png, 9 × 9, \d+ B, and large.png is image/png, 16 × 16`, out)
	o := s.fails(3, "", "tweak", "swap", "fen", face, textFile(t, dl, "face.txt", "a face\n"), "--yes")
	require.Contains(t, o.out, "BLOCK swap-type: gates/sluice/face.png is image/png, 9 × 9")
	require.Contains(t, o.out, "face.txt, which is to take its place, is text/plain")

	// Beside it, under a name of its own, and the text names that one.
	out = s.must("tweak", "swap", "fen", face, mine, "--as", "owl.png", "--in", where, "--yes")
	require.Contains(t, out, "+face: owl.png # beside this text")
	require.Equal(t, own, text("gates/sluice/owl.png"))
	sluice("3", 9)
	require.Contains(t, text(where), "face: owl.png # beside this text\nheight: 3\n")
	require.FileExists(t, filepath.Join(root, "gates/sluice/owl.png"))
	s.must("remove", "fen", "sluice", "--yes")
	require.NoDirExists(t, filepath.Join(root, "gates/sluice"), "it goes with its add-on")
	s.must("tweak", "swap", "fen", "marsh.dat", textFile(t, dl, "tide.dat", string(make([]byte, 12<<20))), "--yes")
	require.Len(t, text("marsh.dat"), 12<<20)
	s.fails(1, "no such file", "tweak", "swap", "fen", face, filepath.Join(dl, "none.png"))
	_, err := os.Stat(filepath.Join(root, "gates/weir"))
	require.NoError(t, err)
}
