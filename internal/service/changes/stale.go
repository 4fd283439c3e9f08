package changes

import (
	"context"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// stale keeps the new draft of a deployment whose old one is no longer true.
func (s readier) stale(ctx context.Context, d model.Deployment, made *draft.Draft, actor string) error {
	fresh := d
	fresh.Draft, fresh.Digest, fresh.Accepts, fresh.Actor = *made, made.Digest(), []finding.Accept{}, actor
	fresh, err := s.records.AddDeployment(ctx, fresh)
	if err != nil {
		return err
	}
	if err := s.records.Advance(ctx, d.ID, model.Discarded, model.Draft); err != nil {
		return err
	}
	f := fault.New(fault.Blocked, "draft-stale", "%s is no longer true: the server or the ledger has changed since. Nothing was done.", d.Name())
	f.Deployment = fresh.Name()
	return f.WithMend("%s is the new draft; read it and run that.", fresh.Name()).By(finding.ShowDeployment.On(fresh.Name()))
}
