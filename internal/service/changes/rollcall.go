package changes

import (
	"context"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/service/verify"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/model"
)

// verifier finds out what came of deployments.
func (s *Service) verifier() *verify.Verifier {
	return &verify.Verifier{Records: s.Records, Catalog: s.Catalog}
}

// RollCall finds out what is loaded on a server now. The log is read from its last
// start, as far as its ready lines tell where that was.
func (s *Service) RollCall(ctx context.Context, server, actor string) (model.RollCall, []finding.Finding, error) {
	call := model.RollCall{Actor: actor}
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return call, nil, err
	}
	book, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return call, nil, err
	}
	if book.Log.Loaded == "" && book.Console.Line == "" {
		return call, nil, fault.New(fault.Conflict, "no-roll", "rulebook %s does not say how a log or a console tells what is loaded", book.Name).WithMend("Add log and console to the rulebook; docs/rulebooks.md shows how.")
	}
	h, err := s.Hosts.Connect(ctx, srv)
	if err != nil {
		return call, nil, err
	}
	defer h.Close()
	p, err := s.Hosts.Power(ctx, srv, h, book)
	if err != nil {
		return call, nil, err
	}
	return s.verifier().Now(ctx, srv, book, p, actor)
}

// FindingsOf says what an earlier roll call found that a person should know, with what
// would put it right as things are now.
func (s *Service) FindingsOf(ctx context.Context, srv model.Server, roll rollcall.Roll) ([]finding.Finding, error) {
	return s.verifier().FindingsOf(ctx, srv, roll)
}

// Offers says for each failed add-on of a roll, by its name there, what brings what it
// needs.
func (s *Service) Offers(ctx context.Context, srv model.Server, roll rollcall.Roll) (map[string]verify.Offer, error) {
	return s.verifier().Offers(ctx, srv, roll)
}
