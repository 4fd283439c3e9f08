package archive

import (
	"archive/zip"
	"fmt"
	"io"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Addition is a file that is merged into a zip: its path there and its bytes.
type Addition struct {
	Path tree.Path
	Open func() (io.ReadCloser, error)
}

// Merge writes a copy of a zip with files added or replaced.
// What is not touched is copied as it lies, in its order; additions follow in
// the order of their paths, without times, so that the same gives the same
// bytes. It gives the paths of what was replaced.
func Merge(w io.Writer, base io.ReaderAt, size int64, additions []Addition) (replaced []tree.Path, err error) {
	from, err := zip.NewReader(base, size)
	if err != nil {
		return nil, fmt.Errorf("read the packed file to merge into it: %w", err)
	}
	additions = slices.Clone(additions)
	slices.SortFunc(additions, func(a, b Addition) int { return strings.Compare(string(a.Path), string(b.Path)) })
	coming := map[string]bool{}
	for _, a := range additions {
		coming[string(a.Path)] = true
	}
	z := zip.NewWriter(w)
	for _, f := range from.File {
		if coming[f.Name] {
			replaced = append(replaced, tree.Path(f.Name))
			continue
		}
		if err := z.Copy(f); err != nil {
			return nil, fmt.Errorf("copy %s: %w", f.Name, err)
		}
	}
	for _, a := range additions {
		if err := add(z, a); err != nil {
			return nil, fmt.Errorf("merge %s: %w", a.Path, err)
		}
	}
	slices.Sort(replaced)
	return replaced, z.Close()
}

func add(z *zip.Writer, a Addition) error {
	src, err := a.Open()
	if err != nil {
		return err
	}
	defer src.Close()
	w, err := z.CreateHeader(&zip.FileHeader{Name: string(a.Path), Method: zip.Deflate})
	if err != nil {
		return err
	}
	_, err = io.Copy(w, src)
	return err
}
