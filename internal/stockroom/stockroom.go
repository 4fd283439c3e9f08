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
	"sync"

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
// Damaged is called for a content whose bytes have changed: what is stored
// of it next takes its place.
type Index interface {
	Locate(ctx context.Context, d tree.Digest) (Location, error)
	Damaged(ctx context.Context, d tree.Digest) error
}

// ManyIndex is an index that can be asked about many contents at once.
type ManyIndex interface {
	LocateMany(ctx context.Context, digests []tree.Digest) (map[tree.Digest]Location, error)
}

// Locations tells where contents lie, for [Room.OpenAt]; those that it does not name
// are asked for one by one. It may give none.
func (r *Room) Locations(ctx context.Context, digests []tree.Digest) (map[tree.Digest]Location, error) {
	many, ok := r.index.(ManyIndex)
	if !ok || len(digests) < 2 {
		return nil, nil
	}
	return many.LocateMany(ctx, digests)
}

// DamagedError says that the stockroom's bytes of a content are not what its digest
// says, or are gone.
type DamagedError struct {
	Digest    tree.Digest
	Container string
	Err       error // why it cannot be read; nil where it can, and differs
}

func (e *DamagedError) Error() string {
	text := fmt.Sprintf("the stockroom's bytes for %s are damaged in %s; staging the same download again mends them", e.Digest.Short(), e.Container)
	if e.Err != nil {
		text += fmt.Sprintf(" (%v)", e.Err)
	}
	return text
}

// Unwrap gives why it cannot be read.
func (e *DamagedError) Unwrap() error { return e.Err }

// Room is one stockroom folder. It is safe for many goroutines.
type Room struct {
	dir   string
	index Index
	watch func(Event)
	use   sync.RWMutex // see [Room.Use]
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

func (r *Room) notify(container string, op Op, d tree.Digest) {
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
	parts    = "parts"
	aside    = "aside"
	about    = "about"
	reserved = "reserved"
)

// Open makes the folders if they are missing and clears what an interrupted
// upload left.
func Open(dir string, index Index) (*Room, error) {
	if err := os.RemoveAll(filepath.Join(dir, incoming)); err != nil {
		return nil, fmt.Errorf("clear unfinished uploads: %w", err)
	}
	for _, sub := range []string{archives, segments, packs, derived, incoming, parts, about, reserved} {
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
// there already are replaced by these, which are the same. said is what is to be
// known of them if the records are lost; see [Room.About].
func (in *Incoming) Commit(said []byte) (container string, err error) {
	hex := in.Digest.String()
	container = archives + "/" + hex[:2] + "/" + hex
	to := in.room.path(container)
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return "", errors.Join(err, in.Discard())
	}
	if err := in.file.Close(); err != nil {
		return "", err
	}
	if err := in.room.writeMark(hex, said); err != nil {
		return "", err
	}
	if err := os.Rename(in.file.Name(), to); err != nil {
		return "", err
	}
	in.room.notify(container, Wrote, in.Digest) // and synced, before it had this name
	in.room.notify(container, Synced, in.Digest)
	// The folder may be new as well, so the one above is synced with it.
	if err := errors.Join(syncDir(filepath.Dir(to)), syncDir(filepath.Dir(filepath.Dir(to)))); err != nil {
		return "", err
	}
	in.room.notify(container, SyncedFolder, in.Digest)
	return container, nil
}

// writeMark keeps what is to be known of an archive beside its bytes.
func (r *Room) writeMark(hex string, said []byte) error {
	if err := writeSynced(r.path(about+"/"+hex), said); err != nil {
		return fmt.Errorf("note what is known of an archive: %w", err)
	}
	return nil
}

// About gives what was said of an archive when its bytes were committed; nil where
// nothing was.
func (r *Room) About(archive tree.Digest) ([]byte, error) {
	said, err := os.ReadFile(r.path(about + "/" + archive.String()))
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	return said, err
}

// writeSynced writes a small file so that it is there whole or as it was.
func writeSynced(name string, text []byte) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".new-*")
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	if err = errors.Join(err, f.Sync(), f.Close()); err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return syncDir(filepath.Dir(name))
}

// Container opens a container's bytes as they lie.
func (r *Room) Container(name string) (*os.File, error) {
	f, err := os.Open(r.path(name))
	if err != nil {
		return nil, fmt.Errorf("open container %s: %w", name, err)
	}
	return f, nil
}

