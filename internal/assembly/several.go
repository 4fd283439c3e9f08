package assembly

import (
	"context"
	"errors"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/files"
	"restlesscrate/internal/service/groups"
	"restlesscrate/internal/service/insight"
	"restlesscrate/internal/service/packing"
	"restlesscrate/internal/service/promotion"
	"restlesscrate/internal/stockroom"
)

// several wires what is about more than one server.
func (s *Service) several(p Parts, cat *catalog.Service, ins *insight.Service) {
	s.API.Groups = &groups.Service{Records: p.DB, Changes: s.Changes, Find: s.Hosts.Find}
	book := func(ctx context.Context, name string) (*rulebook.Book, error) {
		b, _, err := cat.Book(ctx, name)
		return b, err
	}
	s.API.Files = &files.Service{Records: p.DB, Find: s.Hosts.Find, Book: book, Open: p.Room.Open, NotHeld: func(err error) bool {
		var damaged *stockroom.DamagedError
		return errors.Is(err, stockroom.ErrNotHeld) || errors.As(err, &damaged)
	}}
	s.API.Packing = &packing.Service{Records: p.DB, Find: s.Hosts.Find, Book: book, Key: cat.AddonKey, Open: p.Room.Open, Seal: p.Sealer.Seal, Unseal: p.Sealer.Unseal, Keyed: p.Sealer.Keyed, Counter: counter(p.DB)}
	s.API.Promotion = &promotion.Service{Records: p.DB, Find: s.Hosts.Find,
		Book: book,
		Addons: func(ctx context.Context, server string) (out []promotion.Addon, err error) {
			st, err := ins.Status(ctx, server)
			for _, a := range st.Addons {
				out = append(out, promotion.Addon{Key: a.Key, Name: a.Name, Version: a.Version, Crate: a.Crate, Disabled: a.Disabled})
			}
			return out, err
		},
		Texts: func(ctx context.Context, server string) (out []tree.Path, err error) {
			list, err := s.API.Texts.List(ctx, server, false)
			for _, t := range list {
				out = append(out, t.Path)
			}
			return out, err
		},
		Values: func(ctx context.Context, server string, at tree.Path) (out []promotion.Known, err error) {
			shown, err := s.API.Texts.Show(ctx, server, at, false)
			for _, v := range shown.Values {
				if v.Kind == "value" {
					out = append(out, promotion.Known{Path: v.Path, Value: v.Value, Secret: v.Secret})
				}
			}
			return out, err
		}}
}
