package catalog

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/cenkalti/backoff/v5"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/fetch"
	"restlesscrate/internal/words"
)

// Web gives files of other hosts.
type Web interface {
	Open(ctx context.Context, address string, from int64, mark string) (*fetch.File, error)
}

// AddressOf reads the address of a file, as it is kept.
func AddressOf(text string) (string, error) {
	u, err := fetch.Address(text)
	if err != nil {
		return "", fault.New(fault.Usage, "bad-address", "%v", err)
	}
	return u.String(), nil
}

// mostCuts is how often in a row a download is asked for again without a byte of it coming.
const mostCuts = 5

// Fetch downloads a file. Where the line is cut it goes on from there, if the host sends pieces,
// also in a later call; filename may be empty for the one that the host gives.
func (s *Parts) Fetch(ctx context.Context, web Web, address, filename string, tell progress.Tell) (*Upload, error) {
	waits := backoff.NewExponentialBackOff()
	waits.InitialInterval, waits.MaxInterval = 500*time.Millisecond, 20*time.Second
	waits.Reset()
	d := &download{parts: s, web: web, address: address, filename: filename, tell: tell}
	for cuts := 0; ; {
		before := d.had
		u, err := d.attempt(ctx)
		if err == nil {
			return u, nil
		}
		var why *fetch.RefusedError
		switch {
		case ctx.Err() != nil:
			return nil, context.Cause(ctx)
		case errors.As(err, &why) && !errors.Is(err, fetch.ErrCut):
			return nil, fault.New(fault.Failed, "not-fetched", "%s is not fetched: %s", address, why.Why)
		case !errors.Is(err, fetch.ErrCut):
			return nil, err
		}
		if cuts++; d.had > before {
			cuts = 1
			waits.Reset()
		}
		if cuts > mostCuts {
			return nil, fault.New(fault.Failed, "not-fetched", "%s could not be fetched: %v", address, err).WithMend("Try it again: what has come is kept for a day.")
		}
		wait := waits.NextBackOff()
		tell.Look(fmt.Sprintf("%v; trying again in %s", err, wait.Round(100*time.Millisecond)))
		select {
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		case <-time.After(wait):
		}
	}
}

// download is one download under way.
type download struct {
	parts    *Parts
	web      Web
	address  string
	filename string
	tell     progress.Tell

	had  int64 // bytes that have come
	mark string
}

// attempt asks for the file, or for the rest of it, once.
func (d *download) attempt(ctx context.Context) (u *Upload, err error) {
	if d.mark != "" {
		if d.had, err = d.parts.Received(ctx, d.id(d.mark)); err != nil {
			return nil, err
		}
	}
	f, err := d.web.Open(ctx, d.address, d.had, d.mark)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Body.Close() }() // it was read
	if f.Mark != "" && f.Mark != d.mark {
		d.mark = f.Mark
		if d.had, err = d.parts.Received(ctx, d.id(d.mark)); err != nil {
			return nil, err
		}
		if d.had > 0 { // an earlier call has fetched a part of these very bytes
			_ = f.Body.Close()
			if f, err = d.web.Open(ctx, d.address, d.had, d.mark); err != nil {
				return nil, err
			}
		}
	}
	switch f.From {
	case 0:
		d.had = 0
	case d.had:
	default:
		return nil, fmt.Errorf("%w: the host sends a piece that was not asked for", fetch.ErrCut)
	}
	name := d.filename
	if name == "" {
		name = f.Name
	}
	id := d.id(f.Mark)
	if u, err = d.parts.Receive(ctx, id, name, d.had, &telling{of: f.Body, d: d, size: f.Size}, func() { _ = f.Body.Close() }); err != nil && f.Mark == "" {
		d.had, d.mark = 0, ""
		err = errors.Join(err, d.parts.Drop(context.WithoutCancel(ctx), id))
	}
	return u, err
}

// id names what has come of these very bytes. Bytes of which nobody knows whether they are the
// same later have a name of their own.
func (d *download) id(mark string) string {
	sum := sha256.Sum256([]byte(d.address + "\x00" + mark))
	return "fetch-" + hex.EncodeToString(sum[:16])
}

// telling tells how far a download has come.
type telling struct {
	of   io.Reader
	d    *download
	size int64
	last time.Time
}

func (t *telling) Read(p []byte) (int, error) {
	n, err := t.of.Read(p)
	t.d.had += int64(n)
	if now := time.Now(); now.Sub(t.last) > time.Second {
		t.last = now
		said := words.Size(t.d.had)
		if t.size > 0 {
			said += " of " + words.Size(t.size)
		}
		t.d.tell.Look("fetching: " + said)
	}
	return n, err
}
