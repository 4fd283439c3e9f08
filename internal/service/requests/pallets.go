package requests

import (
	"context"
	"errors"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// unload puts a pallet's crates in the place of its name, and adds what it
// retires to the request: add-ons whose crate on the server came with another
// version of the same pallet, and which this one does not hold.
func (s *Maker) unload(ctx context.Context, srv model.Server, ask *Ask, req *draft.Request) error {
	var crates []string
	for _, ref := range ask.Crates {
		p, err := s.pallet(ctx, srv, ref)
		if err != nil {
			return err
		}
		if p == nil {
			crates = append(crates, ref)
			continue
		}
		for _, c := range p.Members {
			crates = append(crates, c.Digest.String())
		}
		retired, err := s.retired(ctx, *p, req.Ledger)
		if err != nil {
			return err
		}
		ask.Retire = append(ask.Retire, retired...)
	}
	ask.Crates = crates
	for _, key := range ask.Retire {
		if req.Present[key] {
			req.Remove = append(req.Remove, draft.Removal{Addon: key, Name: key})
		}
	}
	return nil
}

// pallet finds the pallet that a word names; nil where it names a crate, or
// nothing at all, which is then told as for a crate.
func (s *Maker) pallet(ctx context.Context, srv model.Server, ref string) (*model.Pallet, error) {
	_, err := s.Catalog.FindCrate(ctx, srv.Rulebook, ref)
	var f *fault.Error
	if err == nil || !errors.As(err, &f) || f.Code != "crate-unknown" {
		return nil, nil // what is wrong with a crate's name is told where it is wanted
	}
	name, version, exact := strings.Cut(ref, "@")
	all, err := s.Catalog.Pallets(ctx, srv.Rulebook, name)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(all, func(p model.Pallet) bool { return !exact || p.Version == version })
	if i < 0 {
		return nil, nil
	}
	return &all[i], nil
}

func (s *Maker) retired(ctx context.Context, now model.Pallet, ledger map[tree.Path]draft.Row) ([]string, error) {
	versions, err := s.Catalog.Pallets(ctx, now.Rulebook, now.Name)
	if err != nil {
		return nil, err
	}
	brought := map[tree.Digest]bool{} // by any version of the pallet
	for _, p := range versions {
		for _, c := range p.Members {
			brought[c.Digest] = true
		}
	}
	kept := map[string]bool{}
	for _, c := range now.Members {
		kept[c.Key] = true
	}
	var out []string
	add := func(addon string, crate tree.Digest) {
		if brought[crate] && !kept[addon] && !slices.Contains(out, addon) {
			out = append(out, addon)
		}
	}
	for _, row := range ledger {
		for _, c := range row.Claims {
			add(c.Addon, c.Crate)
		}
		for _, l := range row.Listed {
			add(l.Addon, l.Crate)
		}
	}
	slices.Sort(out)
	return out, nil
}
