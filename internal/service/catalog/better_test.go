package catalog

import (
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
	_, err := d.Set(t.Context(), c, Naming{Version: "3"}, "owner")
	require.NoError(t, err)
	st, err := d.stage("red-tent-1.4.zip", Say{}, files)
	require.Equal(t, "download@3", label(d.only(st, err)), "a person has said which it is")
	require.False(t, st.Renamed)
}
