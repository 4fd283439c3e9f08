package requests

import (
	"context"
	"errors"
	"maps"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// Lists tells the draft which load lists the server has, and where what they name
// stands. A list whose path differs from add-on to add-on is told with these.
func Lists(b *rulebook.Book, srv model.Server, req *draft.Request) {
	for _, l := range b.Lists {
		list, at, err := l.On(shared(b, srv.Variables))
		if err != nil {
			continue // its path belongs to each add-on
		}
		req.Lists = append(req.Lists, draft.Listed{Path: at, Name: l.Name, List: list, Rules: nameRules(b, l, srv.Variables), Listless: listless(b, l)})
	}
}

// shared are a server's values without those that each add-on has for itself.
func shared(b *rulebook.Book, values map[string]string) map[string]string {
	out := maps.Clone(values)
	for _, v := range b.Variables {
		if v.PerAddon {
			delete(out, v.Name)
		}
	}
	return out
}

// nameRules finds, from how the listed kinds are put, where the names in a list
// come from. Where that cannot be told there are none, and nothing is compared.
func nameRules(b *rulebook.Book, l rulebook.LoadList, values map[string]string) (out []draft.NameRule) {
	if l.KeyWord() != "name" {
		return nil
	}
	for i := range b.Kinds {
		k := &b.Kinds[i]
		if !l.Lists(k.Name) || k.Listed != "" {
			continue
		}
		told := false
		for _, r := range k.Rules {
			folder, err := b.Resolve(r.Place, shared(b, values))
			if r.Leave || r.Into != "" || err != nil {
				continue
			}
			switch {
			case strings.HasPrefix(r.As, "{name}/"):
				out, told = append(out, draft.NameRule{Folder: folder, Folders: true}), true
			case strings.HasPrefix(r.As, "{name}.") && !strings.Contains(r.As[6:], "{"):
				out, told = append(out, draft.NameRule{Folder: folder, Suffix: r.As[6:]}), true
			case r.As == "{file}" && len(k.Single) > 0:
				suffix := path.Ext(k.Single[0])
				out, told = append(out, draft.NameRule{Folder: folder, Suffix: suffix, Name: func(base string) string {
					return b.Known.Tell(version.DropCounter(strings.TrimSuffix(base, suffix))).Name
				}}), true
			}
		}
		if !told {
			return nil
		}
	}
	return out
}

// listless tells of names that the list may hold without a thing on disk: ids.
func listless(b *rulebook.Book, l rulebook.LoadList) func(string) bool {
	return func(name string) bool {
		return slices.ContainsFunc(b.Kinds, func(k rulebook.Kind) bool { return l.Lists(k.Name) && k.Takes(name) })
	}
}

// listings are the entries that a crate needs. values are the server's with those
// that the add-on has for itself.
func (s *Maker) listings(ctx context.Context, b *rulebook.Book, c model.Crate, values map[string]string, w *draft.Wanted, crates []model.Crate, req *draft.Request) error {
	for _, l := range b.Lists {
		if !l.Lists(c.Body.Kind) {
			continue
		}
		list, at, err := l.On(values)
		if err != nil {
			return fault.New(fault.Conflict, "list-gone", "%v", err)
		}
		with := maps.Clone(values)
		with["name"], with["version"] = c.Body.Name, c.Body.Version
		if len(w.Files) > 0 {
			with["file"] = w.Files[0].Path.Base()
		}
		wish := draft.Wish{Path: at, Listing: draft.Listing{Addon: c.Key, Label: w.Label(), Crate: c.Digest, Name: l.Name, List: list, Key: with[l.KeyWord()], With: map[string]string{}}}
		for _, word := range rulebook.Placeholders(l.Entry) {
			if word != l.KeyWord() {
				wish.Listing.With[word] = with[word]
			}
		}
		if len(wish.Listing.With) == 0 {
			wish.Listing.With = nil
		}
		if list.Order == settings.ByNeeds {
			if wish.Before, err = s.needing(ctx, c, l, crates, req, at); err != nil {
				return err
			}
		}
		w.Listings = append(w.Listings, wish)
	}
	return nil
}

// needing gives the names in a list of what needs an add-on.
func (s *Maker) needing(ctx context.Context, c model.Crate, l rulebook.LoadList, crates []model.Crate, req *draft.Request, at tree.Path) (out []string, err error) {
	needs := func(o model.Crate) bool {
		return slices.ContainsFunc(o.Body.Facts, func(f layout.Fact) bool {
			return f.Kind == rulebook.Needs && (layout.Key(f.Name) == c.Key || layout.Key(f.Name) == layout.Key(c.Body.Name))
		})
	}
	for _, o := range crates {
		if o.Key != c.Key && l.Lists(o.Body.Kind) && needs(o) {
			out = append(out, o.Body.Name)
		}
	}
	for _, known := range req.Ledger[at].Listed {
		o, err := s.Records.CrateByDigest(ctx, known.Crate)
		if errors.Is(err, model.ErrNotFound) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if known.Name == l.Name && needs(o) {
			out = append(out, known.Key)
		}
	}
	return out, nil
}

// toggles checks that add-ons can be disabled or enabled: that they are named
// somewhere.
func toggles(names []string, off bool, req *draft.Request) (string, error) {
	verb := "enable"
	if off {
		verb = "disable"
	}
	for _, name := range names {
		key := layout.Key(name)
		if !req.Present[key] {
			return "", fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on this server", name).By(finding.ShowAddons.With())
		}
		if len(listedOn(req.Ledger, key)) == 0 {
			return "", fault.New(fault.Conflict, "not-listed", "%s is named in no load list, so it cannot be %sd without taking it away", name, verb).WithMend("Remove it; a rollback brings it back.")
		}
		req.Toggles = append(req.Toggles, draft.Toggle{Addon: key, Name: name, Off: off})
	}
	return verb + " " + words.Few(names), nil
}

// listedOn gives the entries of an add-on.
func listedOn(ledger map[tree.Path]draft.Row, key string) (out []draft.Listing) {
	for _, row := range ledger {
		for _, l := range row.Listed {
			if l.Addon == key {
				out = append(out, l)
			}
		}
	}
	return out
}
