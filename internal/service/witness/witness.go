// Package witness records what was seen of the add-ons on a server outside of any
// deployment: a roll call that a person asks for, that somebody saw one work in the
// game, and what looks wrong in one and is harmless.
package witness

import (
	"context"
	"errors"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/changes"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/service/verify"
)

// Records is what this service writes down.
type Records interface {
	verify.Records
	Confirm(ctx context.Context, c model.Confirmation) error
	AddOddity(ctx context.Context, o model.Oddity) error
	// DropOddity gives [model.ErrConflict] where nothing of the kind is known.
	DropOddity(ctx context.Context, o model.Oddity) error
}

// Addons finds an add-on on a server by its name.
type Addons interface {
	Addon(ctx context.Context, server, addon string) (srv model.Server, crate tree.Digest, err error)
}

// Service is these use cases.
type Service struct {
	Records Records
	Catalog requests.Catalog
	Hosts   changes.Hosts
	Addons  Addons
}

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
	if len(book.Log.Loaded) == 0 && len(book.Console.Line) == 0 {
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

// Confirm records that a person saw an add-on work in the game.
func (s *Service) Confirm(ctx context.Context, server, addon, note, actor string) error {
	srv, crate, err := s.Addons.Addon(ctx, server, addon)
	if err != nil {
		return err
	}
	key, err := s.Catalog.AddonKey(ctx, srv.Rulebook, addon)
	if err != nil {
		return err
	}
	return s.Records.Confirm(ctx, model.Confirmation{ServerID: srv.ID, Addon: key, Crate: crate, Note: note, Actor: actor})
}

// NoteOddity records something harmless that is known of an add-on, for every server
// of the same rulebook.
func (s *Service) NoteOddity(ctx context.Context, server, addon, text, actor string) error {
	text = strings.TrimSpace(text)
	if text == "" {
		return fault.New(fault.Usage, "bad-request", "say what is odd and harmless about %s", addon)
	}
	srv, _, err := s.Addons.Addon(ctx, server, addon)
	if err != nil {
		return err
	}
	key, err := s.Catalog.AddonKey(ctx, srv.Rulebook, addon)
	if err != nil {
		return err
	}
	return s.Records.AddOddity(ctx, model.Oddity{Rulebook: srv.Rulebook, Addon: key, Text: text, Actor: actor})
}

// ForgetOddity takes back what was noted. The add-on need not be there any more.
func (s *Service) ForgetOddity(ctx context.Context, server, addon, text string) error {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return err
	}
	key, err := s.Catalog.AddonKey(ctx, srv.Rulebook, addon)
	if err != nil {
		return err
	}
	err = s.Records.DropOddity(ctx, model.Oddity{Rulebook: srv.Rulebook, Addon: key, Text: strings.TrimSpace(text)})
	if errors.Is(err, model.ErrConflict) {
		return fault.New(fault.Unknown, "oddity-unknown", "nothing of the kind is known of %s: %s", addon, text).By(finding.ShowAddons.On(server))
	}
	return err
}
