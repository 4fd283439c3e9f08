package requests

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// unload puts a pallet's crates in the place of its name, and adds what it
// retires to the request: add-ons that came with another version of the same pallet,
// and which this one does not hold. Members that a person leaves out, and those of which
// the server has a newer version, are not among them; parts.known are told of both.
func (s *Maker) unload(ctx context.Context, srv model.Server, ask *Ask, parts *parts, req *draft.Request) error {
	var crates []string
	for _, ref := range ask.Crates {
		p, err := s.pallet(ctx, srv, ref)
		if err != nil {
			return err
		}
		if p == nil {
			if !parts.leaves(ref) {
				crates = append(crates, ref)
			}
			continue
		}
		on := installed(req.Ledger)
		for _, c := range p.Members {
			take, kept := parts.member(*p, c, on[c.Key])
			if kept != "" {
				ask.Kept = append(ask.Kept, kept)
			}
			if take {
				crates = append(crates, c.Digest.String())
			}
		}
		retired, err := s.retired(ctx, *p, req.Ledger)
		if err != nil {
			return err
		}
		ask.Retire = append(ask.Retire, retired...)
	}
	if len(crates) == 0 && len(ask.Crates) > 0 {
		return fault.New(fault.Usage, "bad-request", "all that was asked for is left out: %s", words.Few(parts.without))
	}
	ask.Crates, req.Kept = crates, ask.Kept
	for _, key := range ask.Retire {
		if req.Present[key] {
			req.Remove = append(req.Remove, draft.Removal{Addon: key, Name: key})
		}
	}
	return nil
}

// installed gives the versions of the add-ons that a ledger knows.
func installed(ledger map[tree.Path]draft.Row) map[string]string {
	out := map[string]string{}
	for _, row := range ledger {
		for _, c := range row.Claims {
			if i := strings.LastIndexByte(c.Label, '@'); i >= 0 {
				out[c.Addon] = c.Label[i+1:]
			}
		}
	}
	return out
}

// leaves tells whether a crate that is asked for by its name is left out.
func (p *parts) leaves(ref string) (out bool) {
	r, err := layout.ParseRef(ref)
	for _, word := range p.without {
		if err == nil && layout.Key(word) == layout.Key(r.Name) {
			p.met[word], out = true, true
		}
	}
	return out
}

// leftOut marks a member of a pallet that a person leaves out, among the pallet's choices.
const leftOut = "without "

// member decides whether a pallet's crate is taken, and says why it is not.
func (p *parts) member(of model.Pallet, c model.Crate, there string) (take bool, why string) {
	key := model.PalletChoice(of.Key)
	named := func(list []string) bool {
		found := false
		for _, word := range list {
			if k := layout.Key(word); k == c.Key || k == layout.Key(c.Body.Name) {
				p.met[word], found = true, true
			}
		}
		return found
	}
	with, without := named(p.with), named(p.without)
	switch {
	case without, !with && slices.Contains(p.before[key], leftOut+c.Key):
		p.taken[key] = append(p.taken[key], leftOut+c.Key)
		return false, fmt.Sprintf("%s of %s is left out, as you said.", c.Body.Label(), of.Label())
	case !with && there != "" && version.Compare(there, c.Body.Version) > 0:
		return false, fmt.Sprintf("%s %s is on the server, which is newer than the %s of %s; it stays.", c.Body.Name, there, c.Body.Version, of.Label())
	}
	if p.taken[key] == nil {
		p.taken[key] = []string{}
	}
	return true, ""
}

// pallet finds the pallet that a word names; nil where it names a crate, or
// nothing at all, which is then told as for a crate.
func (s *Maker) pallet(ctx context.Context, srv model.Server, ref string) (*model.Pallet, error) {
	_, err := s.Catalog.FindCrate(ctx, srv.Rulebook, ref)
	var f *fault.Error
	if err == nil || !errors.As(err, &f) || f.Code != "crate-unknown" {
		return nil, nil // what is wrong with a crate's name is told where it is wanted
	}
	r, err := layout.ParseRef(ref)
	if err != nil {
		return nil, nil
	}
	all, err := s.Catalog.Pallets(ctx, srv.Rulebook, r.Name)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(all, func(p model.Pallet) bool { return r.Version == "" || p.Version == r.Version })
	if i < 0 {
		return nil, nil
	}
	return &all[i], nil
}

// retired gives the add-ons that came with a version of a pallet that is on the server, in
// whatever version they are now, and which this one does not hold.
func (s *Maker) retired(ctx context.Context, now model.Pallet, ledger map[tree.Path]draft.Row) ([]string, error) {
	all, err := s.Catalog.PalletMembers(ctx, now.Rulebook)
	if err != nil {
		return nil, err
	}
	crates, there := map[tree.Digest]bool{}, map[string]bool{}
	add := func(addon string, crate tree.Digest) { crates[crate], there[addon] = true, true }
	for _, row := range ledger {
		for _, c := range row.Claims {
			add(c.Addon, c.Crate)
		}
		for _, l := range row.Listed {
			add(l.Addon, l.Crate)
		}
	}
	on := map[int64]bool{} // versions of the pallet of which something is on the server
	for _, m := range all {
		if m.Key == now.Key && m.Pallet != now.ID && crates[m.Crate] {
			on[m.Pallet] = true
		}
	}
	kept := map[string]bool{}
	for _, c := range now.Members {
		kept[c.Key] = true
	}
	var out []string
	for _, m := range all {
		if on[m.Pallet] && there[m.Addon] && !kept[m.Addon] && !slices.Contains(out, m.Addon) {
			out = append(out, m.Addon)
		}
	}
	slices.Sort(out)
	return out, nil
}
