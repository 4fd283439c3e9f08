package insight

import (
	"context"
	"errors"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// odd lists what is known of every add-on that looks wrong and is harmless: what
// people have noted of it, and what the rulebook says of its whole kind.
func (s *Service) odd(ctx context.Context, srv model.Server, addons []Addon) error {
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	noted, err := s.Records.Oddities(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	for i := range addons {
		a := &addons[i]
		a.Oddities = append(model.OdditiesOf(noted, a.Key), b.OdditiesOf(a.Kind)...)
	}
	return nil
}

// NoteOddity records something harmless that is known of an add-on, for every server
// of the same rulebook. With forget it is forgotten.
func (s *Service) NoteOddity(ctx context.Context, server, addon, text string, forget bool, actor string) error {
	st, err := s.Status(ctx, server)
	if err != nil {
		return err
	}
	text = strings.TrimSpace(text)
	if text == "" {
		return fault.New(fault.Usage, "bad-request", "say what is odd and harmless about %s", addon)
	}
	o := model.Oddity{Rulebook: st.Server.Rulebook, Addon: layout.Key(addon), Text: text, Actor: actor}
	if forget {
		err := s.Records.DropOddity(ctx, o)
		if errors.Is(err, model.ErrConflict) {
			return fault.New(fault.Unknown, "oddity-unknown", "nothing of the kind is known of %s: %s", addon, text).By(finding.ShowAddons.On(server))
		}
		return err
	}
	for _, a := range st.Addons {
		if a.Key == o.Addon {
			return s.Records.AddOddity(ctx, o)
		}
	}
	return noAddon(server, addon)
}

func noAddon(server, addon string) error {
	return fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on %s", addon, server).By(finding.ShowAddons.On(server))
}
