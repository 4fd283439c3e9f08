package catalog

import (
	"context"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Listed keeps the crate of an add-on that has no download: an id that a
// server's list holds.
func (s *Service) Listed(ctx context.Context, rulebookName, id, actor string) (model.Crate, error) {
	b, rev, err := s.Book(ctx, rulebookName)
	if err != nil {
		return model.Crate{}, err
	}
	c, err := layout.Listed(b, id)
	if err != nil {
		return model.Crate{}, fault.New(fault.Usage, "bad-id", "%v", err)
	}
	return s.Records.AddJoined(ctx, c, rev.Number, nil, actor)
}
