package catalog

import (
	"context"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Pallets lists pallets, the newest first; an empty rulebook or name means all.
func (s *Service) Pallets(ctx context.Context, rulebookName, name string) ([]model.Pallet, error) {
	return s.Records.Pallets(ctx, rulebookName, layout.Key(name))
}

// PalletMembers lists which crates each pallet holds; an empty rulebook means all.
func (s *Service) PalletMembers(ctx context.Context, rulebookName string) ([]model.PalletMember, error) {
	return s.Records.PalletMembers(ctx, rulebookName)
}

// RenamePallet gives a pallet another name, and its later versions too, whatever their files
// are called.
func (s *Service) RenamePallet(ctx context.Context, rulebookName, name, to, actor string) error {
	if p, err := tree.ParsePath(to); err != nil || p.Depth() != 1 || strings.Contains(to, "@") {
		return fault.New(fault.Usage, "bad-name", "%q cannot be the name of a pallet: no slash, no @", to)
	}
	all, err := s.Pallets(ctx, rulebookName, name)
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return fault.New(fault.Unknown, "pallet-unknown", "there is no pallet %q%s", name, forBook(rulebookName)).By(finding.ShowCrates.With())
	}
	done := map[string]bool{}
	for _, p := range all {
		if done[p.Rulebook] {
			continue
		}
		done[p.Rulebook] = true
		said, err := s.Records.Corrections(ctx, p.Rulebook)
		if err != nil {
			return err
		}
		keys := []string{layout.PalletFix(p.Key)}
		for key, c := range said { // names given earlier
			if strings.HasPrefix(key, layout.PalletFix("")) && layout.Key(c.Name) == p.Key {
				keys = append(keys, key)
			}
		}
		for _, key := range keys {
			if err := s.Records.Correct(ctx, p.Rulebook, key, actor, func(c *model.Correction) { c.Name, c.From = to, p.Label() }); err != nil {
				return err
			}
		}
		if err := s.Records.RenamePallet(ctx, p.Rulebook, p.Key, to); err != nil {
			return err
		}
	}
	return nil
}
