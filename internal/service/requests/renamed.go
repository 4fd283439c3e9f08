package requests

import (
	"context"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// rename disables or enables an add-on that no list names by giving what it has on the
// server other names, where its kind says how; ok is false where it does not.
func (s *Maker) rename(ctx context.Context, srv model.Server, b *rulebook.Book, key string, off bool, req *draft.Request) (ok bool, err error) {
	var claim draft.Claim
	for _, row := range req.Ledger {
		for _, c := range row.Claims {
			if c.Addon == key {
				claim = c
			}
		}
	}
	crate, err := s.Records.CrateByDigest(ctx, claim.Crate)
	if err != nil {
		return false, err
	}
	choices, err := s.Records.Choices(ctx, srv.ID)
	if err != nil {
		return false, err
	}
	how, ok, err := renames(b, crate.Body.Kind, srv.Variables, choices[key])
	if err != nil || !ok {
		return ok, err
	}
	why := crate.Body.Name + " is enabled"
	if off {
		why = crate.Body.Name + " is disabled; the server does not load it under this name"
	}
	w := draft.Wanted{Effect: EffectOf(b, crate), Addon: key, Name: crate.Body.Name, Version: crate.Body.Version, Crate: claim.Crate, Why: why}
	for _, p := range slices.Sorted(maps.Keys(req.Ledger)) {
		row := req.Ledger[p]
		i := slices.IndexFunc(row.Claims, func(c draft.Claim) bool { return c.Addon == key })
		if i >= 0 && row.State.Being == tree.Folder {
			w.Folders = append(w.Folders, how.Name(p, off))
		}
		if i < 0 || row.State.Being != tree.Content {
			continue
		}
		brings := row.Claims[i].Brings
		if brings.Digest.IsZero() {
			brings = draft.Bytes{Digest: row.State.Digest, Size: row.State.Size}
		}
		w.Files = append(w.Files, draft.Target{Path: how.Name(p, off), Digest: brings.Digest, Size: brings.Size,
			Exec: row.State.Mode&0o111 != 0, Overlay: row.Claims[i].Role == draft.Overlays})
	}
	req.Wanted = append(req.Wanted, w)
	return true, nil
}

// renames tells how add-ons of a kind are disabled; own are the values that the add-on has
// for itself, as NAME=VALUE among its parts.
func renames(b *rulebook.Book, kind string, values map[string]string, own []string) (rulebook.Renamed, bool, error) {
	how, ok, err := b.Renames(kind, rulebook.WithOwn(values, own))
	if err != nil {
		err = fault.New(fault.Conflict, "place-gone", "%v", err)
	}
	return how, ok, err
}

// stillOff gives the files of an add-on that is disabled by its names the names that keep it
// so over an update.
func stillOff(b *rulebook.Book, c model.Crate, values map[string]string, w *draft.Wanted, req *draft.Request) error {
	how, ok, err := renames(b, c.Body.Kind, values, nil)
	if err != nil || !ok {
		return err
	}
	for p, row := range req.Ledger {
		if how.Off(p) && slices.ContainsFunc(row.Claims, func(o draft.Claim) bool { return o.Addon == c.Key }) {
			for i := range w.Files {
				w.Files[i].Path = how.Name(w.Files[i].Path, true)
			}
			for i := range w.Folders {
				w.Folders[i] = how.Name(w.Folders[i], true)
			}
			w.Why = w.Label() + ", disabled as before"
			return nil
		}
	}
	return nil
}