// Open reads a content. The reader fails at its end with an error if the bytes
// are not what their digest says; nothing may be made final before that.
func (r *Room) Open(ctx context.Context, d tree.Digest) (io.ReadCloser, error) {
	loc, err := r.index.Locate(ctx, d)
	if err != nil {
		return nil, err
	}
	return r.OpenAt(ctx, d, loc)
}

// OpenAt is [Room.Open] for a content whose location is known.
func (r *Room) OpenAt(ctx context.Context, d tree.Digest, loc Location) (io.ReadCloser, error) {
	f, err := os.Open(r.path(loc.Container))
	if errors.Is(err, os.ErrNotExist) {
		return nil, r.damaged(ctx, &DamagedError{Digest: d, Container: loc.Container, Err: errors.New("the container is gone")})
	}
	if err != nil {
		return nil, fmt.Errorf("open container %s: %w", loc.Container, err)
	}
	return &verified{ctx: ctx, room: r, Reader: loc.Reader(f), file: f, container: loc.Container, want: d, hash: sha256.New()}, nil
}

// damaged tells the index of damage, and gives the error to return.
func (r *Room) damaged(ctx context.Context, e *DamagedError) error {
	if err := r.index.Damaged(context.WithoutCancel(ctx), e.Digest); err != nil {
		return errors.Join(e, err)
	}
	return e
}

// Sound reads a content to its end. It gives a [*DamagedError] where the bytes are
// not what they were, and [ErrNotHeld] where nobody knows it.
func (r *Room) Sound(ctx context.Context, d tree.Digest) error {
	rc, err := r.Open(ctx, d)
	if err != nil {
		return err
	}
	_, err = io.Copy(io.Discard, &cancellable{ctx: ctx, r: rc})
	return errors.Join(err, rc.Close())
}

// Containers lists what lies in the stockroom, by name.
func (r *Room) Containers() ([]string, error) {
	var names []string
	for _, sub := range []string{archives, segments, packs, derived} {
		err := filepath.WalkDir(filepath.Join(r.dir, sub), func(p string, d os.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				names = append(names, filepath.ToSlash(strings.TrimPrefix(p, r.dir+string(filepath.Separator))))
			}
			return err
		})
		if err != nil {
			return nil, fmt.Errorf("list the stockroom: %w", err)
		}
	}
	return names, nil
}

// SetAside moves every container that known does not claim to the folder "aside":
// what a crash left between writing bytes and recording them, or the only copy of
// something that lost records knew. It gives their names. Nothing is deleted.
func (r *Room) SetAside(known func(container string) bool) ([]string, error) {
	all, err := r.Containers()
	if err != nil {
		return nil, err
	}
	var moved []string
	for _, name := range all {
		if known(name) {
			continue
		}
		to := r.path(aside + "/" + name)
		for n := 2; ; n++ {
			if _, err := os.Lstat(to); errors.Is(err, os.ErrNotExist) {
				break
			}
			to = r.path(fmt.Sprintf("%s/%s.%d", aside, name, n))
		}
		if err := errors.Join(os.MkdirAll(filepath.Dir(to), 0o700), os.Rename(r.path(name), to)); err != nil {
			return moved, fmt.Errorf("set %s aside: %w", name, err)
		}
		moved = append(moved, name)
	}
	return moved, nil
}

func (r *Room) path(container string) string {
	return filepath.Join(r.dir, filepath.FromSlash(container))
}

// verified hashes what passes through and fails at the end where it differs.
type verified struct {
	io.Reader
	ctx       context.Context
	room      *Room
	file      *os.File
	container string
	want      tree.Digest
	hash      hash.Hash
}

func (v *verified) Read(p []byte) (int, error) {
	n, err := v.Reader.Read(p)
	v.hash.Write(p[:n])
	var disk *os.PathError
	switch {
	case err == nil, errors.As(err, &disk): // what the disk cannot read now it may read later
	case err != io.EOF:
		err = v.room.damaged(v.ctx, &DamagedError{Digest: v.want, Container: v.container, Err: err})
	case tree.Digest(v.hash.Sum(nil)) != v.want:
		err = v.room.damaged(v.ctx, &DamagedError{Digest: v.want, Container: v.container})
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
