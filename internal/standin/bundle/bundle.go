// Package bundle is the packed format of a made-up game: survey bundles. It
// stands in for the formats that only a game's own tools read and write.
//
// A bundle is the line "SURVEY 1", then for each file a line with its size in
// bytes and its path, and its bytes.
package bundle

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

const first = "SURVEY 1\n"

// Entry is one file of a bundle. Path is slash-separated.
type Entry struct {
	Path    string
	Content []byte
}

// Write writes a bundle, its files in the order of their paths.
func Write(w io.Writer, entries []Entry) error {
	entries = slices.SortedFunc(slices.Values(entries), func(a, b Entry) int { return strings.Compare(a.Path, b.Path) })
	if _, err := io.WriteString(w, first); err != nil {
		return err
	}
	for _, e := range entries {
		if _, err := fmt.Fprintf(w, "%d %s\n%s", len(e.Content), e.Path, e.Content); err != nil {
			return err
		}
	}
	return nil
}

// Read reads a bundle.
func Read(r io.Reader) ([]Entry, error) {
	b := bufio.NewReader(r)
	head := make([]byte, len(first))
	if _, err := io.ReadFull(b, head); err != nil || string(head) != first {
		return nil, errors.New("it is no survey bundle")
	}
	var out []Entry
	for {
		line, err := b.ReadString('\n')
		if err == io.EOF && line == "" {
			return out, nil
		}
		var size int
		size0, path, ok := strings.Cut(strings.TrimSuffix(line, "\n"), " ")
		if _, scan := fmt.Sscan(size0, &size); err != nil || !ok || scan != nil || size < 0 || !filepath.IsLocal(filepath.FromSlash(path)) {
			return nil, fmt.Errorf("the bundle is broken after %d files", len(out))
		}
		content, err := io.ReadAll(io.LimitReader(b, int64(size)))
		if err != nil || len(content) != size {
			return nil, fmt.Errorf("the bundle ends within %s", path)
		}
		out = append(out, Entry{Path: path, Content: content})
	}
}

// Unpack writes a bundle's files below a folder.
func Unpack(file, folder string) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	entries, err := Read(f)
	if err != nil {
		return err
	}
	for _, e := range entries {
		at := filepath.Join(folder, filepath.FromSlash(e.Path))
		if err := errors.Join(os.MkdirAll(filepath.Dir(at), 0o755), os.WriteFile(at, e.Content, 0o644)); err != nil {
			return err
		}
	}
	return nil
}

// Pack writes the files below a folder as a bundle.
func Pack(folder, file string) error {
	var entries []Entry
	err := filepath.WalkDir(folder, func(at string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		rel, err := filepath.Rel(folder, at)
		if err != nil {
			return err
		}
		content, err := os.ReadFile(at)
		entries = append(entries, Entry{Path: filepath.ToSlash(rel), Content: content})
		return err
	})
	if err != nil {
		return err
	}
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	return errors.Join(Write(f, entries), f.Close())
}
