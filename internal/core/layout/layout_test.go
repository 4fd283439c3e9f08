package layout

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

const fair = `format: 1
name: lanternfall
title: Lanternfall
places:
  stalls: {path: stalls}
  songs: {path: songbooks}
kinds:
  stall:
    recognise: {marker: [stall.lf, booth.lf]}
    name: {trim: [-main, -master]}
    version: {read: {file: "{stall,booth}.lf", match: 'version = "([^"]+)"'}}
    put:
      - {leave: "*.md", because: notes are for people}
      - {take: ["*.lf", "wares/**"], place: stalls, as: "{name}/{path}"}
  songbook:
    recognise: {loose: "*.tune"}
    name: {trim: [-main]}
    put:
      - {take: "*.tune", place: songs, as: "{name}/{file}"}
`

const tide = `format: 1
name: tidewright
title: Tidewright
places:
  fixtures: {path: fixtures}
  tables: {path: tables}
kinds:
  table:
    recognise: {single: "*.zip", holds: table.toml}
    put:
      - {take: "*", place: tables, as: "{name}.zip"}
  fixture:
    recognise: {single: "*.tdx"}
    put:
      - {take: "*.tdx", place: fixtures, as: "{file}"}
`

func book(t require.TestingT, text string) *rulebook.Book {
	b, err := rulebook.Parse([]byte(text))
	require.NoError(t, err)
	return b
}

func archive(name string, texts map[string]string) Archive {
	a := Archive{Filename: name, Whole: tree.Entry{Size: 9, Digest: tree.Sum([]byte(name))}}
	if texts == nil {
		return a
	}
	for p, s := range texts {
		a.Entries = append(a.Entries, tree.Entry{Path: tree.MustPath(p), Size: int64(len(s)), Digest: tree.Sum([]byte(s))})
	}
	a.Read = reading(texts)
	return a
}

// reading reads texts as if they lay by their digests.
func reading(texts map[string]string) Reader {
	byDigest := map[tree.Digest]string{}
	for _, s := range texts {
		byDigest[tree.Sum([]byte(s))] = s
	}
	return func(e tree.Entry, most int64) ([]byte, error) {
		s, ok := byDigest[e.Digest]
		if !ok {
			return nil, errGone
		}
		return []byte(s)[:min(int64(len(s)), most)], nil
	}
}

var errGone = errors.New("its bytes are gone")

// lay lays an archive out that can be read.
func lay(b *rulebook.Book, a Archive, fixes Fixes) Result {
	res, err := Lay(b, a, fixes)
	if err != nil {
		panic(err)
	}
	return res
}

// laid is a result of at most one crate.
type laid struct {
	Result
	Crate *Crate
}

// layOne lays an archive out that gives at most one crate.
func layOne(b *rulebook.Book, a Archive) laid {
	l := laid{Result: lay(b, a, nil)}
	if len(l.Crates) > 1 {
		panic("more than one crate")
	}
	for _, c := range l.Crates {
		l.Crate = c
		l.Findings = append(l.Findings, c.Findings...)
	}
	return l
}

// targets gives place/path <- source, and left-out sources with "-".
func targets(c *Crate) map[string]string {
	out := map[string]string{}
	for _, f := range c.Files {
		out[f.Source.String()] = f.Place + ":" + string(f.Path)
	}
	for _, l := range c.Left {
		out[l.Source.String()] = "-"
	}
	return out
}

func TestAnAddOnWithoutANameIsCalledNameless(t *testing.T) {
	for _, file := range []string{" .zip", "(1).zip", " (2)"} {
		r := layOne(book(t, fair), archive(file, map[string]string{"stall.lf": ""}))
		require.Equal(t, "nameless@unmarked", r.Crate.Label(), file)
		require.Contains(t, r.Findings, finding.Finding{Level: finding.Warn, Code: "no-name",
			What: "nothing in the archive tells what the add-on is called; it is called nameless", Mend: "Give it a name, for this and later versions.", Remedies: []finding.Remedy{finding.NameCrate.With("name")}})
	}
}

func TestSingleFileIsTheAddOn(t *testing.T) {
	r := layOne(book(t, tide), archive("tide-lamps-2.1.0 (1).tdx", nil))
	require.NotNil(t, r.Crate)
	require.Equal(t, "tide-lamps@2.1.0", r.Crate.Label())
	require.Equal(t, map[string]string{".": "fixtures:tide-lamps-2.1.0.tdx"}, targets(r.Crate))
	require.Equal(t, "a single file that is the add-on; goes to the place fixtures", r.Crate.Files[0].Reason)
	require.Equal(t, 15, r.Crate.Files[0].Line)
}

func TestSingleFileInsideAZip(t *testing.T) {
	r := layOne(book(t, tide), archive("pier-signs.zip", map[string]string{"pier-signs/pier-signs-1.4.0.tdx": "x", "pier-signs/README.md": "hi"}))
	require.Equal(t, "pier-signs@1.4.0", r.Crate.Label())
	require.Equal(t, map[string]string{"pier-signs/pier-signs-1.4.0.tdx": "fixtures:pier-signs-1.4.0.tdx", "pier-signs/README.md": "-"}, targets(r.Crate))
	require.Equal(t, "no-rule", r.Findings[0].Code, "the README has no rule here, and that is said")
}

func TestPackedFileStaysPacked(t *testing.T) {
	r := layOne(book(t, tide), archive("reedbank-shores-12.zip", map[string]string{"table.toml": "", "a/b": "x"}))
	require.Equal(t, "table", r.Crate.Kind)
	require.Equal(t, map[string]string{".": "tables:reedbank-shores.zip"}, targets(r.Crate))
	require.Nil(t, layOne(book(t, tide), archive("other-12.zip", map[string]string{"deep/table.toml": ""})).Crate)
}

