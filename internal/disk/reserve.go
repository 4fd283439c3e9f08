// Package disk asks the file system of this machine about room, and sets some
// aside.
package disk

import (
	"errors"
	"os"
)

// Reserve makes a file that takes up n bytes of the disk, so that they are there
// once it is removed. Where that fails nothing is left.
func Reserve(file string, n int64) error {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	if err := errors.Join(allocate(f, n), f.Close()); err != nil {
		return errors.Join(err, os.Remove(file))
	}
	return nil
}

// fill takes up room by writing, for file systems that cannot be asked for it.
func fill(f *os.File, n int64) error {
	zeros := make([]byte, 64<<10)
	for n > 0 {
		wrote, err := f.Write(zeros[:min(n, int64(len(zeros)))])
		if err != nil {
			return err
		}
		n -= int64(wrote)
	}
	return f.Sync()
}
