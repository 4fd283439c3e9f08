package settings_test

import (
	"archive/zip"
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tweak"
)

// bundle packs files; the first is stored as it is.
func bundle(t *testing.T, files ...[2]string) []byte {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for i, f := range files {
		method := zip.Deflate
		if i == 0 {
			method = zip.Store
		}
		to, err := w.CreateHeader(&zip.FileHeader{Name: f[0], Method: method})
		require.NoError(t, err)
		_, err = to.Write([]byte(f[1]))
		require.NoError(t, err)
	}
	require.NoError(t, w.SetComment("of the caves"))
	require.NoError(t, w.Close())
	return out.Bytes()
}

func inner(t *testing.T, raw []byte, name string) string {
	t.Helper()
	text, err := settings.Member(raw, name)
	require.NoError(t, err)
	return string(text)
}

func TestATextInsideAPackedFileIsChangedAndTheRestCopied(t *testing.T) {
	raw := bundle(t, [2]string{"picture.png", "\x00\x01\x02"}, [2]string{"etc/cave.toml", "depth = 3 # fathoms\n"}, [2]string{"etc/other.txt", "as it is"})
	op := settings.Tweaked(tweak.Tweak{Do: tweak.Set, Format: "toml", At: "/depth", Value: "4"})
	op.Inside = "etc/cave.toml"
	after, undo, err := settings.Apply(raw, op)
	require.NoError(t, err)
	require.Equal(t, "depth = 4 # fathoms\n", inner(t, after, "etc/cave.toml"))
	was, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	require.NoError(t, err)
	now, err := zip.NewReader(bytes.NewReader(after), int64(len(after)))
	require.NoError(t, err)
	require.Equal(t, "of the caves", now.Comment)
	for i, f := range was.File {
		require.Equal(t, f.Name, now.File[i].Name)
		require.Equal(t, f.Method, now.File[i].Method)
		if f.Name != "etc/cave.toml" {
			require.Equal(t, f.CRC32, now.File[i].CRC32)
		}
	}
	back, _, err := settings.Apply(after, undo)
	require.NoError(t, err)
	require.Equal(t, raw, back, "to the byte: times and all that stands in the headers")
	again, nothing, err := settings.Apply(after, op)
	require.NoError(t, err)
	require.Equal(t, after, again)
	require.Empty(t, nothing.Do)
	back, _, err = settings.Apply(after, undo)
	require.NoError(t, err)
	require.Equal(t, "depth = 3 # fathoms\n", inner(t, back, "etc/cave.toml"))

	op.Inside = "etc/cav.toml"
	_, _, err = settings.Apply(raw, op)
	require.ErrorContains(t, err, "it holds no etc/cav.toml")
}

func TestANewBundleIsMergedWithWhatTheServerChangedInIt(t *testing.T) {
	was := bundle(t, [2]string{"p.png", "1"}, [2]string{"cave.toml", "depth = 3\nrope = 9\n"}, [2]string{"map.txt", "old"})
	mine := bundle(t, [2]string{"p.png", "1"}, [2]string{"cave.toml", "# ours\ndepth = 4\nrope = 9\n"}, [2]string{"map.txt", "old"})
	now := bundle(t, [2]string{"p.png", "2"}, [2]string{"cave.toml", "depth = 3\nrope = 12\n"}, [2]string{"map.txt", "new"}, [2]string{"more.txt", "x"})
	m := settings.Merging{Was: was, Now: now}
	after, undo, err := settings.Apply(mine, settings.Op{Do: settings.MergeIt, Merge: &m})
	require.NoError(t, err)
	require.Equal(t, "# ours\ndepth = 4\nrope = 12\n", inner(t, after, "cave.toml"))
	require.Equal(t, "new", inner(t, after, "map.txt"))
	require.Equal(t, "2", inner(t, after, "p.png"))
	back, _, err := settings.Apply(after, undo)
	require.NoError(t, err)
	require.Equal(t, "# ours\ndepth = 4\nrope = 9\n", inner(t, back, "cave.toml"))

	m.Now = bundle(t, [2]string{"p.png", "2"}, [2]string{"cave.toml", "depth = 7\nrope = 9\n"})
	r, err := m.Merge(mine)
	require.NoError(t, err)
	require.Len(t, r.Open(), 1)
	require.Equal(t, "cave.toml:/depth", r.Conflicts[0].Key)
	m.Keep = map[string]merge.Side{"cave.toml:/depth": merge.Theirs}
	r, err = m.Merge(mine)
	require.NoError(t, err)
	require.Equal(t, "# ours\ndepth = 7\nrope = 9\n", inner(t, r.Text, "cave.toml"))
}