func TestMarkerUnderWrappersWithABranchSuffix(t *testing.T) {
	a := archive("drum-tent-main.zip", map[string]string{
		"drum-tent-main/README.md":                     "read me",
		"drum-tent-main/drum-tent-main/stall.lf":       `version = "0.4.1"`,
		"drum-tent-main/drum-tent-main/wares/drum.txt": "boom",
		"drum-tent-main/drum-tent-main/notes.md":       "n",
		"drum-tent-main/drum-tent-main/odd.bin":        "?",
	})
	r := layOne(book(t, fair), a)
	require.Equal(t, "drum-tent@0.4.1", r.Crate.Label())
	require.Equal(t, map[string]string{
		"drum-tent-main/README.md":                     "-",
		"drum-tent-main/drum-tent-main/stall.lf":       "stalls:drum-tent/stall.lf",
		"drum-tent-main/drum-tent-main/wares/drum.txt": "stalls:drum-tent/wares/drum.txt",
		"drum-tent-main/drum-tent-main/notes.md":       "-",
		"drum-tent-main/drum-tent-main/odd.bin":        "-",
	}, targets(r.Crate))
	require.Equal(t, "stall.lf marks the root; wrapper drum-tent-main dropped; goes to the place stalls", r.Crate.Files[0].Reason)
	reasons := map[string]string{}
	for _, l := range r.Crate.Left {
		reasons[l.Source.Base()] = l.Reason
	}
	require.Equal(t, map[string]string{
		"README.md": "outside the add-on's folder drum-tent-main/drum-tent-main",
		"notes.md":  "notes are for people",
		"odd.bin":   "no rule of kind stall takes it",
	}, reasons)
	require.Len(t, r.Findings, 1)
	require.Equal(t, "1 file of drum-tent@0.4.1: no rule of kind stall says where to", r.Findings[0].What)
}

func TestLooseFilesGetAFolder(t *testing.T) {
	r := layOne(book(t, fair), archive("harvest-songs-1.2.zip", map[string]string{"a.tune": "1", "b.tune": "2"}))
	require.Equal(t, "songbook", r.Crate.Kind)
	require.Equal(t, map[string]string{"a.tune": "songs:harvest-songs/a.tune", "b.tune": "songs:harvest-songs/b.tune"}, targets(r.Crate))
	require.Equal(t, "harvest-songs@1.2", r.Crate.Label())
}

func TestDoubtIsSaidAndNothingIsLaidOut(t *testing.T) {
	r := layOne(book(t, fair), archive("two.zip", map[string]string{"a/stall.lf": "", "b/stall.lf": ""}))
	require.Nil(t, r.Crate)
	require.Equal(t, "two-roots", r.Findings[0].Code)
	require.Contains(t, r.Findings[0].What, "a (1 file), b (1 file)")
	require.Equal(t, laid{}, layOne(book(t, fair), archive("x.zip", map[string]string{"readme": ""})))
}

func TestTwoFilesCannotShareATarget(t *testing.T) {
	r := layOne(book(t, fair), archive("s.zip", map[string]string{"a.tune": "1", "a (1).tune": "2"}))
	require.Equal(t, "same-target", r.Findings[0].Code)
}

func TestWithoutAVersionItSaysSo(t *testing.T) {
	r := layOne(book(t, fair), archive("drum-tent-master.zip", map[string]string{"drum-tent-master/booth.lf": ""}))
	require.Equal(t, "drum-tent@unmarked", r.Crate.Label())
	require.Equal(t, "no-version", r.Findings[0].Code)
}

func TestLayoutLosesNoFileAndNoneLeavesItsPlace(t *testing.T) {
	b := book(t, fair)
	part := rapid.SampledFrom([]string{"a", "wares", "stall.lf", "booth.lf", "x.tune", "y-main", "z (1).tune", "n.md", "-v1.2"})
	rapid.Check(t, func(t *rapid.T) {
		texts := map[string]string{}
		for i := range rapid.IntRange(0, 8).Draw(t, "files") {
			p := part.Draw(t, "p")
			for range rapid.IntRange(0, 3).Draw(t, "depth") {
				p += "/" + part.Draw(t, "q")
			}
			texts[p] = fmt.Sprint(i)
		}
		a := archive("any-1.0.zip", texts)
		r := layOne(b, a)
		if r.Crate == nil {
			return
		}
		require.Len(t, a.Entries, len(r.Crate.Files)+len(r.Crate.Left), "every file is placed or left out, once")
		for _, f := range r.Crate.Files {
			_, err := tree.ParsePath(string(f.Path))
			require.NoError(t, err)
			require.NotEmpty(t, f.Reason)
		}
		for _, l := range r.Crate.Left {
			require.NotEmpty(t, l.Reason)
		}
		require.Equal(t, r.Crate.Digest(), layOne(b, a).Crate.Digest())
	})
}

func TestDigestIsOfContentsNotOfPacking(t *testing.T) {
	files := map[string]string{"d-main/stall.lf": `version = "1"`, "d-main/wares/a": "a"}
	c := layOne(book(t, fair), archive("d-main.zip", files)).Crate
	same := layOne(book(t, fair), archive("d.zip", map[string]string{"d/stall.lf": `version = "1"`, "d/wares/a": "a", "d/x.md": "more"})).Crate
	require.Equal(t, c.Digest(), same.Digest())
	files["d-main/wares/a"] = "b"
	require.NotEqual(t, c.Digest(), layOne(book(t, fair), archive("d-main.zip", files)).Crate.Digest())
	c.Files[0].Exec = true
	require.NotEqual(t, same.Digest(), c.Digest())
}
