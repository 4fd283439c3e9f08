package changes

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"regexp"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// wait records that a deployment waits for a person.
func (s driver) wait(ctx context.Context, d model.Deployment, run *deploy.Run, w *deploy.WaitingError) (model.Deployment, error) {
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
	return s.Records.OutlineByID(ctx, d.ID)
}

// checkHand checks whether what a person says is done shows on the server.
func (s driver) checkHand(ctx context.Context, d model.Deployment, words string) error {
	i := slices.IndexFunc(d.Draft.Checked, func(h draft.Hand) bool { return h.Words() == words && h.File != "" })
	if i < 0 {
		return nil
	}
	hand := d.Draft.Checked[i]
	_, h, err := s.connect(ctx, d)
	if err != nil {
		return err
	}
	defer h.Close()
	no := func(what string) error {
		return fault.New(fault.Conflict, "not-seen", "%s is not ticked: %s", d.Name(), what).
			WithMend("Do it, then tick again; or tick it all the same.").By(finding.TickUnchecked.On(d.Name()))
	}
	text, err := deploy.ReadText(ctx, h, hand.File)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return no(fmt.Sprintf("%s is not on the server", hand.File))
	case err != nil:
		return err
	case hand.Match != "":
		re, err := regexp.Compile("(?m)" + hand.Match)
		if err != nil {
			return err
		}
		if !re.Match(text) {
			return no(fmt.Sprintf("%s holds nothing like %s", hand.File, hand.Match))
		}
	}
	return nil
}

// Tick is a person's word that what a waiting deployment waits for is done. It
// goes on. What can be checked is, unless unchecked is set.
func (s *Service) Tick(ctx context.Context, d model.Deployment, unchecked bool, actor string, tell progress.Tell) (model.Deployment, error) {
	if d.State != model.Waiting {
		return d, fault.New(fault.Conflict, "wrong-state", "%s is %s; only what waits for a person can be ticked", d.Name(), d.State)
	}
	asked := d.Trouble
	return s.drive().goOn(ctx, d, actor, tell, func(now model.Deployment) error {
		if now.State != model.Waiting || now.Trouble != asked {
			return fault.New(fault.Conflict, "wrong-state", "%s does not wait for that any more: it is %s", now.Name(), now.State).By(finding.ShowDeployment.On(now.Name()))
		}
		return s.drive().ticked(ctx, now, unchecked, actor)
	})
}

// ticked writes down that what a deployment waits for is done.
func (s driver) ticked(ctx context.Context, d model.Deployment, unchecked bool, actor string) error {
	marks, err := s.Records.Marks(ctx, d.ID)
	if err != nil {
		return err
	}
	for m := range d.Draft.Motions.All() {
		if !m.OfServer() || marks.At(deploy.KeyOf(m)).State != deploy.Intended {
			continue
		}
		if !unchecked {
			if err := s.checkHand(ctx, d, m.Subject); err != nil {
				return err
			}
		}
		done := deploy.Outcome{Motion: m, Result: deploy.Result{Told: deploy.Told{Words: "ticked by " + actor}}}
		if err := s.Records.Conclude(ctx, d.ID, []deploy.Outcome{done}); err != nil {
			return err
		}
		if m.Do == draft.UntilTicked {
			if err := s.Records.Tick(ctx, d.ServerID, m.Subject, actor); err != nil {
				return err
			}
		}
	}
	return nil
}
