package requests

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// wanted resolves crates and their real paths on this server. The ask then
// names them with their digests, so that it means the same when drafted again.
func (s *Maker) wanted(ctx context.Context, srv model.Server, b *rulebook.Book, ask *Ask, req *draft.Request) (string, []model.Crate, error) {
	parts, err := s.partsOf(ctx, srv, ask)
	if err != nil {
		return "", nil, err
	}
	if err := s.unload(ctx, srv, ask, parts, req); err != nil {
		return "", nil, err
	}
	if len(ask.InsteadOf) > 0 {
		if _, err := s.removals(ctx, srv, b, ask.InsteadOf, req); err != nil {
			return "", nil, err
		}
	}
	crates, err := s.crates(ctx, srv, b, ask, req)
	if err != nil {
		return "", nil, err
	}
	if ask.TakeNeeds {
		if crates, err = s.along(ctx, srv, b, crates, ask, req); err != nil {
			return "", nil, err
		}
	}
	names, err := s.want(ctx, srv, b, crates, parts, req)
	if err != nil {
		return "", nil, err
	}
	req.Shared = sharedFolders(b, srv)
	if ask.Adopt {
		req.Tweaks = nil // what a kind changes in texts is not done
		for i := range req.Wanted {
			req.Wanted[i].Adopt = true
			req.Wanted[i].Folders = append(req.Wanted[i].Folders, ownFolders(req.Shared, req.Wanted[i])...)
		}
	}
	if err := s.order(ctx, crates, req); err != nil {
		return "", nil, err
	}
	// What is asked for by itself is not retired with a pallet.
	req.Remove = slices.DeleteFunc(req.Remove, func(r draft.Removal) bool {
		return slices.ContainsFunc(req.Wanted, func(w draft.Wanted) bool { return w.Addon == r.Addon })
	})
	if err := parts.unknown(); err != nil {
		return "", nil, err
	}
	ask.Parts = parts.taken
	title := words.Few(names)
	req.Renamed = ask.Renamed
	if len(ask.InsteadOf) > 0 {
		title += " instead of " + words.Few(ask.InsteadOf)
		for _, old := range ask.InsteadOf {
			if slices.ContainsFunc(ask.Renamed, func(r draft.Renamed) bool { return r.From == old }) {
				continue
			}
			req.Instead = append(req.Instead, [2]string{old, crates[0].Body.Name})
		}
	}
	return title, crates, nil
}

// sharedFolders are the places of a server that several add-ons have in common, and what leads there.
func sharedFolders(b *rulebook.Book, srv model.Server) map[tree.Path]bool {
	shared := map[tree.Path]bool{tree.Root: true}
	for _, p := range b.Places {
		if at, err := b.Resolve(p.Name, srv.Variables); err == nil {
			for _, up := range append(at.Ancestors(), at) {
				shared[up] = true
			}
		}
	}
	return shared
}

// ownFolders are the folders of an add-on below the places in which its files lie: they go with it.
func ownFolders(shared map[tree.Path]bool, w draft.Wanted) (out []tree.Path) {
	done := map[tree.Path]bool{}
	for _, f := range w.Files {
		for _, up := range f.Path.Ancestors() {
			if !shared[up] && !done[up] {
				done[up] = true
				out = append(out, up)
			}
		}
	}
	return out
}

// want adds crates to a request, with their real paths on this server.
func (s *Maker) want(ctx context.Context, srv model.Server, b *rulebook.Book, crates []model.Crate, parts *parts, req *draft.Request) (names []string, err error) {
	brought := brought{}
	su, err := s.suits(ctx, srv, b, crates)
	if err != nil {
		return nil, err
	}
	there := cratesThere(req.Ledger)
	for _, c := range crates {
		var err error
		for _, f := range c.Findings {
			if f.Final {
				return nil, fault.New(fault.Blocked, "crate-unfit", "%s cannot be deployed: %s", c.Body.Label(), f.What).WithMend("%s", f.Mend).By(f.Remedies...)
			}
		}
		w := draft.Wanted{Effect: EffectOf(b, c), Addon: c.Key, Name: c.Body.Name, Version: c.Body.Version, Crate: c.Digest}
		if base := layout.Key(c.Body.Base); c.Body.Overlay && base != "" && !req.Present[base] && !slices.ContainsFunc(crates, func(o model.Crate) bool { return o.Key == base || layout.Key(o.Body.Name) == base }) {
			w.Lacks = c.Body.Base
		}
		if w.OtherKind, err = s.otherKind(ctx, c, there); err != nil {
			return nil, err
		}
		su.judge(c, &w)
		for _, said := range c.Body.Says {
			w.Says = append(w.Says, draft.Says{From: said.Source + tree.Path(fmt.Sprintf("#%d", said.Line)), Text: said.Text})
		}
		if w.Parts, err = parts.choose(c, su.facts); err != nil {
			return nil, err
		}
		values := parts.values(b, c, srv.Variables, &w)
		var put []layout.File
		merges := map[tree.Path][]model.MergePart{} // by the packed file
		for _, f := range c.Body.Files {
			if f.Optional != "" && !slices.Contains(parts.taken[c.Key], f.Optional) {
				continue
			}
			folder, err := placed(b, f.Place, values)
			if err != nil {
				return nil, err
			}
			if f.Into != "" {
				merges[folder.Join(f.Into)] = append(merges[folder.Join(f.Into)], model.MergePart{Path: f.Path, Digest: f.Digest})
				continue
			}
			put = append(put, f)
			w.Files = append(w.Files, draft.Target{Path: folder.Join(f.Path), Digest: f.Digest, Size: f.Size, Exec: f.Exec, Overlay: c.Body.Overlay, Settings: f.Settings || isSettings(b, folder.Join(f.Path))})
		}
		if err := folders(b, c, values, parts.taken[c.Key], &w); err != nil {
			return nil, err
		}
		if err := stillOff(b, c, values, &w, req); err != nil {
			return nil, err
		}
		if err := s.merge(ctx, b, merges, &w, brought, req); err != nil {
			return nil, err
		}
		if err := listings(b, c, values, put, &w); err != nil {
			return nil, err
		}
		if err := s.kindTweaks(b, srv, c, req); err != nil {
			return nil, err
		}
		req.Wanted = append(req.Wanted, w)
		names = append(names, w.Label())
	}
	return names, nil
}

