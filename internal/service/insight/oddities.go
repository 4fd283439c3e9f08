package insight

import (
	"context"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/model"
)

// odd lists what is known of every add-on that looks wrong and is harmless: what
// people have noted of it, and what the rulebook says of its whole kind.
func (s *Service) odd(ctx context.Context, srv model.Server, b *rulebook.Book, addons []Addon) error {
	noted, err := s.Records.Oddities(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	for i := range addons {
		a := &addons[i]
		a.Oddities = append(model.OdditiesOf(noted, a.Key), b.OdditiesOf(a.Kind)...)
	}
	return s.renamed(ctx, srv, b, addons)
}

// renamed finds the add-ons that are disabled by the names of their files.
func (s *Service) renamed(ctx context.Context, srv model.Server, b *rulebook.Book, addons []Addon) error {
	var keys []string
	for _, a := range addons {
		if b.RenamesKind(a.Kind) {
			keys = append(keys, a.Key)
		}
	}
	if len(keys) == 0 {
		return nil
	}
	own, err := s.Records.Choices(ctx, srv.ID)
	if err != nil {
		return err
	}
	rows, err := s.Records.LedgerOf(ctx, srv.ID, keys, nil)
	if err != nil {
		return err
	}
	for i := range addons {
		a := &addons[i]
		how, ok, err := b.Renames(a.Kind, rulebook.WithOwn(srv.Variables, own[a.Key]))
		if err != nil || !ok {
			continue // what it takes to tell is gone from the rulebook
		}
		for p, row := range rows {
			a.Disabled = a.Disabled || how.Off(p) && slices.ContainsFunc(row.Claims, func(c draft.Claim) bool { return c.Addon == a.Key })
		}
	}
	return nil
}
