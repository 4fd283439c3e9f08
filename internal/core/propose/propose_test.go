package propose

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

func entries(paths ...string) (out []tree.Entry) {
	seen := map[tree.Path]bool{}
	for _, p := range paths {
		for _, up := range tree.MustPath(p).Ancestors() {
			if !seen[up] {
				seen[up] = true
				out = append(out, tree.Entry{Path: up, Dir: true})
			}
		}
		out = append(out, tree.Entry{Path: tree.MustPath(p), Digest: tree.Sum([]byte(p)), Size: 1})
	}
	return out
}

// believed gives the best answer to each question.
func believed(e Evidence, a Answers) map[string]string {
	out := map[string]string{}
	for _, q := range Questions(e, a) {
		out[q.Key] = a.orBelieved(q)
	}
	return out
}

var fairTree = entries("fair", "fair.order", "fair.seal", "stalls/ticket-gate/stall.lf", "stalls/ticket-gate/gate.lf", "stalls/pie-cart/stall.lf", "stalls/pie-cart/pies.lf", "songbooks/old/waltz.tune")

func TestAFolderGameIsUnderstood(t *testing.T) {
	e := Evidence{Tree: fairTree, Downloads: []Download{{Filename: "drum-tent-main.zip", Entries: entries("drum-tent-main/README.md", "drum-tent-main/drum-tent-main/stall.lf", "drum-tent-main/drum-tent-main/wares/drum.lf")}}}
	require.Equal(t, map[string]string{Shape: Folder, Sign: "stall.lf", Place: "stalls", More: none, Lists: none, Protected: "fair.seal"}, believed(e, nil))
	why := Questions(e, nil)[1].Options[0].Why
	require.Equal(t, "2 folders in stalls on the server hold one; the folder around them is called like it; drum-tent-main.zip has it at the top of drum-tent-main/drum-tent-main", why)

	text, err := Write("fair", "The Fair", e, nil)
	require.NoError(t, err)
	b, err := rulebook.Parse(text)
	require.NoError(t, err)
	r, err := layout.Lay(b, layout.Archive{Filename: "drum-tent-main.zip", Entries: e.Downloads[0].Entries}, nil)
	require.NoError(t, err)
	require.Len(t, r.Crates, 1)
	require.Equal(t, "drum-tent", r.Crates[0].Name)
	require.Equal(t, tree.Path("drum-tent/stall.lf"), r.Crates[0].Files[0].Path)
}

func TestFilesDeepDownAreRatherParts(t *testing.T) {
	e := Evidence{Tree: entries("stalls/gate/stall.lf", "stalls/drum/stall.lf", "stalls/drum/wares/a.lf", "stalls/drum/wares/b.lf", "songbooks/harvest/jig.tune", "songbooks/harvest/reel.tune")}
	require.Equal(t, map[string]string{Shape: Folder, Sign: "stall.lf", Place: "stalls", More: none, Lists: none, Protected: "none"}, believed(e, nil))
}

// A download with several such files and no folder says more than one folder of them on the
// server, which may be a folder of single files or one add-on.
func TestBesideAFirstKindLooseFilesAreToldFromSingleOnes(t *testing.T) {
	stalls := entries("stalls/gate/stall.lf", "stalls/drum/stall.lf", "songbooks/harvest/jig.tune", "songbooks/harvest/reel.tune")
	loose := Evidence{Tree: stalls, Downloads: []Download{{Filename: "harvest-1.2.zip", Entries: entries("jig.tune", "reel.tune", "notes.txt")}}}
	packs := Evidence{Tree: entries("stalls/gate/stall.lf", "stalls/drum/stall.lf", "packs/a.pak", "packs/b.pak"), Downloads: []Download{{Filename: "both.zip", Entries: entries("a.pak", "b.pak")}}}
	for range 20 {
		require.Equal(t, "loose *.tune in songbooks", believed(loose, Answers{Shape: Folder})[More])
		require.Equal(t, "single *.pak in packs", believed(packs, Answers{Shape: Folder})[More])
	}
}

func TestASingleFileGameIsUnderstood(t *testing.T) {
	e := Evidence{Tree: entries("harbour", "harbour.key", "fixtures/base-1.tdx", "fixtures/lamps-2.tdx", "ports/a/seed"), Downloads: []Download{{Filename: "signs-1.4.tdx"}}}
	require.Equal(t, map[string]string{Shape: Single, Sign: "*.tdx", Place: "fixtures", More: none, Lists: none, Protected: "harbour.key"}, believed(e, nil))
}

func TestLooseFilesAreUnderstoodFromADownloadAlone(t *testing.T) {
	e := Evidence{Downloads: []Download{{Filename: "songs-1.2.zip", Entries: entries("reel.tune", "jig.tune", "notes.txt")}}}
	got := believed(e, nil)
	require.Equal(t, []string{Loose, "*.tune", "", "none"}, []string{got[Shape], got[Sign], got[Place], got[Protected]})
	_, err := Write("songs", "Songs", e, nil)
	require.EqualError(t, err, "Where on the server do add-ons lie? There is nothing to learn that from yet: answer place")
	text, err := Write("songs", "Songs", e, Answers{Place: "song books"})
	require.NoError(t, err)
	require.Contains(t, string(text), "  song-books:\n    path: \"song books\"\n")
}

func TestAnAnswerChangesTheQuestionsAfterIt(t *testing.T) {
	e := Evidence{Tree: fairTree}
	require.Equal(t, "stall.lf", believed(e, nil)[Sign])
	require.Empty(t, believed(e, Answers{Shape: Single})[Sign], "files of a folder that is an add-on are none")
	require.Equal(t, "songbooks", believed(e, Answers{Shape: Loose, Sign: "*.tune"})[Place])
	require.ErrorContains(t, Check(Answers{"colour": "red"}), `there is no question "colour"`)
	require.ErrorContains(t, Check(Answers{Shape: "round"}), "it is single, folder or loose")
	_, err := Write("The Fair", "x", e, nil)
	require.ErrorContains(t, err, "cannot be a rulebook's name")
}

func TestWhatIsWrittenIsAlwaysARulebook(t *testing.T) {
	part := rapid.SampledFrom([]string{"mods", "a b", "x.lf", "y.lf", "stall.lf", "it's", "z.toml", "q\"uote", "läden", "k.key"})
	rapid.Check(t, func(t *rapid.T) {
		var paths []string
		for range rapid.IntRange(0, 12).Draw(t, "n") {
			p := part.Draw(t, "p")
			for range rapid.IntRange(0, 3).Draw(t, "d") {
				p += "/" + part.Draw(t, "q")
			}
			paths = append(paths, p)
		}
		e := Evidence{Tree: entries(paths...), Downloads: []Download{{Filename: "d-1.zip", Entries: entries(paths...)}}}
		text, err := Write("any", "Any", e, Answers{Place: part.Draw(t, "place")})
		if err != nil {
			require.ErrorContains(t, err, "nothing to learn", "%s", err)
			return
		}
		_, err = rulebook.Parse(text)
		require.NoError(t, err)
	})
}
