package archive

import (
	"archive/zip"
	"fmt"
	"io"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Repack writes the contents of one folder of a zip as a zip of their own,
// with that folder as its root. Contents are copied as they lie, in the order
// of their names and without times, so that the same gives the same bytes.
func Repack(w io.Writer, r io.ReaderAt, size int64, folder tree.Path) error {
	from, err := zip.NewReader(r, size)
	if err != nil {
		return fmt.Errorf("read the zip to pack it anew: %w", err)
	}
	files := slices.Clone(from.File)
	slices.SortFunc(files, func(a, b *zip.File) int { return strings.Compare(a.Name, b.Name) })
	z := zip.NewWriter(w)
	for _, f := range files {
		name, below := strings.CutPrefix(f.Name, string(folder)+"/")
		if !below || name == "" || strings.HasSuffix(name, "/") {
			continue
		}
		if err := copyRaw(z, f, name); err != nil {
			return fmt.Errorf("pack %s anew: %w", f.Name, err)
		}
	}
	return z.Close()
}

func copyRaw(z *zip.Writer, f *zip.File, name string) error {
	raw, err := f.OpenRaw()
	if err != nil {
		return err
	}
	w, err := z.CreateRaw(&zip.FileHeader{Name: name, Method: f.Method, CRC32: f.CRC32, CompressedSize64: f.CompressedSize64, UncompressedSize64: f.UncompressedSize64})
	if err != nil {
		return err
	}
	_, err = io.Copy(w, raw)
	return err
}
