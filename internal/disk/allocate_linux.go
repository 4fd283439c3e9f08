package disk

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

func allocate(f *os.File, n int64) error {
	err := unix.Fallocate(int(f.Fd()), 0, 0, n)
	if errors.Is(err, unix.EOPNOTSUPP) {
		return fill(f, n)
	}
	return err
}
