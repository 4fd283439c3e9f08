package stockroom

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"restlesscrate/internal/core/tree"
)

// Part is an upload that may come in several pieces, since the line is cut in between. What
// has come stays until the upload is whole, is dropped, or nothing came for long. One piece
// comes at a time.
type Part struct {
	name string
	room *Room
}

// Part gives the upload of a name, of which nothing need have come yet. The name is a file
// name of the caller's choice.
func (r *Room) Part(name string) Part {
	return Part{filepath.Join(r.dir, parts, name), r}
}

// Size is how many bytes of it have come.
func (p Part) Size() (int64, error) {
	i, err := os.Stat(p.name)
	if errors.Is(err, fs.ErrNotExist) {
		return 0, nil
	}
	if err != nil {
		return 0, fmt.Errorf("what has come of an upload: %w", err)
	}
	return i.Size(), nil
}

// Append adds what src gives, up to its end. What came before an error stays.
func (p Part) Append(ctx context.Context, src io.Reader) error {
	f, err := os.OpenFile(p.name, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
	if err == nil {
		_, err = io.Copy(f, &cancellable{ctx: ctx, r: src})
		err = errors.Join(err, f.Close())
	}
	if err != nil {
		return fmt.Errorf("receive: %w", err)
	}
	return nil
}

// Whole says that all of it has come: it is read and hashed, and is no part any more.
func (p Part) Whole(ctx context.Context) (*Incoming, error) {
	f, err := os.OpenFile(p.name, os.O_RDWR|os.O_CREATE, 0o600) // an empty upload has no part
	if err != nil {
		return nil, fmt.Errorf("receive: %w", err)
	}
	in := &Incoming{file: f, room: p.room}
	h := sha256.New()
	in.Size, err = io.Copy(h, &cancellable{ctx: ctx, r: f})
	if err == nil {
		err = f.Sync()
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("receive: %w", err), f.Close())
	}
	in.Digest = tree.Digest(h.Sum(nil))
	return in, nil
}

// Drop forgets what has come of it.
func (p Part) Drop() error {
	if err := os.Remove(p.name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("drop an upload: %w", err)
	}
	return nil
}

// DropParts forgets uploads to which nothing was added since a moment.
func (r *Room) DropParts(since time.Time) error {
	list, err := os.ReadDir(filepath.Join(r.dir, parts))
	if err != nil {
		return fmt.Errorf("look for unfinished uploads: %w", err)
	}
	for _, e := range list {
		i, err := e.Info()
		if errors.Is(err, fs.ErrNotExist) { // it has become whole meanwhile
			continue
		}
		if err == nil && i.ModTime().Before(since) {
			err = r.Part(e.Name()).Drop()
		}
		if err != nil {
			return err
		}
	}
	return nil
}
