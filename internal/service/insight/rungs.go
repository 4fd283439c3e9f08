package insight

import (
	"context"
	"errors"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Rungs: how far an add-on has come.
const (
	Placed    = "placed"
	ListedNow = "listed"
	Loaded    = "loaded"
	Confirmed = "confirmed"
)

// climb tells how far each add-on has come, by the last roll call and by people's
// words, and whether it was changed since that roll call, which it gives.
func (s *Service) climb(ctx context.Context, srv model.Server, addons []Addon, newest map[string]int64) (call model.RollCall, err error) {
	call, err = s.Records.LastRollCall(ctx, srv.ID)
	called := err == nil
	if err != nil && !errors.Is(err, model.ErrNotFound) {
		return call, err
	}
	words, err := s.Records.Confirmations(ctx, srv.ID)
	if err != nil {
		return call, err
	}
	for i := range addons {
		a := &addons[i]
		for _, c := range words {
			if c.Addon == a.Key && c.Crate == a.Crate {
				a.Rung, a.Evidence, a.EvidenceAt, a.Note = Confirmed, "seen in the game by "+c.Actor, c.At, c.Note
			}
		}
		if !called {
			continue
		}
		if a.ChangedSince = newest[a.Key] > call.Seq; a.ChangedSince {
			continue
		}
		e, ok := call.Roll.Entry(a.Key)
		if !ok {
			continue
		}
		a.Asked = e.Standing != rollcall.Silent || e.Listed
		switch e.Standing {
		case rollcall.Silent:
			a.Silent = e.Listed && !a.Disabled && a.Rung != Confirmed
		case rollcall.Loaded:
			if a.Rung != Confirmed {
				a.Rung, a.Evidence, a.EvidenceAt = Loaded, "said so by the "+e.From[len(e.From)-1], call.At
			}
		case rollcall.Failed:
			a.Trouble = e.Why
			if len(e.Lines) > 0 {
				a.TroubleLine = e.Lines[0].Text
			}
			if a.Rung == Confirmed { // it worked once, and does not now
				a.Rung = ListedNow
			}
		}
	}
	return call, nil
}

// Addon finds an add-on on a server by its name, and the crate that it is of.
func (s *Service) Addon(ctx context.Context, server, addon string) (model.Server, tree.Digest, error) {
	st, err := s.Status(ctx, server)
	if err != nil {
		return st.Server, tree.Digest{}, err
	}
	key, err := s.Books.AddonKey(ctx, st.Server.Rulebook, addon)
	if err != nil {
		return st.Server, tree.Digest{}, err
	}
	for _, a := range st.Addons {
		if a.Key == key {
			return st.Server, a.Crate, nil
		}
	}
	return st.Server, tree.Digest{}, fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on %s", addon, server).By(finding.ShowAddons.On(server))
}

// RollCall gives what a deployment's roll call found; [model.ErrNotFound] where it
// called none.
func (s *Service) RollCall(ctx context.Context, deployment int64) (model.RollCall, error) {
	return s.Records.RollCallOf(ctx, deployment)
}

// LastRollCall gives a server's newest roll call; [model.ErrNotFound] where there
// was none.
func (s *Service) LastRollCall(ctx context.Context, server int64) (model.RollCall, error) {
	return s.Records.LastRollCall(ctx, server)
}

// OdditiesNow gives a roll call of a server the oddities that are known now.
func (s *Service) OdditiesNow(ctx context.Context, server string, call *model.RollCall) error {
	st, err := s.Status(ctx, server)
	if err != nil {
		return err
	}
	for i := range call.Roll.Entries {
		e := &call.Roll.Entries[i]
		for _, a := range st.Addons {
			if a.Key == e.Addon {
				e.Oddities = a.Oddities
			}
		}
	}
	return nil
}

// listedSince is the last event that changed an entry, where the text's last event
// is about it: a text holds the entries of many add-ons.
func listedSince(l draft.Listing, last model.Event) int64 {
	for _, e := range last.Change.Edits {
		if e.Addon == l.Addon {
			return last.Seq
		}
	}
	return 0
}
