package deploy_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"testing/iotest"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/remote"
)

var errFault = errors.New("injected")

// run gives a run that breaks at one point of one motion; motion 0 is never.
func (b *bench) run(motion int, at deploy.Point) *deploy.Run {
	names := draft.Names{Number: b.dep.Number}
	h := &halfway{Host: b.host, root: b.root, copies: b.copies}
	return &deploy.Run{ID: b.dep.ID, Names: names, Draft: &b.dep.Draft, Host: h, Room: b.room, Journal: b.db, Power: b.engine, Data: true, Quiet: -1,
		Fault: func(p deploy.Point, m draft.Motion) error {
			switch {
			case m.ID != motion:
			case p == at:
				return errFault
			case p == deploy.AfterIntent && at == midEffect && m.OfServer():
				b.engine.mute = true
			case p == deploy.AfterIntent && at == midEffect && m.OnHost:
				h.arm(names.Copy(m), m.Path)
			case p == deploy.AfterIntent && at == midEffect && m.Kind == draft.RestoreMotion && h.copies:
				h.arm(m.Path)
			case p == deploy.AfterIntent && at == midEffect && (m.KeepsFolder() || m.Kind == draft.RestoreMotion):
				h.arm(m.Path.Join("port"))
			case p == deploy.AfterIntent && at == midEffect:
				h.arm(m.Path, names.Temp(m))
			}
			return nil
		}}
}

// oneByOne lets a fault keep count: a run calls it from several motions at once.
func oneByOne(fault func(deploy.Point, draft.Motion) error) func(deploy.Point, draft.Motion) error {
	var mu sync.Mutex
	return func(p deploy.Point, m draft.Motion) error {
		mu.Lock()
		defer mu.Unlock()
		return fault(p, m)
	}
}

// midEffect is where the host has begun or done what it was asked, and says
// nothing: half a file is sent or read, or a rename's answer is lost.
const midEffect deploy.Point = "mid-effect"

// halfway is a host that breaks off once in what it does to one of two names.
type halfway struct {
	remote.Host
	root   string
	copies bool
	mu     sync.Mutex
	armed  map[tree.Path]bool
}

// CopyFolder implements [remote.Copier] as a host's shell does. Half a copy that was
// broken off stands beside.
func (h *halfway) CopyFolder(_ context.Context, from, to tree.Path) error {
	at := func(p tree.Path) string { return filepath.Join(h.root, filepath.FromSlash(string(p))) }
	if _, err := os.Lstat(at(to)); err == nil {
		return fs.ErrExist
	}
	part := at(to) + ".part-" + fmt.Sprint(time.Now().UnixNano())
	if err := os.CopyFS(part, os.DirFS(at(from))); err != nil {
		return err
	}
	if h.breaks(to) {
		return errFault
	}
	return os.Rename(part, at(to))
}

// RemoveTree implements [remote.Copier].
func (h *halfway) RemoveTree(_ context.Context, p tree.Path) error {
	return os.RemoveAll(filepath.Join(h.root, filepath.FromSlash(string(p))))
}

func (h *halfway) arm(names ...tree.Path) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.armed = map[tree.Path]bool{}
	for _, n := range names {
		h.armed[n] = n != tree.Root
	}
}

// breaks tells whether a call that concerns these names breaks off.
func (h *halfway) breaks(names ...tree.Path) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, n := range names {
		if h.armed[n] {
			h.armed = nil
			return true
		}
	}
	return false
}

// silent is for a call that was done and whose answer is lost.
func (h *halfway) silent(err error, names ...tree.Path) error {
	if h.breaks(names...) {
		return errors.Join(err, errFault)
	}
	return err
}

func (h *halfway) Rename(ctx context.Context, from, to tree.Path) error {
	return h.silent(h.Host.Rename(ctx, from, to), from, to)
}

func (h *halfway) MakeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	return h.silent(h.Host.MakeFolder(ctx, p, mode), p)
}

func (h *halfway) RemoveFile(ctx context.Context, p tree.Path) error {
	return h.silent(h.Host.RemoveFile(ctx, p), p)
}

func (h *halfway) RemoveFolder(ctx context.Context, p tree.Path) error {
	return h.silent(h.Host.RemoveFolder(ctx, p), p)
}

func (h *halfway) Create(ctx context.Context, p tree.Path, mode uint32) (io.WriteCloser, error) {
	w, err := h.Host.Create(ctx, p, mode)
	if err != nil || !h.breaks(p) {
		return w, err
	}
	_, err = w.Write([]byte("h")) // as much as arrived
	return nil, errors.Join(err, w.Close(), errFault)
}

func (h *halfway) Open(ctx context.Context, p tree.Path) (io.ReadCloser, error) {
	f, err := h.Host.Open(ctx, p)
	if err != nil || !h.breaks(p) {
		return f, err
	}
	return struct {
		io.Reader
		io.Closer
	}{io.MultiReader(io.LimitReader(f, 1), iotest.ErrReader(errFault)), f}, nil
}
