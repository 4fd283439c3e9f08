package changes

import (
	"context"
	"fmt"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/service/drafts"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// nextLeg drafts the next leg of a deployment, now that the server has run and
// has made what the leg is about. It is written down before anything of it is
// done. A block in it waits for a person.
func (s driver) nextLeg(ctx context.Context, srv model.Server, run *deploy.Run, d *model.Deployment, tell progress.Tell) error {
	tell.Note("the first leg is done; the next one is drafted")
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return err
	}
	req := &draft.Request{Host: requests.HostOf(srv), Protected: b.Protected, CaseBlind: b.CaseBlind, FirstRun: b.FirstRun, Held: func(tree.Digest) bool { return true }, Sets: d.Draft.Sets}
	if req.Ledger, err = s.Records.Ledger(ctx, srv.ID); err != nil {
		return err
	}
	req.Present = requests.OnServers(req.Ledger)
	requests.Lists(b, srv, req)
	if req.Power, err = s.drafter().Power(ctx, srv, run.Host, requests.Ask{}); err != nil {
		return err
	}
	if req.Power == nil {
		return fmt.Errorf("the next leg stops and starts %s, and how is not known any more", srv.Name)
	}
	plan := draft.LookNext(&d.Draft, req)
	obs, _, _, err := s.drafter().List(ctx, run.Host, plan)
	if err != nil {
		return err
	}
	if obs.Texts, err = drafts.ReadTexts(ctx, run.Host, obs, plan); err != nil {
		return err
	}
	next, found := draft.MakeNext(&d.Draft, req, obs)
	if open := finding.Open(found, d.Accepts); len(open) > 0 {
		return &deploy.WaitingError{Text: fmt.Sprintf("%s %s", open[0].What, open[0].Mend)}
	}
	d.Draft = *next
	if err := s.Records.SaveDraft(ctx, *d); err != nil {
		return err
	}
	run.Extend(&d.Draft)
	return nil
}
