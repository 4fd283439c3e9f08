package deploy

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/stockroom"
)

// ErrChanged is returned where a path no longer holds what the draft saw.
var ErrChanged = errors.New("it was changed on the server since the draft was made")

// forward does one motion. begun tells that an earlier run may have done it,
// or half of it: then the host is looked at first.
func (r *Run) forward(ctx context.Context, m draft.Motion, begun bool) (Result, error) {
	if m.OfServer() {
		return r.power(ctx, m)
	}
	if m.Kind == draft.RenewMotion {
		return r.renew(ctx, m)
	}
	if begun && !m.KeepsFolder() && m.Kind != draft.RestoreMotion {
		v, err := r.verdict(ctx, m)
		if err != nil {
			return Result{}, err
		}
		switch v {
		case draft.Done:
			return Result{}, nil
		case draft.Occupied:
			return Result{}, fmt.Errorf("something else has appeared at %s; move it away by hand, then resume or undo", m.Path)
		case draft.Half:
			if m.Kind == draft.SendMotion {
				return r.continueSend(ctx, m)
			}
		case draft.Lost:
			return Result{}, fmt.Errorf("neither %s nor its set-aside name is on the server any more", m.Path)
		}
	}
	a := draft.Forward(m, r.Names)
	switch a.Op {
	case draft.Fetch:
		if m.OnHost {
			return r.copyFolder(ctx, m)
		}
		if m.KeepsFolder() {
			return r.keepFolder(ctx, m)
		}
		return r.keep(ctx, m)
	case draft.PutBack:
		want, err := r.Draft.Returned(m.Path)
		if err != nil {
			return Result{}, err
		}
		if want.Copy != "" {
			return r.returnCopy(ctx, m, want.Copy)
		}
		return r.restore(ctx, m, want.Files)
	case draft.Upload:
		return r.send(ctx, m, 0)
	case draft.Compose:
		return r.edit(ctx, m, a.From, a.To)
	}
	left, err := r.act(ctx, a)
	return Result{Left: left}, err
}

// act does an operation that moves no bytes. left tells that a folder stays
// because something is in it.
func (r *Run) act(ctx context.Context, a draft.Act) (left bool, err error) {
	switch a.Op {
	case draft.Rename:
		if a.Whole && !r.isVacant(a.To) { // some hosts put a folder in the place of an empty one
			i, err := r.Host.Stat(ctx, a.To)
			if err == nil && i.Being != tree.Absent {
				err = &fs.PathError{Op: "rename", Path: a.To.String(), Err: fs.ErrExist}
			}
			if err != nil {
				return false, err
			}
		}
		return false, r.Host.Rename(ctx, a.From, a.To)
	case draft.MakeFolder:
		return false, r.Host.MakeFolder(ctx, a.To, a.Mode)
	case draft.RemoveFile:
		if err := r.Host.RemoveFile(ctx, a.From); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return false, err
		}
		return false, nil
	case draft.RemoveFolder:
		err := r.Host.RemoveFolder(ctx, a.From)
		if errors.Is(err, remote.ErrNotEmpty) {
			return true, nil
		}
		return false, err
	}
	return false, fmt.Errorf("%s is no operation without bytes", a.Op)
}

// verdict looks at the names that tell what has happened.
func (r *Run) verdict(ctx context.Context, m draft.Motion) (draft.Verdict, error) {
	final, temp := remote.Info{Being: tree.Absent}, remote.Info{Being: tree.Absent}
	var err error
	if m.Kind != draft.SendMotion && m.Kind != draft.EditMotion && m.Kind != draft.TidyMotion {
		if final, err = r.Host.Stat(ctx, m.Path); err != nil {
			return "", err
		}
	}
	if t := r.Names.Temp(m); t != tree.Root {
		if temp, err = r.Host.Stat(ctx, t); err != nil {
			return "", err
		}
	}
	return draft.Decide(m, temp.Being, final.Being), nil
}

// inMemory is up to where a file is read whole before it is known whether it is to be
// kept: many small ones are then read side by side.
const inMemory = 256 << 10

// keepIfOther reads a file, once, and keeps its bytes unless they are the expected
// ones.
func (r *Run) keepIfOther(ctx context.Context, at tree.Path, expected tree.Digest, res *Result, format string, args ...any) error {
	i, err := r.Host.Stat(ctx, at)
	if err != nil {
		return err
	}
	if i.Being != tree.Content {
		return &fs.PathError{Op: "read", Path: at.String(), Err: fs.ErrNotExist}
	}
	kept, err := r.fetchUnless(ctx, at, i.Size, expected, res)
	if err == nil && kept {
		r.note(format, args...)
	}
	return err
}

// keep fetches the old bytes. The copy is valid only if size and time were
// equal before and after reading, and the bytes are those the draft saw.
func (r *Run) keep(ctx context.Context, m draft.Motion) (Result, error) {
	before, err := r.Host.Stat(ctx, m.Path)
	if err != nil {
		return Result{}, err
	}
	if before.Being != tree.Content {
		return Result{}, ErrChanged
	}
	res := Result{Size: before.Size, Modified: before.Modified}
	if err := r.fetch(ctx, m.Path, before.Size, &res); err != nil {
		return Result{}, err
	}
	after, err := r.Host.Stat(ctx, m.Path)
	if err != nil {
		return Result{}, err
	}
	if after.Size != before.Size || after.Modified != before.Modified || res.Digest != m.Before.Digest {
		return Result{}, ErrChanged
	}
	return res, nil
}

// errGrows is returned for a file that gives more bytes than the host says it has.
var errGrows = errors.New("it goes on growing while it is read")

// fetch keeps a file's bytes. size is what the host says of it: what gives more ends
// there, so that no host can fill the stockroom.
func (r *Run) fetch(ctx context.Context, at tree.Path, size int64, res *Result) error {
	_, err := r.fetchUnless(ctx, at, size, tree.Digest{}, res)
	return err
}

// fetchUnless is fetch of a file whose bytes may be known: then nothing is kept.
func (r *Run) fetchUnless(ctx context.Context, at tree.Path, size int64, known tree.Digest, res *Result) (bool, error) {
	seg, err := r.openSegment()
	if err != nil {
		return false, err
	}
	f, err := r.Host.Open(ctx, at)
	if err != nil {
		return false, err
	}
	src := &bounded{r: f, left: size}
	var kept stockroom.Kept
	var is bool
	if size <= inMemory {
		var raw []byte
		if raw, err = io.ReadAll(src); err == nil && (known.IsZero() || tree.Sum(raw) != known) {
			kept, is, err = seg.AppendUnless(ctx, bytes.NewReader(raw), tree.Digest{})
		}
	} else {
		kept, is, err = seg.AppendUnless(ctx, src, known)
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return false, fmt.Errorf("read %s: %w", at, err)
	}
	if is {
		res.Kept, res.Digest = &kept, kept.Digest
	}
	return is, nil
}

// bounded reads so many bytes and fails where more come.
type bounded struct {
	r    io.Reader
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if int64(len(p)) > b.left+1 {
		p = p[:b.left+1]
	}
	n, err := b.r.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return n, errGrows
	}
	return n, err
}
