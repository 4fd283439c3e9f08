package deploy

import (
	"context"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// sender uploads a file under its temporary name.
type sender struct{ site }

func (r sender) forward(ctx context.Context, m draft.Motion, begun bool) (Result, error) {
	switch v, err := r.before(ctx, m, begun); {
	case err != nil || v == draft.Done:
		return Result{}, err
	case v == draft.Half:
		return r.continueSend(ctx, m)
	}
	return r.send(ctx, m, 0)
}

func (r sender) settles(draft.Motion) settling { return byTemp }

func (r sender) settle(ctx context.Context, m draft.Motion, found remote.Info, _ int64, res *Result) error {
	return r.arrive(ctx, m, found, res)
}

// A part of a file that is shorter than worthwhile is sent anew. Of a longer
// one the last overlap bytes are written again: pieces of a file travel side by
// side, so the end of a part may have holes.
const (
	worthwhile = 8 << 20
	overlap    = 4 << 20
)

// send uploads under the temporary name: closed without error, and for one in
// twenty read back and hashed. Its size is looked at with the others of its
// batch. A file that is there as far as from is written on, and always read
// back: what broke off before was not closed without error.
func (r sender) send(ctx context.Context, m draft.Motion, from int64) (Result, error) {
	weight := min(max(m.After.Size, least), inFlight)
	if err := r.room.Acquire(ctx, weight); err != nil {
		return Result{}, err
	}
	defer r.room.Release(weight)
	if err := r.upload(ctx, m, from); err != nil {
		return Result{}, err
	}
	if !m.Proved && from == 0 {
		return Result{}, nil
	}
	if err := r.readBack(ctx, r.Names.Temp(m), m.After); errors.Is(err, errOther) {
		return Result{}, err
	} else if err != nil {
		return Result{}, fmt.Errorf("read it back: %w", err)
	}
	return Result{Bytes: Bytes{Proved: true}}, nil
}

// upload writes a file's bytes from an offset on.
func (r sender) upload(ctx context.Context, m draft.Motion, from int64) error {
	src, err := r.content(ctx, m.After.Digest)
	if err != nil {
		return err
	}
	defer src.Close()
	if _, err := io.CopyN(io.Discard, src, from); err != nil {
		return err
	}
	var w io.WriteCloser
	if from == 0 {
		w, err = r.Host.Create(ctx, r.Names.Temp(m), 0)
	} else {
		w, err = r.Host.Continue(ctx, r.Names.Temp(m), from)
	}
	if err != nil {
		return err
	}
	n, err := carry(w, src, m.After.Size)
	if err = errors.Join(err, w.Close()); err != nil {
		return err
	}
	r.mu.Lock()
	r.sent += n
	r.mu.Unlock()
	if from+n != m.After.Size {
		return fmt.Errorf("%d bytes were read from the stockroom instead of %d", from+n, m.After.Size)
	}
	return nil
}

// continueSend goes on with a file that an earlier run has begun to send,
// where that is worth it; else, and where the host cannot, it is sent anew.
func (r sender) continueSend(ctx context.Context, m draft.Motion) (Result, error) {
	part, err := r.Host.Stat(ctx, r.Names.Temp(m))
	if err != nil {
		return Result{}, err
	}
	if part.Being != tree.Content || part.Size < worthwhile || part.Size > m.After.Size {
		return r.send(ctx, m, 0)
	}
	from := part.Size - overlap
	res, err := r.send(ctx, m, from)
	if err == nil {
		r.note("%s was sent on from %d MB, where it had broken off, and read back", m.Path, from/1e6)
		return res, nil
	}
	if errors.Is(err, remote.ErrLine) || ctx.Err() != nil {
		return Result{}, err
	}
	r.note("%s could not be sent on from where it had broken off (%v); it is sent anew", m.Path, err)
	return r.send(ctx, m, 0)
}

// arrival is what the host reported of a file once it was sent.
type arrival struct{ size, modified int64 }

// arrive compares a sent file's size and sets its permission bits where
// they are not what the host gives a new file.
func (r site) arrive(ctx context.Context, m draft.Motion, i remote.Info, res *Result) error {
	if i.Being != tree.Content || i.Size != m.After.Size {
		return fmt.Errorf("%d bytes arrived instead of %d", i.Size, m.After.Size)
	}
	if i.Mode != 0 && m.After.Mode != 0 && i.Mode != m.After.Mode {
		if err := r.Host.SetMode(ctx, r.Names.Temp(m), m.After.Mode); err != nil {
			return err
		}
	}
	res.Size, res.Modified = i.Size, i.Modified
	r.mu.Lock()
	r.arrived[m.Temp] = arrival{res.Size, res.Modified}
	r.mu.Unlock()
	return nil
}

func (r site) arrivedAs(temp string) arrival {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.arrived[temp]
}
