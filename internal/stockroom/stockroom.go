// Package stockroom is the content-addressed store for archives, deployed
// bytes and kept copies. A content is named by its SHA-256 and lies at one or
// more locations: a span inside a container, which is an archive as it was
// downloaded or a segment of kept copies. The index of locations belongs to
// the records; the bytes belong here.
//
// Bytes are synced to disk before the index learns of them, and hashed on
// every read.
package stockroom

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"strings"

	"restlesscrate/internal/core/tree"
)

// ErrNotHeld is returned for a content that no container holds.
var ErrNotHeld = errors.New("the stockroom does not hold these bytes")

// Location is a span of a container. Container is its name below the
// stockroom's folder, slash-separated.
type Location struct {
	Container string
	Span
}

// Index tells where contents lie. Locate returns [ErrNotHeld] where nobody knows.
type Index interface {
	Locate(ctx context.Context, d tree.Digest) (Location, error)
}

// Room is one stockroom folder. It is safe for many goroutines.
type Room struct {
	dir   string
	index Index
	watch func(Event)
}

// Event is something that was done to a container on disk.
type Event struct {
	Container string
	Op        Op
	Digest    tree.Digest // of what was written
}

// Op is what was done to a container.
type Op string

// The operations. Bytes outlast a loss of power once their container was synced
// after they were written, and its name does once its folder was.
const (
	Wrote        Op = "wrote"
	Synced       Op = "synced"
	SyncedFolder Op = "synced its folder"
)

// Watch has every write and every sync told, in their order: that is how it is
// proved that bytes are synced before the records name them. It is set before
// the room is used, and told from several goroutines.
func (r *Room) Watch(tell func(Event)) { r.watch = tell }

func (r *Room) told(container string, op Op, d tree.Digest) {
	if r.watch != nil {
		r.watch(Event{Container: container, Op: op, Digest: d})
	}
}

// Names of the folders below the stockroom's.
const (
	archives = "archives"
	segments = "segments"
	packs    = "packs"
	derived  = "derived"
	incoming = "incoming"
)

// Open makes the folders if they are missing and clears what an interrupted
// upload left.
func Open(dir string, index Index) (*Room, error) {
	if err := os.RemoveAll(filepath.Join(dir, incoming)); err != nil {
		return nil, fmt.Errorf("clear unfinished uploads: %w", err)
	}
	for _, sub := range []string{archives, segments, packs, derived, incoming} {
		if err := os.MkdirAll(filepath.Join(dir, sub), 0o700); err != nil {
			return nil, fmt.Errorf("make the stockroom: %w", err)
		}
	}
	return &Room{dir: dir, index: index}, nil
}

// Incoming is an upload that is complete on disk and synced, but not part of
// the stockroom yet. Exactly one of Commit and Discard must be called.
type Incoming struct {
	Digest tree.Digest
	Size   int64
	file   *os.File
	room   *Room
}

// Receive streams r to disk and hashes it on the way.
func (r *Room) Receive(ctx context.Context, src io.Reader) (*Incoming, error) {
	f, err := os.CreateTemp(filepath.Join(r.dir, incoming), "upload-*")
	if err != nil {
		return nil, fmt.Errorf("receive: %w", err)
	}
	in := &Incoming{file: f, room: r}
	h := sha256.New()
	in.Size, err = io.Copy(io.MultiWriter(f, h), &cancellable{ctx: ctx, r: src})
	if err == nil {
		err = f.Sync()
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("receive: %w", err), in.Discard())
	}
	in.Digest = tree.Digest(h.Sum(nil))
	return in, nil
}

// ReadAt reads the received bytes.
func (in *Incoming) ReadAt(p []byte, off int64) (int, error) { return in.file.ReadAt(p, off) }

// Discard removes the upload.
func (in *Incoming) Discard() error {
	return errors.Join(in.file.Close(), os.Remove(in.file.Name()))
}

// Commit makes the upload a container and returns its name. Bytes that are
// there already are not stored twice.
func (in *Incoming) Commit() (container string, err error) {
	hex := in.Digest.String()
	container = archives + "/" + hex[:2] + "/" + hex
	to := in.room.path(container)
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return "", errors.Join(err, in.Discard())
	}
	if err := in.file.Close(); err != nil {
		return "", err
	}
	if err := os.Rename(in.file.Name(), to); err != nil {
		return "", err
	}
	in.room.told(container, Wrote, in.Digest) // and synced, before it had this name
	in.room.told(container, Synced, in.Digest)
	// The folder may be new as well, so the one above is synced with it.
	if err := errors.Join(syncDir(filepath.Dir(to)), syncDir(filepath.Dir(filepath.Dir(to)))); err != nil {
		return "", err
	}
	in.room.told(container, SyncedFolder, in.Digest)
	return container, nil
}

// Open reads a content. The reader fails at its end with an error if the bytes
// are not what their digest says; nothing may be made final before that.
func (r *Room) Open(ctx context.Context, d tree.Digest) (io.ReadCloser, error) {
	loc, err := r.index.Locate(ctx, d)
	if err != nil {
		return nil, err
	}
	f, err := os.Open(r.path(loc.Container))
	if err != nil {
		return nil, fmt.Errorf("open container %s: %w", loc.Container, err)
	}
	return &verified{Reader: loc.Reader(f), file: f, want: d, hash: sha256.New()}, nil
}

// Sweep removes every container that known does not claim: what a crash left
// between writing bytes and recording them. It returns how many went.
func (r *Room) Sweep(known func(container string) bool) (int, error) {
	n := 0
	for _, sub := range []string{archives, segments, packs, derived} {
		err := filepath.WalkDir(filepath.Join(r.dir, sub), func(p string, d os.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			name := filepath.ToSlash(strings.TrimPrefix(p, r.dir+string(filepath.Separator)))
			if known(name) {
				return nil
			}
			n++
			return os.Remove(p)
		})
		if err != nil {
			return n, fmt.Errorf("clear orphans: %w", err)
		}
	}
	return n, nil
}

func (r *Room) path(container string) string {
	return filepath.Join(r.dir, filepath.FromSlash(container))
}

// verified hashes what passes through and fails at the end where it differs.
type verified struct {
	io.Reader
	file *os.File
	want tree.Digest
	hash hash.Hash
}

func (v *verified) Read(p []byte) (int, error) {
	n, err := v.Reader.Read(p)
	v.hash.Write(p[:n])
	if err == io.EOF && tree.Digest(v.hash.Sum(nil)) != v.want {
		return n, fmt.Errorf("the stockroom's bytes for %s are damaged in %s", v.want.Short(), filepath.Base(v.file.Name()))
	}
	return n, err
}

func (v *verified) Close() error { return v.file.Close() }

// cancellable stops a copy when its context ends.
type cancellable struct {
	ctx context.Context
	r   io.Reader
}

func (c *cancellable) Read(p []byte) (int, error) {
	if err := c.ctx.Err(); err != nil {
		return 0, err
	}
	return c.r.Read(p)
}

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	// Windows cannot sync a folder; the rename is durable there without it.
	if err := d.Sync(); err != nil && !errors.Is(err, os.ErrPermission) && !errors.Is(err, os.ErrInvalid) {
		return err
	}
	return nil
}
