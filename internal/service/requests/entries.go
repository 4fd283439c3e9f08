package requests

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// listings are the entries that a crate needs. values are the server's with those that the
// add-on has for itself; files are what of the crate is put, below its places.
func listings(b *rulebook.Book, c model.Crate, values map[string]string, files []layout.File, w *draft.Wanted) error {
	for _, l := range b.Lists {
		if !l.Lists(c.Body.Kind) {
			continue
		}
		list, at, err := l.On(b, values)
		if err != nil {
			return fault.New(fault.Conflict, "list-gone", "%v", err)
		}
		word := l.KeyWord(b)
		for _, with := range entries(l, c, values, files) {
			key, err := with[word], error(nil)
			if word == "" {
				key, err = rulebook.Fill(l.Entry, func(word string) (string, bool) { v, ok := with[word]; return v, ok })
			}
			if err != nil {
				return fault.New(fault.Conflict, "list-gone", "load list %s: %v", l.Name, err)
			}
			delete(with, word)
			if word == "" || len(with) == 0 {
				with = nil
			}
			w.Listings = append(w.Listings, draft.Wish{Path: at, Listing: draft.Listing{Addon: c.Key, Label: w.Label(), Crate: c.Digest, Name: l.Name, List: list, Key: key, With: with}})
		}
	}
	return nil
}

// entries give what the placeholders of an entry stand for, once for each entry that a
// crate needs: one, or several where it is made from files or from what these tell.
func entries(l rulebook.LoadList, c model.Crate, values map[string]string, files []layout.File) []map[string]string {
	out := []map[string]string{{}}
	for _, word := range rulebook.Placeholders(l.Entry) {
		var next []map[string]string
		for _, with := range out {
			if _, twice := with[word]; twice {
				next = append(next, with)
				continue
			}
			for _, value := range standsFor(word, l, c, values, files) {
				more := maps.Clone(with)
				more[word] = value
				next = append(next, more)
			}
		}
		out = next
	}
	return out
}

// standsFor are the values of a placeholder of an entry.
func standsFor(word string, l rulebook.LoadList, c model.Crate, values map[string]string, files []layout.File) []string {
	switch word {
	case "name":
		return []string{c.Body.Name}
	case "version":
		return []string{c.Body.Version}
	case "id":
		return []string{cmp.Or(c.Body.ID, c.Body.Name)}
	case "folder", "file":
		return fromFiles(word, l.Files, files)
	}
	if told := c.Body.Tells[word]; len(told) > 0 {
		return told
	}
	if v := values[word]; v != "" { // an add-on in no group needs no entry for one
		return []string{v}
	}
	return nil
}

// fromFiles gives the names of the files that the globs match, or of the folders in which
// these lie in their place; without globs the first one.
func fromFiles(word string, globs []string, files []layout.File) (out []string) {
	for _, f := range files {
		name := f.Path.Base()
		if word == "folder" {
			first, _, inside := strings.Cut(string(f.Path), "/")
			if !inside {
				continue
			}
			name = first
		}
		named := len(globs) == 0 && len(out) == 0 || slices.ContainsFunc(globs, func(g string) bool {
			return doublestar.MatchUnvalidated(g, string(f.Path))
		})
		if named && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

// order tells every entry of a list in which needs count which others must not come before
// it: those of what needs it.
func (s *Maker) order(ctx context.Context, crates []model.Crate, req *draft.Request) error {
	for i := range req.Wanted {
		w := &req.Wanted[i]
		for n := range w.Listings {
			wish := &w.Listings[n]
			if wish.Listing.List.Order != settings.ByNeeds {
				continue
			}
			before, err := s.needing(ctx, crates[i], crates, wish, req)
			if err != nil {
				return err
			}
			wish.Before = before
		}
	}
	return nil
}

// needing gives the names in a list of what needs an add-on.
func (s *Maker) needing(ctx context.Context, c model.Crate, crates []model.Crate, wish *draft.Wish, req *draft.Request) (out []string, err error) {
	needs := func(o model.Crate) bool {
		return slices.ContainsFunc(o.Body.Facts, func(f layout.Fact) bool {
			return f.Kind == rulebook.Needs && (layout.Key(f.Name) == c.Key || layout.Key(f.Name) == layout.Key(c.Body.Name))
		})
	}
	for i, o := range crates {
		if o.Key == c.Key || !needs(o) {
			continue
		}
		for _, other := range req.Wanted[i].Listings {
			if other.Path == wish.Path && other.Listing.Name == wish.Listing.Name {
				out = append(out, other.Listing.Key)
			}
		}
	}
	for _, known := range req.Ledger[wish.Path].Listed {
		if known.Name != wish.Listing.Name || known.Addon == c.Key {
			continue
		}
		o, err := s.Records.CrateByDigest(ctx, known.Crate)
		if errors.Is(err, model.ErrNotFound) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if needs(o) {
			out = append(out, known.Key)
		}
	}
	return out, nil
}

// allShared gives those with whom an add-on shares its entries, besides those that are named
// too; none where it has an entry of its own.
func allShared(ledger map[tree.Path]draft.Row, key string, names []string) (others []string) {
	for _, row := range ledger {
		for _, l := range row.Listed {
			if l.Addon != key {
				continue
			}
			i := slices.IndexFunc(row.Listed, func(o draft.Listing) bool {
				return o.Addon != key && l.Same(o) && !slices.ContainsFunc(names, func(n string) bool { return layout.Key(n) == o.Addon })
			})
			if i < 0 {
				return nil
			}
			if label := row.Listed[i].Label; !slices.Contains(others, label) {
				others = append(others, label)
			}
		}
	}
	return others
}