// isSettings tells whether the rulebook calls a text of the server settings.
func isSettings(b *rulebook.Book, p tree.Path) bool {
	_, ok := b.TextRule(p)
	return ok
}

// placed gives the folder of a place on a server.
func placed(b *rulebook.Book, place string, values map[string]string) (tree.Path, error) {
	folder, err := b.Resolve(place, values)
	if err != nil {
		return "", fault.New(fault.Conflict, "place-gone", "%v", err).WithMend("Stage the archive again, so that it is laid out by the newest rulebook.")
	}
	return folder, nil
}

// folders adds the empty folders of a crate, without those of parts that are not taken.
func folders(b *rulebook.Book, c model.Crate, values map[string]string, taken []string, w *draft.Wanted) error {
	for _, f := range c.Body.Folders {
		if f.Optional != "" && !slices.Contains(taken, f.Optional) {
			continue
		}
		folder, err := placed(b, f.Place, values)
		if err != nil {
			return err
		}
		w.Folders = append(w.Folders, folder.Join(f.Path))
	}
	return nil
}

// otherKind gives the kind of an add-on on the server that has a crate's name and is of
// another one; empty where there is none. there are the crates of what is on the server.
func (s *Maker) otherKind(ctx context.Context, c model.Crate, there map[string]tree.Digest) (string, error) {
	crate, ok := there[c.Key]
	if !ok {
		return "", nil
	}
	old, err := s.Records.CrateByDigest(ctx, crate)
	if errors.Is(err, model.ErrNotFound) || err == nil && old.Body.Kind == c.Body.Kind {
		return "", nil
	}
	return old.Body.Kind, err
}

// cratesThere gives the crates of what is on a server, by add-on. What claims a path counts before
// what is only listed.
func cratesThere(ledger map[tree.Path]draft.Row) map[string]tree.Digest {
	out, listed := map[string]tree.Digest{}, map[string]tree.Digest{}
	for _, row := range ledger {
		for _, claim := range row.Claims {
			out[claim.Addon] = claim.Crate
		}
		for _, l := range row.Listed {
			listed[l.Addon] = l.Crate
		}
	}
	for addon, crate := range listed {
		if _, claims := out[addon]; !claims {
			out[addon] = crate
		}
	}
	return out
}

// removals checks that the add-ons are on the server. What was set for them goes back.
func (s *Maker) removals(ctx context.Context, srv model.Server, b *rulebook.Book, names []string, req *draft.Request) (string, error) {
	for _, name := range names {
		key := layout.Key(name)
		if !req.Present[key] {
			return "", fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on this server", name).By(finding.ShowAddons.On(srv.Name))
		}
		req.Remove = append(req.Remove, draft.Removal{Addon: key, Name: name})
	}
	again, err := s.mergedBeside(ctx, func(addon string) bool {
		return slices.ContainsFunc(req.Remove, func(r draft.Removal) bool { return r.Addon == addon })
	}, req)
	if err != nil {
		return "", err
	}
	if len(again) > 0 { // what they are merged into is made anew without what goes
		parts, err := s.partsOf(ctx, srv, &Ask{})
		if err != nil {
			return "", err
		}
		if _, err := s.want(ctx, srv, b, again, parts, req); err != nil {
			return "", err
		}
	}
	err = s.setsBack(ctx, srv, b, func(_ model.Deployment, set draft.Set) bool {
		return slices.ContainsFunc(req.Remove, func(r draft.Removal) bool { return r.Addon == set.Addon })
	}, req)
	return "remove " + words.Few(names), err
}

// EffectOf is when a change of a crate counts.
func EffectOf(b *rulebook.Book, c model.Crate) draft.Effect {
	for _, k := range b.Kinds {
		if k.Name != c.Body.Kind {
			continue
		}
		e := draft.Effect{Kind: k.Name, When: k.TakesEffect, Risky: k.Risky}
		if k.Reload != "" {
			line, err := rulebook.Fill(k.Reload, func(word string) (string, bool) { return reloaded(c.Body, word) })
			if err == nil {
				e.Reload = line
			}
		}
		return e
	}
	return draft.Effect{}
}

// reloaded is what a placeholder in the line that reloads an add-on stands for.
func reloaded(c layout.Crate, word string) (string, bool) {
	switch word {
	case "name":
		return c.Name, true
	case "id":
		return cmp.Or(c.ID, c.Name), true
	case "version":
		return c.Version, true
	case "file":
		if len(c.Files) > 0 {
			return c.Files[0].Path.Base(), true
		}
	}
	return "", false
}
