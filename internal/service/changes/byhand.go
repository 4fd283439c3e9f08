package changes

import (
	"context"
	"errors"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// hands are what a person has to do for the wanted add-ons, once on each server.
func (s *Service) hands(ctx context.Context, srv model.Server, b *rulebook.Book, req *draft.Request) error {
	ticked, err := s.Records.Ticked(ctx, srv.ID)
	if err != nil {
		return err
	}
	for _, h := range b.ByHand {
		i := slices.IndexFunc(req.Wanted, func(w draft.Wanted) bool { return len(h.Kinds) == 0 || slices.Contains(h.Kinds, w.Effect.Kind) })
		if i < 0 {
			continue
		}
		text, err := rulebook.Fill(h.Text, func(name string) (string, bool) {
			switch name {
			case "name":
				return req.Wanted[i].Name, true
			case "version":
				return req.Wanted[i].Version, true
			}
			v, ok := srv.Variables[name]
			return v, ok
		})
		if err != nil {
			return fault.New(fault.Conflict, "by-hand-text", "rulebook %s: %v", b.Name, err)
		}
		hand := draft.Hand{What: h.What, Text: text, Why: "no file reaches it; " + req.Wanted[i].Label() + " needs it"}
		if !ticked[hand.Words()] {
			req.Hands = append(req.Hands, hand)
		}
	}
	return nil
}

// wait records that a deployment waits for a person.
func (s *Service) wait(ctx context.Context, d model.Deployment, run *deploy.Run, w *deploy.Waiting) (model.Deployment, error) {
	d.Notes = append(d.Notes, run.Notes()...)
	d.Figures.Sent += run.Sent()
	d.Trouble = w.Text
	s.Log.Info("waiting for a person", "deployment", d.Name(), "for", w.Text)
	err := s.insist(ctx, d, func(ctx context.Context) error {
		return errors.Join(s.Records.SaveRun(ctx, d), s.Records.Wait(ctx, d.ID, w.Text))
	})
	if err != nil {
		return d, err
	}
	return s.Records.DeploymentByID(ctx, d.ID)
}

// Tick is a person's word that what a waiting deployment waits for is done. It
// goes on.
func (s *Service) Tick(ctx context.Context, d model.Deployment, actor string, tell Tell) (model.Deployment, error) {
	if d.State != model.Waiting {
		return d, fault.New(fault.Conflict, "wrong-state", "%s is %s; only what waits for a person can be ticked", d.Name(), d.State)
	}
	marks, err := s.Records.Marks(ctx, d.ID)
	if err != nil {
		return d, err
	}
	for _, m := range d.Draft.Motions {
		if !m.OfServer() || marks[deploy.KeyOf(m)].State != deploy.Intended {
			continue
		}
		done := deploy.Outcome{Motion: m, Result: deploy.Result{Words: "ticked by " + actor}}
		if err := s.Records.Conclude(ctx, d.ID, []deploy.Outcome{done}); err != nil {
			return d, err
		}
		if m.Do == draft.UntilTicked {
			if err := s.Records.Tick(ctx, d.ServerID, m.Subject, actor); err != nil {
				return d, err
			}
		}
	}
	return s.goOn(ctx, d, model.Waiting, actor, tell)
}
