package stockroom

import (
	"errors"
	"fmt"
	"os"

	"restlesscrate/internal/disk"
)

// Free gives the bytes that the stockroom's disk has left, -1 where that cannot be
// told.
func (r *Room) Free() int64 {
	n, err := disk.Free(r.dir)
	if err != nil {
		return -1
	}
	return n
}

// Reserve keeps room on the stockroom's disk under a name, until [Room.Release].
func (r *Room) Reserve(name string, n int64) error {
	if err := disk.Reserve(r.path(reserved+"/"+name), n); err != nil {
		return fmt.Errorf("keep %d bytes free for a way back: %w", n, err)
	}
	return nil
}

// Release gives reserved room back. There may be none.
func (r *Room) Release(name string) error {
	err := os.Remove(r.path(reserved + "/" + name))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return err
}

// Reserves lists the names under which room is reserved.
func (r *Room) Reserves() ([]string, error) {
	list, err := os.ReadDir(r.path(reserved))
	if err != nil {
		return nil, fmt.Errorf("list what is reserved: %w", err)
	}
	names := make([]string, len(list))
	for i, e := range list {
		names[i] = e.Name()
	}
	return names, nil
}
