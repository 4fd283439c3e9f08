package catalog

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"math"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// keep looks into a new archive and records it. A broken or unsafe one leaves
// nothing behind.
func (s keeper) keep(ctx context.Context, u *Upload, actor string) (model.Archive, error) {
	l, packed, err := s.lookInto(ctx, u.in, u.in.Size, u.Filename, u.Say, func() (*stockroom.Segment, error) { return s.Room.Pack(u.in.Digest) })
	if err != nil {
		return model.Archive{}, errors.Join(err, u.Discard())
	}
	a := model.Archive{Digest: u.in.Digest, Size: u.in.Size, Filename: u.Filename, Format: string(l.Format), Source: u.Source, Note: u.Note, Findings: l.Notes, Actor: actor}
	if a.Container, err = s.commit(u, a); err != nil {
		return a, err
	}
	entries, held := contents(l, a, packed)
	return s.Records.AddArchive(ctx, a, entries, held)
}

// lookInto opens an archive safely. What cannot be read where it is, is in the
// pack that is named then; pack begins one.
func (s keeper) lookInto(ctx context.Context, r io.ReaderAt, size int64, filename string, say Say, begin func() (*stockroom.Segment, error)) (l *archive.Listing, packed string, err error) {
	var pack *stockroom.Segment
	o := s.reading(filename, say)
	o.Pack = func() (_ archive.Pack, err error) {
		pack, err = begin()
		return pack, err
	}
	l, err = archive.Open(ctx, r, size, o)
	if err == nil && pack != nil {
		err = pack.Sync()
	}
	if err != nil {
		if pack != nil {
			err = errors.Join(err, pack.Discard())
		}
		var bad *archive.Error
		if errors.As(err, &bad) {
			mend := "It was not staged; nothing of it was kept."
			if bad.Code == "bomb" {
				mend += " If you know it and trust it, stage it as trusted."
			}
			return nil, "", fault.New(fault.Failed, bad.Code, "%s: %v", filename, bad).WithMend("%s", mend)
		}
		return nil, "", err
	}
	if pack == nil {
		return l, "", nil
	}
	return l, pack.Name(), pack.Close()
}

// reading gives the options for opening an archive, without a pack for what cannot be read in place.
func (s keeper) reading(filename string, say Say) archive.Options {
	limits := s.Limits
	if say.Trusted { // what bombs are known by; the room on disk still counts
		limits.Ratio, limits.Entries = math.MaxInt64/(1<<20), math.MaxInt32
	}
	return archive.Options{Limits: limits, Filename: filename, CodePage: say.CodePage}
}

// uploadFacts is what is kept of an archive beside its bytes, so that it can be staged
// again where the records were lost.
type uploadFacts struct {
	Filename string `json:"filename"`
	CodePage string `json:"codePage,omitempty"`
	Trusted  bool   `json:"trusted,omitempty"`
	Source   string `json:"source,omitempty"`
	Note     string `json:"note,omitempty"`
}

// commit makes an upload's bytes a container.
func (s keeper) commit(u *Upload, a model.Archive) (container string, err error) {
	raw, err := json.Marshal(uploadFacts{Filename: a.Filename, CodePage: u.CodePage, Trusted: u.Trusted, Source: a.Source, Note: a.Note})
	if err != nil {
		return "", errors.Join(err, u.Discard())
	}
	return u.in.Commit(raw)
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
