//go:build linux

package main

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
)

// set is files to deploy: as a zip that is staged, and as a folder for peers.
type set struct {
	name    string
	files   int
	size    int64
	folders int
}

var sets = []set{
	{"small", 2000, 4 << 10, 100},
	{"medium", 300, 1 << 20, 10},
	{"large", 1, 300 << 20, 1},
	{"tenth", 2000 / tenth, 4 << 10, 100 / tenth},
	{"many", 20_000, 100, 200},
}

// tenth is the part of the small set that slow peers get: a tenth of its
// folders, with as many files in each.
const tenth = 10

func (s set) path(i int) string {
	return fmt.Sprintf("%s/d%02d/file-%04d.bin", s.name, i%s.folders, i)
}

// make writes NAME-1.zip and the folder NAME below dir, with equal files.
func (s set) make(dir string) (err error) {
	f, err := os.Create(filepath.Join(dir, s.name+"-1.zip"))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	z := zip.NewWriter(f)
	r := rand.NewChaCha8([32]byte{7})
	for i := range s.files {
		w, err := z.CreateHeader(&zip.FileHeader{Name: s.path(i), Method: zip.Store})
		if err != nil {
			return err
		}
		if err := os.MkdirAll(filepath.Join(dir, "from", filepath.Dir(s.path(i))), 0o755); err != nil {
			return err
		}
		plain, err := os.Create(filepath.Join(dir, "from", s.path(i)))
		if err != nil {
			return err
		}
		if _, err := io.CopyN(io.MultiWriter(w, plain), r, s.size); err != nil {
			return err
		}
		if err := plain.Close(); err != nil {
			return err
		}
	}
	return z.Close()
}
