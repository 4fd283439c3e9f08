package insight

import (
	"context"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// TweakOn is a tweak that holds on a text of a server.
type TweakOn struct {
	Path tree.Path
	draft.Tweaked
}

// Tweaks lists the tweaks that hold on a server, by text and in their order.
func (s *Service) Tweaks(ctx context.Context, server string) (out []TweakOn, err error) {
	srv, err := s.server(ctx, server)
	if err != nil {
		return nil, err
	}
	_, rows, err := s.Records.Texts(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	marks, err := s.Records.SecretMarks(ctx, srv.ID)
	for _, p := range slices.Sorted(maps.Keys(rows)) {
		for _, k := range rows[p].Tweaks {
			k.Tweak.Hidden = k.Tweak.Hidden || marks.Has(p, k.Tweak.At)
			out = append(out, TweakOn{p, k})
		}
	}
	return out, err
}
