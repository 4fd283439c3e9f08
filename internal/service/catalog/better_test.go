package catalog

import (
	"archive/zip"
	"bytes"
	"io"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/model"
)

func label(c model.Crate) string { return c.Body.Label() }

func TestTheSameBytesUnderANameThatTellsMoreAreTakenAsThat(t *testing.T) {
	d := open(t)
	files := map[string]string{"stall.lf": "colour = red\n", "key.seal": "s"}
	require.Equal(t, "download@unmarked", label(d.only(d.stage("download.zip", Say{}, files))))

	st, err := d.stage("red-tent-1.4.zip", Say{}, files)
	require.Equal(t, "red-tent@1.4", label(d.only(st, err)))
	require.True(t, st.Known)
	require.True(t, st.Renamed)
	require.Equal(t, "download.zip", st.Before)
	require.Equal(t, "red-tent-1.4.zip", st.Archive.Filename)
	gone, err := d.Records.Heads(t.Context(), "fair", "download", "")
	require.NoError(t, err)
	require.Empty(t, gone, "the name that told less leaves the list")

	for _, name := range []string{"download (1).zip", "red-tent-1.5.zip"} {
		st, err = d.stage(name, Say{}, files)
		require.Equal(t, "red-tent@1.4", label(d.only(st, err)), "%s tells no more", name)
		require.False(t, st.Renamed)
		require.False(t, st.Books[0].Fresh)
		require.Equal(t, "red-tent-1.4.zip", st.Before)
	}
}

func TestAnArchiveThatWasOnlyCheckedTakesTheNameUnderWhichItIsStaged(t *testing.T) {
	d := open(t)
	_, err := d.stage("download.zip", Say{KeepOnly: true}, tent)
	require.NoError(t, err)
	st, err := d.stage("tents.zip", Say{}, tent)
	d.only(st, err)
	require.Equal(t, "tents.zip", st.Archive.Filename)
}

func TestACrateKeepsItsCorrectionsUnderANameThatTellsMore(t *testing.T) {
	d := open(t)
	files := map[string]string{"stall.lf": "colour = red\n", "key.seal": "s"}
	c := d.only(d.stage("download.zip", Say{}, files))
	_, err := d.Corrections().Set(t.Context(), c, Naming{Version: "3"}, "owner")
	require.NoError(t, err)
	st, err := d.stage("red-tent-1.4.zip", Say{}, files)
	require.Equal(t, "download@3", label(d.only(st, err)), "a person has said which it is")
	require.False(t, st.Renamed)
}

// legacy is a zip that does not say how its names are to be read, in bytes of Windows-1252.
func legacy(t testing.TB) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, name := range []string{"stall.lf", "f\xeate.lf"} {
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, NonUTF8: true})
		require.NoError(t, err)
		_, err = io.WriteString(w, "version = 1\n"+name)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func TestTheSameBytesWithAnotherCodePageAreReadAnew(t *testing.T) {
	d := open(t)
	stage := func(page string) (Staged, model.Crate) {
		u, err := d.Receive(t.Context(), "fete-1.zip", bytes.NewReader(legacy(t)))
		require.NoError(t, err)
		u.CodePage = page
		st, err := d.Stage(t.Context(), u, "", "owner", func(string) {})
		return st, d.only(st, err)
	}
	holds := func(c model.Crate) (names []string) {
		for _, f := range c.Body.Files {
			names = append(names, f.Source.Base())
		}
		slices.Sort(names)
		return names
	}
	_, first := stage("")
	require.NotContains(t, holds(first), "fête.lf")
	st, second := stage("windows-1252")
	require.True(t, st.Reread)
	require.Equal(t, []string{"fête.lf", "stall.lf"}, holds(second))
	require.Contains(t, codes(first), "code-page")
	for _, f := range second.Findings {
		require.NotContains(t, f.What, "IBM437", "that is how they were read before")
	}
	require.Contains(t, codes(second), "code-page", "how they are read now is said")

	kept, err := d.Records.CrateByDigest(t.Context(), first.Digest)
	require.NoError(t, err)
	require.False(t, kept.Damaged)
	require.Equal(t, holds(first), holds(kept), "what a server may hold keeps the names it has there")
	require.True(t, kept.Dropped, "but it leaves the list")

	again, same := stage("windows-1252")
	require.False(t, again.Reread)
	require.Equal(t, second.Digest, same.Digest)
	_, same = stage("")
	require.Equal(t, second.Digest, same.Digest, "who says nothing of names changes none")
}
