package requests

import (
	"context"
	"fmt"
	"maps"
	"path"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// crates finds what was asked for, with what changes it on the server, which
// is laid over it again; what changes others comes after what it changes. The
// ask then names them all with their digests.
func (s *Maker) crates(ctx context.Context, srv model.Server, b *rulebook.Book, ask *Ask, req *draft.Request) ([]model.Crate, error) {
	var crates []model.Crate
	wanted := map[string]bool{}
	for _, ref := range ask.Crates {
		c, err := s.Catalog.FindCrateFor(ctx, b, ref, srv.Known())
		if err != nil {
			return nil, err
		}
		if c.Damaged {
			f := fault.New(fault.Failed, "crate-damaged", "what is recorded of %s cannot be read", c.Body.Label()).WithMend("Stage its archive again: it is laid out and recorded anew.")
			f.Findings = c.Findings
			return nil, f
		}
		onlyListed := slices.ContainsFunc(b.Kinds, func(k rulebook.Kind) bool { return k.Name == c.Body.Kind && k.Listed != "" })
		if onlyListed && !slices.ContainsFunc(b.Lists, func(l rulebook.LoadList) bool { return l.Lists(c.Body.Kind) }) {
			return nil, fault.New(fault.Conflict, "no-files", "%s has no files to put anywhere, and rulebook %s has no load list that names it", c.Body.Label(), b.Name).WithMend("Write its id into the server's list by hand.")
		}
		crates, wanted[c.Key] = append(crates, c), true
	}
	over, err := s.overlaying(ctx, wanted, ask.Remove, req)
	if err != nil {
		return nil, err
	}
	beside, err := s.besides(ctx, b, srv, crates, req)
	if err != nil {
		return nil, err
	}
	for _, c := range slices.Concat(over, beside) {
		if !wanted[c.Key] {
			crates, wanted[c.Key] = append(crates, c), true
		}
	}
	slices.SortStableFunc(crates, func(x, y model.Crate) int { return bit(x.Body.Overlay) - bit(y.Body.Overlay) })
	ask.Crates = ask.Crates[:0:0]
	for _, c := range crates {
		ask.Crates = append(ask.Crates, c.Body.Label()+"~"+c.Digest.String()[:12])
	}
	return crates, nil
}

func bit(b bool) int {
	if b {
		return 1
	}
	return 0
}

// overlaying finds the crates on a server that change files of add-ons that
// are wanted now, and that are not part of the ask themselves.
func (s *Maker) overlaying(ctx context.Context, wanted map[string]bool, removed []string, req *draft.Request) ([]model.Crate, error) {
	found := map[tree.Digest]bool{}
	var out []model.Crate
	for _, p := range slices.Sorted(maps.Keys(req.Ledger)) {
		claims := req.Ledger[p].Claims
		below := slices.ContainsFunc(claims, func(c draft.Claim) bool { return wanted[c.Addon] })
		for _, c := range claims {
			going := slices.ContainsFunc(req.Remove, func(r draft.Removal) bool { return r.Addon == c.Addon })
			if !below || c.Role != draft.Overlays || wanted[c.Addon] || going || found[c.Crate] {
				continue
			}
			found[c.Crate] = true
			crate, err := s.Records.CrateByDigest(ctx, c.Crate)
			if err != nil {
				return nil, fmt.Errorf("find %s, which changes %s: %w", c.Label, p, err)
			}
			out = append(out, crate)
		}
	}
	return out, nil
}

// besides finds the crates on a server that are merged into the same packed files as wanted
// ones: they go together.
func (s *Maker) besides(ctx context.Context, b *rulebook.Book, srv model.Server, crates []model.Crate, req *draft.Request) (out []model.Crate, err error) {
	for _, c := range crates {
		for _, f := range c.Body.Files {
			if f.Into == "" {
				continue
			}
			folder, err := b.Resolve(f.Place, shared(b, srv.Variables))
			if err != nil {
				continue // in a folder of its own, where no other is
			}
			for _, claim := range req.Ledger[folder.Join(f.Into)].Claims {
				if claim.Role != draft.Overlays || claim.Addon == c.Key || slices.ContainsFunc(out, func(o model.Crate) bool { return o.Key == claim.Addon }) {
					continue
				}
				other, err := s.Records.CrateByDigest(ctx, claim.Crate)
				if err != nil {
					return nil, fmt.Errorf("find %s, which is merged into the same file: %w", claim.Label, err)
				}
				out = append(out, other)
			}
		}
	}
	return out, nil
}

// mergedBeside finds the crates that are merged into the same packed files as add-ons that go,
// and that stay.
func (s *Maker) mergedBeside(ctx context.Context, goes func(addon string) bool, req *draft.Request) (out []model.Crate, err error) {
	overlays := func(c draft.Claim) bool { return c.Role == draft.Overlays }
	for _, p := range slices.Sorted(maps.Keys(req.Ledger)) {
		claims := slices.DeleteFunc(slices.Clone(req.Ledger[p].Claims), func(c draft.Claim) bool { return !overlays(c) })
		if !slices.ContainsFunc(claims, func(c draft.Claim) bool { return goes(c.Addon) }) {
			continue
		}
		for _, c := range claims {
			if goes(c.Addon) || slices.ContainsFunc(out, func(o model.Crate) bool { return o.Key == c.Addon }) {
				continue
			}
			crate, err := s.Records.CrateByDigest(ctx, c.Crate)
			if err != nil {
				return nil, fmt.Errorf("find %s, which is merged into %s: %w", c.Label, p, err)
			}
			if slices.ContainsFunc(crate.Body.Files, func(f layout.File) bool { return f.Into != "" }) {
				out = append(out, crate)
			}
		}
	}
	return out, nil
}

// brought are the entries that crates of a request merge into packed files, and whose they are.
type brought map[tree.Path]map[tree.Path]entryOf

type entryOf struct {
	label  string
	digest tree.Digest
}

// add notes what a crate merges into a packed file; clash is an entry that another one brings
// with other bytes.
func (b brought) add(p tree.Path, label string, parts []model.MergePart) (clash tree.Path, with string) {
	if b[p] == nil {
		b[p] = map[tree.Path]entryOf{}
	}
	for _, part := range parts {
		if other, there := b[p][part.Path]; there && other.digest != part.Digest {
			return part.Path, other.label
		}
		b[p][part.Path] = entryOf{label, part.Digest}
	}
	return "", ""
}

// merge makes the packed files into which a crate is merged, out of what their
// owners bring: in this request, or on the server.
func (s *Maker) merge(ctx context.Context, b *rulebook.Book, merges map[tree.Path][]model.MergePart, w *draft.Wanted, all brought, req *draft.Request) error {
	for _, p := range slices.Sorted(maps.Keys(merges)) {
		if clash, with := all.add(p, w.Label(), merges[p]); with != "" {
			return fault.New(fault.Blocked, "entry-clash", "%s and %s both bring %s for %s, with different bytes", with, w.Label(), clash, p).
				WithMend("Leave one of them out, or remove it first.")
		}
		base, found := baseOf(p, w.Addon, req)
		if !found {
			return fault.New(fault.Conflict, "no-base", "%s is merged into %s, which no add-on has put on this server", w.Label(), p).
				WithMend("Deploy the add-on that it changes first, or both together.")
		}
		m, err := s.Catalog.Merge(ctx, b, base, path.Base(string(p)), merges[p])
		if err != nil {
			return err
		}
		w.Files = append(w.Files, draft.Target{Path: p, Digest: m.Digest, Size: m.Size, Overlay: true, Over: base, Merged: mergedWords(merges[p], m.Replaced)})
	}
	return nil
}

func baseOf(p tree.Path, addon string, req *draft.Request) (tree.Digest, bool) {
	for _, w := range slices.Backward(req.Wanted) { // what was merged into it last
		for _, f := range w.Files {
			if f.Path == p && w.Addon != addon {
				return f.Digest, true
			}
		}
	}
	row := req.Ledger[p]
	for _, c := range row.Claims {
		if c.Addon == addon || c.Role == draft.Overlays {
			continue
		}
		if c.Brings.Digest.IsZero() {
			return row.State.Digest, true // of early records, in which nothing was overlaid
		}
		return c.Brings.Digest, true
	}
	return tree.Digest{}, false
}

// mergedWords says what came together in a packed file.
func mergedWords(parts []model.MergePart, replaced []tree.Path) string {
	if len(replaced) == 0 {
		return words.Count(len(parts), "file") + " added to it"
	}
	return words.Count(len(parts), "file") + ", replacing " + words.Few(replaced)
}
