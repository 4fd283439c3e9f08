package tidying

import (
	"cmp"
	"context"
	"slices"
	"time"

	"restlesscrate/internal/model"
)

// Listed is a download that the stockroom holds, or held.
type Listed struct {
	model.Staying
	DroppedAt time.Time // zero where it is there
}

// List gives every download, the newest first.
func (s *Service) List(ctx context.Context) (out []Listed, err error) {
	staying, err := s.Records.Staying(ctx)
	if err != nil {
		return nil, err
	}
	gone, err := s.Records.DroppedArchives(ctx)
	if err != nil {
		return nil, err
	}
	for _, a := range staying {
		out = append(out, Listed{Staying: a})
	}
	for _, d := range gone {
		out = append(out, Listed{Staying: model.Staying{Archive: d.Archive, Newer: -1}, DroppedAt: d.At})
	}
	slices.SortFunc(out, func(a, b Listed) int { return cmp.Compare(b.ID, a.ID) })
	return out, nil
}
