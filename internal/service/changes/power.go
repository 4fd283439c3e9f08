package changes

import (
	"context"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// Powered stops, starts and listens to one server over an open host.
type Powered interface {
	deploy.Power
	// Controlled tells whether there is any way to do so.
	Controlled() bool
	// Known is what a draft has to know; nil where the server is not controlled.
	Known(ctx context.Context) *draft.Power
	// LogSince gives what the log has held since a mark.
	LogSince(ctx context.Context, since deploy.LogMark) (string, error)
	// Answers sends lines to the console and gives its answers, by line, as far as it can.
	Answers(ctx context.Context, lines []string) (map[string]string, error)
	// Ask asks the console what is loaded; ok is false where it cannot tell.
	Ask(ctx context.Context) (heard []rollcall.Heard, ok bool, err error)
}

// ReloadLine gives the console line that reloads an add-on.
func (s *Service) ReloadLine(ctx context.Context, server, addon string) (string, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return "", err
	}
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return "", err
	}
	ledger, err := s.Records.Ledger(ctx, srv.ID)
	if err != nil {
		return "", err
	}
	key, err := s.Catalog.AddonKey(ctx, srv.Rulebook, addon)
	if err != nil {
		return "", err
	}
	for _, row := range ledger {
		for _, c := range row.Claims {
			if c.Addon != key {
				continue
			}
			crate, err := s.Records.CrateByDigest(ctx, c.Crate)
			if err != nil {
				return "", err
			}
			if e := requests.EffectOf(b, crate); e.Reload != "" {
				return e.Reload, nil
			}
			return "", fault.New(fault.Conflict, "no-reload", "%s cannot be reloaded: its kind, %s, takes effect at a start", c.Label, crate.Body.Kind).WithMend("Have the server stopped and started instead.").By(finding.Restart.On(server))
		}
	}
	return "", fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on %s", addon, server).By(finding.ShowAddons.On(server))
}

// powered gives a run what it stops and starts the server by.
func (s driver) powered(ctx context.Context, srv model.Server, run *deploy.Run) (Powered, error) {
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return nil, err
	}
	p, err := s.Hosts.Power(ctx, srv, run.Host, b)
	if err != nil {
		return nil, err
	}
	if p.Controlled() {
		run.Power = p
	}
	return p, nil
}

// awake measures how long the server was away, and takes what was not ours out of
// the swap.
func (s driver) awake(ctx context.Context, d *model.Deployment) error {
	marks, err := s.Records.Marks(ctx, d.ID)
	if err != nil {
		return err
	}
	away, hand := int64(0), int64(0)
	for m := range d.Draft.Motions.All() {
		if !m.OfServer() || m.Do == power.Reload {
			continue
		}
		ms := marks.At(deploy.KeyOf(m)).Result.MS
		byHand := m.Do == draft.UntilTicked || m.Subject != "" && (m.Do == power.Stop || m.Do == power.Start)
		if byHand && (m.Phase == draft.Prepare || m.Do == power.Stop) {
			continue // the server was not away yet
		}
		if away += ms; byHand {
			hand += ms
			continue // a person's time is no part of the phases
		}
		if m.Phase == draft.Swap {
			d.Figures.SwapMS = max(0, d.Figures.SwapMS-ms)
		}
	}
	if away > 0 {
		d.Figures.AwayMS, d.Figures.HandMS = away+d.Figures.SwapMS, hand
	}
	return nil
}
