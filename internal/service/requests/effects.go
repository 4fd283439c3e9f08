package requests

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// touched tells when what a removal or a rollback does counts: by the kind of each add-on
// that goes or comes back. A text whose entries go back counts at a start.
func (s *Maker) touched(ctx context.Context, b *rulebook.Book, req *draft.Request) error {
	if len(req.Remove)+len(req.Back)+len(req.Settles) == 0 {
		return nil
	}
	after, before := map[string]draft.Claim{}, map[string]draft.Claim{}
	returned := map[tree.Path]bool{}
	for _, x := range req.Settles {
		if x.Do != draft.RestoreIt {
			continue
		}
		for _, c := range req.Ledger[x.Path].Claims {
			after[c.Addon], before[c.Addon] = c, c
		}
	}
	for _, r := range req.Back {
		returned[r.Path] = true
		for _, c := range r.Claims {
			after[c.Addon] = c
		}
		for _, c := range req.Ledger[r.Path].Claims {
			before[c.Addon] = c
		}
		if len(r.Edits) > 0 {
			req.Touched = append(req.Touched, draft.Touched{Label: string(r.Path)})
		}
	}
	leaves := map[string]bool{}
	for _, r := range req.Remove {
		leaves[r.Addon] = true
	}
	for p, row := range req.Ledger {
		for _, c := range row.Claims {
			switch {
			case leaves[c.Addon]:
				before[c.Addon] = c
			case !returned[p] && before[c.Addon].Addon != "":
				after[c.Addon] = cmp.Or(after[c.Addon], c) // some of it stays
			}
		}
	}
	for _, key := range slices.Sorted(maps.Keys(union(before, after))) {
		claim, stays := after[key]
		if !stays {
			claim = before[key]
		}
		t := draft.Touched{Addon: key, Crate: claim.Crate, Label: claim.Label, Gone: !stays}
		crate, err := s.Records.CrateByDigest(ctx, claim.Crate)
		if err != nil && !errors.Is(err, model.ErrNotFound) {
			return err
		}
		if err == nil {
			t.Effect = EffectOf(b, crate)
		}
		req.Touched = append(req.Touched, t)
	}
	return nil
}

func union(a, b map[string]draft.Claim) map[string]draft.Claim {
	out := maps.Clone(a)
	maps.Copy(out, b)
	return out
}
