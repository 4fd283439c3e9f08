package deploy

import (
	"context"
	"errors"
	"fmt"
	"io/fs"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
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

// keepIfOther reads a file and keeps its bytes unless they are the expected ones.
func (r *Run) keepIfOther(ctx context.Context, at tree.Path, expected tree.Digest, res *Result, format string, args ...any) error {
	d, err := HashOf(ctx, r.Host, at, -1)
	if err != nil || d == expected {
		return err
	}
	if err := r.fetch(ctx, at, res); err != nil {
		return err
	}
	r.note(format, args...)
	return nil
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
	if err := r.fetch(ctx, m.Path, &res); err != nil {
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

func (r *Run) fetch(ctx context.Context, at tree.Path, res *Result) error {
	seg, err := r.openSegment()
	if err != nil {
		return err
	}
	f, err := r.Host.Open(ctx, at)
	if err != nil {
		return err
	}
	kept, err := seg.Append(ctx, f)
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	res.Kept, res.Digest = &kept, kept.Digest
	return nil
}
