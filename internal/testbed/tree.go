package testbed

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"testing"

	"github.com/stretchr/testify/require"
)

// Thing is what a snapshot holds of one path.
type Thing struct {
	Mode fs.FileMode
	Text string
}

// Snapshot reads a whole folder: existence, type, permission bits and bytes.
func Snapshot(t testing.TB, dir string) map[string]Thing {
	t.Helper()
	out := map[string]Thing{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || p == dir {
			return err
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(dir, p)
		if err != nil {
			return err
		}
		th := Thing{Mode: info.Mode()}
		if info.Mode().IsRegular() {
			raw, err := os.ReadFile(p)
			if err != nil {
				return err
			}
			th.Text = string(raw)
		}
		out[filepath.ToSlash(rel)] = th
		return nil
	}))
	return out
}

// Files gives the texts of a snapshot's files.
func Files(s map[string]Thing) map[string]string {
	out := map[string]string{}
	for p, th := range s {
		if th.Mode.IsRegular() {
			out[p] = th.Text
		}
	}
	return out
}

// Zip writes a zip with the given files in the order of their names.
func Zip(t testing.TB, file string, texts map[string]string) string {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	f, err := os.Create(file)
	require.NoError(t, err)
	defer f.Close()
	z := zip.NewWriter(f)
	names := make([]string, 0, len(texts))
	for n := range texts {
		names = append(names, n)
	}
	sort.Strings(names)
	for _, n := range names {
		w, err := z.Create(n)
		require.NoError(t, err)
		_, err = w.Write([]byte(texts[n]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return file
}

// Write writes a file and the folders above it.
func Write(t testing.TB, file, text string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
}

// TarGz writes a gzipped tar of texts and gives its path.
func TarGz(t testing.TB, file string, texts map[string]string) string {
	t.Helper()
	var raw bytes.Buffer
	z := gzip.NewWriter(&raw)
	w := tar.NewWriter(z)
	var names []string
	for name := range texts {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		require.NoError(t, w.WriteHeader(&tar.Header{Name: name, Mode: 0o644, Size: int64(len(texts[name]))}))
		_, err := w.Write([]byte(texts[name]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	require.NoError(t, z.Close())
	require.NoError(t, os.WriteFile(file, raw.Bytes(), 0o644))
	return file
}
