package archive

import (
	"archive/zip"
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
)

func TestMergingLeavesEveryOtherEntryAsItLies(t *testing.T) {
	var base bytes.Buffer
	z := zip.NewWriter(&base)
	for _, f := range []struct {
		name, text string
		method     uint16
	}{{"table.toml", "edition = 3\n", zip.Store}, {"shores/mud.toml", "deep", zip.Deflate}, {"shores/sand.toml", strings.Repeat("sand ", 99), zip.Deflate}} {
		w, err := z.CreateHeader(&zip.FileHeader{Name: f.name, Method: f.method, Comment: "of " + f.name, Modified: time.Unix(1e9, 0)})
		require.NoError(t, err)
		_, err = io.WriteString(w, f.text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())

	addition := func(p tree.Path, text string) Addition {
		return Addition{Path: p, Open: func() (io.ReadCloser, error) { return io.NopCloser(strings.NewReader(text)), nil }}
	}
	merge := func() []byte {
		var out bytes.Buffer
		replaced, err := Merge(&out, bytes.NewReader(base.Bytes()), int64(base.Len()), []Addition{addition("tides/new.toml", "tide"), addition("shores/mud.toml", "deeper")})
		require.NoError(t, err)
		require.Equal(t, []tree.Path{"shores/mud.toml"}, replaced)
		return out.Bytes()
	}
	made := merge()
	require.Equal(t, made, merge(), "the same gives the same bytes")

	got, err := zip.NewReader(bytes.NewReader(made), int64(len(made)))
	require.NoError(t, err)
	raw := func(f *zip.File) string {
		r, err := f.OpenRaw()
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		return string(b)
	}
	old, err := zip.NewReader(bytes.NewReader(base.Bytes()), int64(base.Len()))
	require.NoError(t, err)
	var names []string
	for _, f := range got.File {
		names = append(names, f.Name)
	}
	require.Equal(t, []string{"table.toml", "shores/sand.toml", "shores/mud.toml", "tides/new.toml"}, names)
	for i, was := range map[int]int{0: 0, 1: 2} {
		require.Equal(t, raw(old.File[was]), raw(got.File[i]), "copied as it lies, not packed again")
		require.Equal(t, old.File[was].FileHeader.Comment, got.File[i].FileHeader.Comment)
		require.Equal(t, old.File[was].Method, got.File[i].Method)
		require.True(t, old.File[was].Modified.Equal(got.File[i].Modified))
	}
	for i, want := range map[int]string{2: "deeper", 3: "tide"} {
		r, err := got.File[i].Open()
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		require.Equal(t, want, string(b))
	}
}

func TestMergingIntoWhatIsNoZipOrOfWhatCannotBeReadFails(t *testing.T) {
	_, err := Merge(io.Discard, strings.NewReader("not a zip"), 9, nil)
	require.ErrorContains(t, err, "read the packed file to merge into it")
	var base bytes.Buffer
	require.NoError(t, zip.NewWriter(&base).Close())
	gone := errors.New("gone")
	_, err = Merge(io.Discard, bytes.NewReader(base.Bytes()), int64(base.Len()), []Addition{{Path: "a", Open: func() (io.ReadCloser, error) { return nil, gone }}})
	require.ErrorIs(t, err, gone)
	require.ErrorContains(t, err, "merge a:")
}
