// Package mending brings damaged bytes of the stockroom back from the servers on which they still
// lie. It only reads there, and what it reads counts only where its digest is the one that is wanted.
package mending

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/stockroom"
)

// Records is what has to be known, and where mended contents are written down.
type Records interface {
	Servers(ctx context.Context) ([]model.Server, error)
	Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error)
	AddFound(ctx context.Context, container string, held []stockroom.Held) error
}

// Hosts connects to servers.
type Hosts interface {
	Connect(ctx context.Context, srv model.Server) (remote.Host, error)
}

// Service mends.
type Service struct {
	Records Records
	Hosts   Hosts
	Room    *stockroom.Room
	Now     func() time.Time
}

// Mended tells where the bytes of damaged contents were read again, and why they were not where
// the ledger has them.
type Mended struct {
	From  map[tree.Digest]string // server:path
	Notes []string
}

// Mend looks for damaged contents on every server whose ledger has them, and keeps what it finds. A
// server that does not answer is noted, and the others are asked.
func (s *Service) Mend(ctx context.Context, damaged []tree.Digest, tell func(string)) (m Mended, err error) {
	m.From = map[tree.Digest]string{}
	wanted := map[tree.Digest]bool{}
	for _, d := range damaged {
		wanted[d] = true
	}
	servers, err := s.Records.Servers(ctx)
	if err != nil || len(wanted) == 0 {
		return m, err
	}
	for _, srv := range servers {
		ledger, err := s.Records.Ledger(ctx, srv.ID)
		if err != nil {
			return m, err
		}
		there := map[tree.Path]tree.Digest{}
		for p, row := range ledger {
			if d := row.State.Digest; row.State.Being == tree.Content && wanted[d] && m.From[d] == "" {
				there[p] = d
			}
		}
		if len(there) == 0 {
			continue
		}
		tell(fmt.Sprintf("reading what is damaged on %s", srv.Name))
		if err := s.from(ctx, srv, there, &m); err != nil {
			return m, err
		}
	}
	return m, nil
}

// from reads contents on one server. It fails where the stockroom does; what is the matter with the
// server is noted.
func (s *Service) from(ctx context.Context, srv model.Server, there map[tree.Path]tree.Digest, m *Mended) (err error) {
	note := func(format string, args ...any) { m.Notes = append(m.Notes, fmt.Sprintf(format, args...)) }
	h, err := s.Hosts.Connect(ctx, srv)
	if err != nil {
		note("%s could not be asked: %v", srv.Name, err)
		return ctx.Err()
	}
	defer h.Close()
	seg, err := s.Room.Segment(fmt.Sprintf("mended-%d", s.Now().UnixNano()))
	if err != nil {
		return err
	}
	var held []stockroom.Held
	defer func() {
		if len(held) == 0 {
			err = errors.Join(err, seg.Discard())
			return
		}
		err = errors.Join(err, seg.Close())
	}()
	from := map[tree.Digest]string{}
	for _, p := range slices.Sorted(maps.Keys(there)) {
		d := there[p]
		if from[d] != "" {
			continue
		}
		kept, ok, err := s.read(ctx, h, seg, p, d)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			note("%s:%s is gone", srv.Name, p)
		case err != nil:
			note("%s:%s: %v", srv.Name, p, err)
		case !ok:
			note("%s:%s holds other bytes now", srv.Name, p)
		default:
			held = append(held, stockroom.Held{Digest: d, Span: kept.Span})
			from[d] = fmt.Sprintf("%s:%s", srv.Name, p)
		}
		if ctx.Err() != nil {
			break
		}
	}
	if len(held) == 0 {
		return ctx.Err()
	}
	if err := seg.Sync(); err != nil {
		return err
	}
	if err := s.Records.AddFound(context.WithoutCancel(ctx), seg.Name(), held); err != nil {
		return err
	}
	for d, where := range from {
		m.From[d] = where
	}
	return ctx.Err()
}

func (s *Service) read(ctx context.Context, h remote.Host, seg *stockroom.Segment, p tree.Path, want tree.Digest) (stockroom.Kept, bool, error) {
	file, err := h.Open(ctx, p)
	if err != nil {
		return stockroom.Kept{}, false, err
	}
	kept, ok, err := seg.AppendOnly(ctx, file, want)
	return kept, ok, errors.Join(err, file.Close())
}
