package catalog

import (
	"context"
	"errors"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// keep looks into a new archive and records it. A broken or unsafe one leaves
// nothing behind.
func (s *Service) keep(ctx context.Context, u *Upload, actor string) (model.Archive, error) {
	var pack *stockroom.Segment
	l, err := archive.Open(ctx, u.in, u.in.Size, archive.Options{Limits: s.Limits, Filename: u.Filename, CodePage: u.CodePage,
		Pack: func() (archive.Pack, error) {
			var err error
			pack, err = s.Room.Pack(u.in.Digest)
			return pack, err
		}})
	if err == nil && pack != nil {
		err = pack.Sync()
	}
	if err != nil {
		err = errors.Join(err, u.Discard())
		if pack != nil {
			err = errors.Join(err, pack.Discard())
		}
		var bad *archive.Error
		if errors.As(err, &bad) {
			return model.Archive{}, fault.New(fault.Failed, bad.Code, "%s: %v", u.Filename, bad).WithMend("It was not staged; nothing of it was kept.")
		}
		return model.Archive{}, err
	}
	a := model.Archive{Digest: u.in.Digest, Size: u.in.Size, Filename: u.Filename, Format: string(l.Format), Source: u.Source, Note: u.Note, Findings: l.Notes, Actor: actor}
	packed := ""
	if pack != nil {
		packed = pack.Name()
		if err := pack.Close(); err != nil {
			return a, err
		}
	}
	if a.Container, err = u.in.Commit(); err != nil {
		return a, err
	}
	entries, held := contents(l, a, packed)
	return s.Records.AddArchive(ctx, a, entries, held)
}

// contents lists an archive's entries and, by container, where their bytes lie.
func contents(l *archive.Listing, a model.Archive, pack string) ([]tree.Entry, map[string][]stockroom.Held) {
	whole := stockroom.Held{Digest: a.Digest, Span: stockroom.Span{Length: a.Size, Size: a.Size, Method: stockroom.Stored}}
	held := map[string][]stockroom.Held{a.Container: {whole}}
	entries := make([]tree.Entry, len(l.Items))
	for i, it := range l.Items {
		entries[i] = it.Entry
		if it.Dir {
			continue
		}
		in := a.Container
		if it.Packed {
			in = pack
		}
		held[in] = append(held[in], stockroom.Held{Digest: it.Digest, Span: it.Span})
	}
	return entries, held
}
