package assembly

import (
	"context"

	core "restlesscrate/internal/core/desk"
	"restlesscrate/internal/core/feed"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/desk"
	"restlesscrate/internal/service/insight"
	"restlesscrate/internal/service/packing"
)

// desk wires what tells what needs a person.
func (s *Service) desk(p Parts, cat *catalog.Service, ins *insight.Service) {
	s.API.Desk = &desk.Service{Records: p.DB, Statuses: ins.Statuses, Join: packing.Join,
		Released: func(ctx context.Context, st insight.Status) (out []string, err error) {
			b, _, err := cat.Book(ctx, st.Server.Rulebook)
			if err != nil {
				return nil, err
			}
			have := make([]feed.Have, len(st.Addons))
			for i, a := range st.Addons {
				have[i] = insight.HaveOf(a)
			}
			newest, err := s.API.Feeds.Beside(ctx, b, st.Server.Known(), have)
			for i, a := range newest {
				if a != nil && !a.Verdict.State.Bad() && !st.Addons[i].Hold.Held {
					out = append(out, st.Addons[i].Name+" "+a.Version)
				}
			}
			return out, err
		},
		Untaken: func(ctx context.Context) (out []core.Download, err error) {
			list, err := catalog.Archives{Service: cat}.Loose(ctx)
			for _, l := range list {
				if left, choices := said(l); left == 0 {
					why := "no rulebook in use takes it"
					if choices > 0 {
						why = "which folder in it is the add-on has to be chosen"
					}
					out = append(out, core.Download{Name: l.Archive.Filename, Why: why, At: l.Archive.CreatedAt.UnixMilli()})
				}
			}
			return out, err
		}}
}

// said tells how many crates of an archive have left the list, and how many choices it asks for.
func said(l catalog.Loose) (left, choices int) {
	for _, b := range l.Said {
		left += b.Crates
		choices += len(b.Choices)
	}
	return left, choices
}
