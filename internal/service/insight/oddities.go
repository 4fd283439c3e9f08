package insight

import (
	"context"

	"restlesscrate/internal/model"
)

// odd lists what is known of every add-on that looks wrong and is harmless: what
// people have noted of it, and what the rulebook says of its whole kind.
func (s *Service) odd(ctx context.Context, srv model.Server, addons []Addon) error {
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	noted, err := s.Records.Oddities(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	for i := range addons {
		a := &addons[i]
		a.Oddities = append(model.OdditiesOf(noted, a.Key), b.OdditiesOf(a.Kind)...)
	}
	return nil
}
