package requests

import (
	"context"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// someAddons is up to how many add-ons a part of the ledger is cheaper than all of it.
const someAddons = 50

// ledgerFor reads what a draft has to know of the ledger. An ask about a few add-ons
// needs what these claim, and what stands where their files go: that is read once
// their files are known, by [Service.targets]. An ask that may be about anything needs
// all. present are the add-ons on the server, of which only a part may be in the
// ledger that is given.
func (s *Maker) ledgerFor(ctx context.Context, srv model.Server, b *rulebook.Book, ask Ask) (ledger map[tree.Path]draft.Row, present map[string]bool, part bool, err error) {
	addons, some, err := s.addonsOf(ctx, srv, b, ask)
	if err != nil {
		return nil, nil, false, err
	}
	if !some {
		ledger, err = s.Records.Ledger(ctx, srv.ID)
		return ledger, OnServers(ledger), false, err
	}
	if ledger, err = s.Records.LedgerOf(ctx, srv.ID, addons, nil); err != nil {
		return nil, nil, false, err
	}
	sums, err := s.Records.Sums(ctx, srv.ID)
	present = OnServers(ledger)
	for _, sum := range sums {
		present[sum.Addon] = true
	}
	return ledger, present, true, err
}

// addonsOf names the add-ons that an ask is about; some is false where that may be
// any.
func (s *Maker) addonsOf(ctx context.Context, srv model.Server, b *rulebook.Book, ask Ask) (addons []string, some bool, err error) {
	named := slices.Concat(ask.Remove, ask.Enable, ask.Disable, ask.InsteadOf)
	if ask.Back != nil || len(ask.Moves) > 0 || len(ask.Settle) > 0 || len(ask.Renew)+len(ask.Retire)+len(ask.Set) > 0 || ask.TakeNeeds || len(ask.Crates)+len(named) > someAddons {
		return nil, false, nil
	}
	for _, name := range named {
		addons = append(addons, layout.Key(name))
	}
	for _, ref := range ask.Crates {
		c, err := s.Catalog.FindCrateFor(ctx, b, ref, srv.Known())
		if err != nil { // a pallet, or a mistake, which is told where the crate is wanted
			return nil, false, ctx.Err()
		}
		merged := slices.ContainsFunc(c.Body.Files, func(f layout.File) bool { return f.Into != "" })
		if c.Body.Overlay || merged { // it changes what is another's
			return nil, false, nil
		}
		addons = append(addons, c.Key)
	}
	return addons, len(addons)+len(ask.Tweaks)+len(ask.Untweak)+len(ask.Texts)+len(ask.Swaps) > 0, nil
}

// OnServers gives the keys of the add-ons that a ledger knows.
func OnServers(ledger map[tree.Path]draft.Row) map[string]bool {
	out := map[string]bool{}
	for _, row := range ledger {
		for _, c := range row.Claims {
			out[c.Addon] = true
		}
		for _, l := range row.Listed {
			out[l.Addon] = true
		}
	}
	return out
}

// targets reads what the ledger knows of the paths to which wanted files go and of the
// texts that are edited, where only a part of it was read.
func (s *Maker) targets(ctx context.Context, srv model.Server, req *draft.Request) error {
	var paths []tree.Path
	add := func(p tree.Path) {
		if _, known := req.Ledger[p]; !known && p != tree.Root {
			paths = append(paths, p)
		}
	}
	for _, w := range req.Wanted {
		for _, f := range w.Files {
			add(f.Path)
		}
		for _, p := range w.Folders {
			add(p)
		}
		for _, wish := range w.Listings {
			add(wish.Path)
		}
	}
	for _, set := range req.Sets {
		add(set.Path)
	}
	for _, t := range req.Tweaks {
		add(t.Path)
	}
	for _, t := range req.Swaps {
		add(t.Path)
	}
	for _, t := range req.Puts {
		add(t.Path)
	}
	if len(paths) == 0 {
		return nil
	}
	more, err := s.Records.LedgerOf(ctx, srv.ID, nil, paths)
	maps.Copy(req.Ledger, more)
	return err
}
