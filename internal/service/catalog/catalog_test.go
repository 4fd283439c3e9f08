package catalog

import (
	"archive/zip"
	"bytes"
	"io"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/testbed/recordstest"
)

const fair = `format: 1
name: fair
title: Fair
places: {stalls: {path: stalls}, seals: {path: seals}}
kinds:
  stall:
    recognise: {marker: stall.lf}
    version: {read: {file: stall.lf, match: 'version = (\S+)'}}
    put:
      - {take: "*.lf", place: stalls, as: "{name}/{file}"}
`

// desk is a catalogue over real records and a real stockroom.
type desk struct {
	*testing.T
	*Service
	dir string
}

func open(t *testing.T) desk {
	t.Helper()
	dir := t.TempDir()
	db, err := recordstest.Open(t.Context(), filepath.Join(dir, "records.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	room, err := stockroom.Open(filepath.Join(dir, "stockroom"), db)
	require.NoError(t, err)
	d := desk{t, &Service{Records: db, Room: room, Limits: archive.DefaultLimits}, dir}
	d.book(fair)
	return d
}

func (d desk) book(text string) {
	d.Helper()
	_, _, err := d.AddRulebook(d.Context(), []byte(text), false, "owner")
	require.NoError(d, err)
}

func (d desk) stage(name string, say Say, files map[string]string) (Staged, error) {
	d.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, path := range slices.Sorted(maps.Keys(files)) {
		w, err := z.Create(path)
		require.NoError(d, err)
		_, err = io.WriteString(w, files[path])
		require.NoError(d, err)
	}
	require.NoError(d, z.Close())
	u, err := d.Receive(d.Context(), name, &b)
	require.NoError(d, err)
	u.Say = say
	return d.Stage(d.Context(), u, "", "owner", func(string) {})
}

func (d desk) only(st Staged, err error) model.Crate {
	d.Helper()
	require.NoError(d, err)
	require.Len(d, st.Books[0].Crates, 1)
	return st.Books[0].Crates[0]
}

func requireFault(t testing.TB, err error, kind fault.Kind, code, words string) {
	t.Helper()
	f := fault.As(err)
	require.Equal(t, code, f.Code, "%v", err)
	require.Equal(t, kind, f.Kind)
	require.Contains(t, f.What+" "+f.Mend, words)
}

func codes(c model.Crate) (out []string) {
	for _, f := range c.Findings {
		out = append(out, f.Code)
	}
	return out
}

var tent = map[string]string{"tent/stall.lf": "version = 1\n", "tent/key.seal": "s"}

func TestAnArchiveThatIsOnlyKeptIsLaidOutByNobodyAndCanBeTried(t *testing.T) {
	d := open(t)
	st, err := d.stage("tent-1.zip", Say{KeepOnly: true}, tent)
	require.NoError(t, err)
	require.Empty(t, st.Books)
	all, err := d.Crates(t.Context(), "", "", 0, 10)
	require.NoError(t, err)
	require.Empty(t, all)

	br, err := d.TryRulebook(t.Context(), []byte(fair), st.Archive.Digest)
	require.NoError(t, err)
	require.Equal(t, "tent@1", br.Crates[0].Body.Label())
	require.Equal(t, []string{"no-rule"}, codes(br.Crates[0]))
	_, err = d.TryRulebook(t.Context(), []byte("format: 9"), st.Archive.Digest)
	requireFault(t, err, fault.Usage, "rulebook-faults", `format "9" is not known`)
	_, err = d.TryRulebook(t.Context(), []byte(fair), tree.Sum([]byte("nobody's")))
	requireFault(t, err, fault.Unknown, "archive-unknown", "no archive with the digest")
	all, err = d.Crates(t.Context(), "", "", 0, 10)
	require.NoError(t, err)
	require.Empty(t, all, "trying keeps nothing")
}

func TestACorrectionThatTheRulebookNoLongerBearsIsTold(t *testing.T) {
	d := open(t)
	c := d.only(d.stage("tent-1.zip", Say{}, tent))
	_, err := d.Corrections().Place(t.Context(), c, Placing{Glob: "*.seal", Place: "sealz"}, "owner")
	requireFault(t, err, fault.Usage, "bad-placing", `there is no place "sealz"; did you mean "seals"?`)
	_, err = d.Corrections().Place(t.Context(), c, Placing{Glob: "[", Place: "seals"}, "owner")
	requireFault(t, err, fault.Usage, "bad-placing", "is not a glob")
	now, err := d.Corrections().Place(t.Context(), c, Placing{Glob: "*.seal", Place: "seals"}, "owner")
	require.NoError(t, err)
	require.Empty(t, codes(now[0]))
	require.Equal(t, "placed as you said for tent@1", now[0].Body.Files[0].Reason)

	d.book(strings.Replace(strings.Replace(fair, ", seals: {path: seals}", "", 1), "title: Fair", "title: Fair without seals", 1))
	st, err := d.stage("tent-2.zip", Say{}, map[string]string{"tent/stall.lf": "version = 2\n", "tent/key.seal": "t"})
	require.NoError(t, err)
	require.Equal(t, "correction-stale", st.Books[0].Findings[0].Code)
	require.Equal(t, []string{"no-rule"}, codes(st.Books[0].Crates[0]))
}

func TestFilesAreLeftOutByAPersonsWord(t *testing.T) {
	d := open(t)
	c := d.only(d.stage("tent-1.zip", Say{}, tent))
	now, err := d.Corrections().Place(t.Context(), c, Placing{Glob: "*.seal"}, "owner")
	require.NoError(t, err)
	require.True(t, now[0].Body.Left[0].Settled)
	require.Empty(t, codes(now[0]))
	_, err = d.Corrections().Set(t.Context(), now[0], Naming{}, "owner")
	requireFault(t, err, fault.Usage, "bad-request", "say a name, a version, which add-on it changes, or")
	for _, wrong := range []Naming{{Name: "a/b"}, {Version: "1@2"}, {Name: ".."}} {
		_, err = d.Corrections().Set(t.Context(), now[0], wrong, "owner")
		requireFault(t, err, fault.Usage, "bad-name", "can be neither a name nor a version")
	}
}

func TestTheSameVersionFromAnotherSourceIsKeptApart(t *testing.T) {
	d := open(t)
	first := d.only(d.stage("tent-1.zip", Say{Source: "the board"}, tent))
	second := d.only(d.stage("tent-1.zip", Say{Source: "a mirror"}, map[string]string{"tent/stall.lf": "version = 1 \n"}))
	require.NotEqual(t, first.Digest, second.Digest)
	require.Equal(t, []string{"other-bytes"}, codes(second))
	require.Contains(t, second.Findings[0].What, "of tent-1.zip (the board) has the same name and version, but other files")
	require.Equal(t, "a mirror", second.Archives[0].Source)
	_, err := d.FindCrate(t.Context(), "", "tent@1")
	requireFault(t, err, fault.Usage, "crate-ambiguous", "tent@1~"+first.Digest.Short())
	found, err := d.FindCrate(t.Context(), "", "tent@1~"+second.Digest.Short())
	require.NoError(t, err)
	require.Equal(t, second.ID, found.ID)
}

func TestAnArchiveThatIsRefusedLeavesNothingInTheStockroom(t *testing.T) {
	d := open(t)
	before := listed(t, d.dir)
	_, err := d.stage("tent-1.zip", Say{}, map[string]string{"../up": "x"})
	requireFault(t, err, fault.Failed, "unsafe-entry", `"../up" leads out of its root`)
	_, err = d.stage("tent-1.zip", Say{Expect: tree.Sum([]byte("else"))}, tent)
	requireFault(t, err, fault.Failed, "other-bytes", "not the one that you gave")
	_, err = d.stage("tent-1.zip", Say{CodePage: "martian"}, tent)
	requireFault(t, err, fault.Failed, "unknown-code-page", `there is no code page "martian"`)
	require.Equal(t, before, listed(t, d.dir))
	_, err = d.Receive(t.Context(), "../x.zip/..", strings.NewReader(""))
	requireFault(t, err, fault.Usage, "bad-filename", "is not a file name")
}

func listed(t *testing.T, dir string) []string {
	t.Helper()
	found, err := filepath.Glob(filepath.Join(dir, "stockroom", "*", "*"))
	require.NoError(t, err)
	return found
}

func TestAnArchiveThatUnpacksToFarMoreIsTakenWhereAPersonTrustsIt(t *testing.T) {
	d := open(t)
	d.Limits.Floor, d.Limits.Ratio = 1000, 3
	files := map[string]string{"stall/stall.lf": "version = 1", "stall/blank.bin": strings.Repeat("\x00", 100_000)}
	_, err := d.stage("stall.zip", Say{}, files)
	require.Equal(t, "bomb", fault.As(err).Code)
	require.Contains(t, fault.As(err).Mend, "stage it as trusted")
	st, err := d.stage("stall.zip", Say{Trusted: true}, files)
	require.NoError(t, err)
	require.Len(t, st.Books[0].Crates, 1)
}

func TestARulebookOfSomebodyElseIsNotWrittenOverUnasked(t *testing.T) {
	d := open(t)
	mine := []byte(strings.Replace(fair, "title: Fair", "title: My Fair", 1))
	_, _, err := d.AddRulebook(t.Context(), mine, false, "mara")
	require.Equal(t, "others-rulebook", fault.As(err).Code)
	require.ErrorContains(t, err, "revision 1 of rulebook fair is by owner")
	_, fresh, err := d.AddRulebook(t.Context(), []byte(fair), false, "mara")
	require.NoError(t, err, "the same text changes nothing")
	require.False(t, fresh)
	rev, fresh, err := d.AddRulebook(t.Context(), mine, true, "mara")
	require.NoError(t, err)
	require.True(t, fresh)
	require.Equal(t, 2, rev.Number)
	_, _, err = d.AddRulebook(t.Context(), []byte(fair), false, "owner")
	require.Equal(t, "others-rulebook", fault.As(err).Code, "now it is mara's")
}

func TestTryingARulebookSaysWhatEachReadingFound(t *testing.T) {
	d := open(t)
	st, err := d.stage("stall.zip", Say{}, map[string]string{"stall/stall.lf": "version = 7\n"})
	require.NoError(t, err)
	text := strings.Replace(fair, "    put:", "    name: {read: {file: stall.lf, match: 'called (\\S+)'}}\n    put:", 1)
	br, err := d.TryRulebook(t.Context(), []byte(text), st.Archive.Digest)
	require.NoError(t, err)
	require.Equal(t, []layout.Traced{
		{What: "name", File: "stall.lf", Where: `called (\S+)`},
		{What: "version", File: "stall.lf", Where: `version = (\S+)`, From: "stall.lf", Value: "7"},
	}, br.Crates[0].Body.Traces)
}
