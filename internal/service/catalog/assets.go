package catalog

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"

	"restlesscrate/internal/core/asset"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/words"
)

// LongestAsset is the size in bytes of the longest file that a person may put in the place of
// another: it is read into memory to see what it is.
const LongestAsset = 64 << 20

// KeepAsset keeps a person's own file in the stockroom and tells what it is. It is kept once,
// however often it is given.
func (s *Service) KeepAsset(ctx context.Context, src io.Reader) (b draft.Bytes, a asset.Asset, err error) {
	raw, err := io.ReadAll(io.LimitReader(src, LongestAsset+1))
	if err != nil {
		return b, a, fmt.Errorf("receive the file: %w", err)
	}
	if len(raw) > LongestAsset {
		return b, a, fault.New(fault.Usage, "too-long", "a file that takes the place of another is at most %s", words.Size(LongestAsset)).WithMend("Stage it as an add-on instead.")
	}
	if len(raw) == 0 {
		return b, a, fault.New(fault.Usage, "bad-request", "the file is empty")
	}
	b, a = draft.Bytes{Digest: tree.Sum(raw), Size: int64(len(raw))}, asset.Of(raw)
	if there, err := s.keeping().sound(ctx, b.Digest); there || err != nil {
		return b, a, err
	}
	seg, err := s.Room.Derive(b.Digest)
	if err != nil {
		return b, a, err
	}
	defer func() { err = errors.Join(err, seg.Close()) }()
	kept, err := seg.Append(ctx, bytes.NewReader(raw))
	if err != nil {
		return b, a, err
	}
	if err := seg.Sync(); err != nil {
		return b, a, err
	}
	return b, a, s.Records.AddHeld(ctx, seg.Name(), []stockroom.Held{{Digest: kept.Digest, Span: kept.Span}})
}
