package insight

import (
	"context"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/needs"
)

// Suspects gives the add-ons of a server that run and can be disabled, those that are disabled,
// and of all that run which others each needs, by their keys.
func (s *Service) Suspects(ctx context.Context, server string) (addons, off []string, needed map[string][]string, err error) {
	st, err := s.Status(ctx, server)
	if err != nil {
		return nil, nil, nil, err
	}
	b, _, err := s.Books.Book(ctx, st.Server.Rulebook)
	if err != nil {
		return nil, nil, nil, err
	}
	all, err := s.Records.CrateFacts(ctx, st.Server.Rulebook)
	if err != nil {
		return nil, nil, nil, err
	}
	told, here := factsOf(all), map[string]bool{}
	for _, a := range st.Addons {
		here[a.Key] = true
	}
	needed = map[string][]string{}
	for _, a := range st.Addons {
		switch {
		case a.Disabled:
			off = append(off, a.Key)
		case a.Listed:
			addons = append(addons, a.Key)
		}
		c := told.crates[a.Crate]
		if c == nil || a.Disabled {
			continue
		}
		item := needs.Item{ID: a.Crate.String(), Key: a.Key, Name: a.Name, Version: a.Version}
		item.Speaks(c.Facts, func(name string) bool { return b.IsGame(name) || b.IsLoader(name) })
		for _, w := range item.Needs {
			if key := layout.Key(w.Name); here[key] {
				needed[a.Key] = append(needed[a.Key], key)
			}
		}
	}
	return addons, off, needed, nil
}
