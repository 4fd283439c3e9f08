package drafts

import (
	"context"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
)

// worthMeasuring is how much a deployment must have sent and fetched to tell what
// the line carries.
const worthMeasuring = 1 << 20

// Power is what is known of a server's power, for a draft.
func (s *Drafter) Power(ctx context.Context, srv model.Server, h remote.Host, ask requests.Ask) (*draft.Power, error) {
	k, err := s.Known(ctx, srv, h)
	if k == nil || err != nil {
		return nil, err
	}
	if k.Leave, k.Trial = ask.Leave, ask.Trial; ask.Restart {
		k.Reload = false
	}
	list, err := s.Records.Deployments(ctx, srv.Name, 0, 20)
	for _, d := range list {
		if d.State == model.Done && d.Figures.AwayMS > 0 {
			k.Away = d.Figures.AwayMS - d.Figures.SwapMS
			break
		}
	}
	return k, err
}

// rate is what the line to a server carried the last time, bytes a second; 0 where
// that is not known.
func (s *Drafter) rate(ctx context.Context, srv model.Server) (int64, error) {
	list, err := s.Records.Deployments(ctx, srv.Name, 0, 20)
	for _, d := range list {
		if n := d.Figures.Sent + d.Figures.Kept; d.State == model.Done && n >= worthMeasuring && d.Figures.PrepareMS > 0 {
			return n * 1000 / d.Figures.PrepareMS, err
		}
	}
	return 0, err
}
