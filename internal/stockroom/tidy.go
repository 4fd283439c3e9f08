package stockroom

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Use keeps every container where it is until done is called. Whatever reads or refers to
// contents over a while uses the room that long; many can at once.
func (r *Room) Use() (done func()) {
	r.use.RLock()
	return r.use.RUnlock
}

// Alone waits for nobody: ok is false where somebody uses the room. Until done is called,
// whoever wants to use it waits. Containers are removed by who is alone.
func (r *Room) Alone() (done func(), ok bool) {
	if !r.use.TryLock() {
		return nil, false
	}
	return r.use.Unlock, true
}

// Size is a container's length on disk in bytes; 0 where there is none.
func (r *Room) Size(container string) (int64, error) {
	info, err := os.Stat(r.path(container))
	if errors.Is(err, fs.ErrNotExist) {
		return 0, nil
	}
	if err != nil {
		return 0, fmt.Errorf("look at container %s: %w", container, err)
	}
	return info.Size(), nil
}

// Of lists the containers that hold what is in an archive or was made of it: its own, its
// packs, and what was derived.
func (r *Room) Of(archive tree.Digest) (out []string, err error) {
	hex := archive.String()
	for _, pattern := range []string{archives + "/" + hex[:2] + "/" + hex, packs + "/" + hex + "*", derived + "/" + hex + "*"} {
		found, err := filepath.Glob(r.path(pattern))
		if err != nil {
			return nil, err
		}
		for _, p := range found {
			out = append(out, filepath.ToSlash(strings.TrimPrefix(p, r.dir+string(filepath.Separator))))
		}
	}
	return out, nil
}

// SegmentName is the container of a segment.
func SegmentName(name string) string { return segments + "/" + name }

// Remove deletes a container. What was said about it goes along. One that is not there is
// removed already.
func (r *Room) Remove(container string) error {
	names := []string{r.path(container)}
	if strings.HasPrefix(container, archives+"/") {
		names = append(names, r.path(about+"/"+path.Base(container)))
	}
	for _, name := range names {
		if err := os.Remove(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("remove container %s: %w", container, err)
		}
	}
	return syncDir(filepath.Dir(names[0]))
}
