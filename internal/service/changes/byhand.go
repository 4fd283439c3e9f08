package changes

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
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
	d.Figures.WaitingSince = s.Now().UnixMilli()
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
func (s driver) checkHand(ctx context.Context, d model.Deployment, hand draft.Hand) error {
	if hand.File == "" || hand.Undoes {
		return nil
	}
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
		ok, otherwise, err := hand.Shows(hand.Match, string(text))
		switch {
		case err != nil:
			return err
		case otherwise != "":
			return no(fmt.Sprintf("%s says %s, not %s", hand.File, otherwise, hand.Value))
		case !ok:
			return no(fmt.Sprintf("%s holds nothing like %s", hand.File, hand.Match))
		}
	}
	return nil
}

// Tick is a person's word that what a waiting deployment waits for is done. It
// goes on, forward or back. What can be checked is, unless unchecked is set.
func (s *Service) Tick(ctx context.Context, d model.Deployment, unchecked bool, actor string, tell progress.Tell) (model.Deployment, error) {
	if d.State != model.Waiting {
		return d, fault.New(fault.Conflict, "wrong-state", "%s is %s; only what waits for a person can be ticked", d.Name(), d.State)
	}
	asked := d.Trouble
	still := func(now model.Deployment) error {
		if now.State != model.Waiting || now.Trouble != asked {
			return fault.New(fault.Conflict, "wrong-state", "%s does not wait for that any more: it is %s", now.Name(), now.State).By(finding.ShowDeployment.On(now.Name()))
		}
		return nil
	}
	if d.GoesBack {
		return s.back(ctx, d, false, actor, tell, func(now model.Deployment) error {
			if err := still(now); err != nil {
				return err
			}
			return s.drive().tickedBack(ctx, now, actor)
		})
	}
	return s.drive().goOn(ctx, d, actor, tell, func(now model.Deployment) error {
		if err := still(now); err != nil {
			return err
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
		hand, known := handOf(d, m)
		if known && !unchecked {
			if err := s.checkHand(ctx, d, hand); err != nil {
				return err
			}
		}
		waited := int64(0)
		if since := d.Figures.WaitingSince; since > 0 {
			waited = max(0, s.Now().UnixMilli()-since)
		}
		done := deploy.Outcome{Motion: m, Result: deploy.Result{Told: deploy.Told{Words: "ticked by " + actor, MS: waited}}}
		if err := s.Records.Conclude(ctx, d.ID, []deploy.Outcome{done}); err != nil {
			return err
		}
		key := model.HandKey{Addon: hand.Addon, What: hand.Rule}
		switch {
		case !known || hand.Rule == "":
		case hand.Undoes:
			err = s.Records.UndoByHand(ctx, d.ServerID, key)
		default:
			err = s.Records.DoByHand(ctx, d.ServerID, key, hand.Words(), actor)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// tickedBack writes down that what an undo waits for is done.
func (s driver) tickedBack(ctx context.Context, d model.Deployment, actor string) error {
	marks, err := s.Records.Marks(ctx, d.ID)
	if err != nil {
		return err
	}
	var last *draft.Motion // the undo goes backward, so that it waits at the last one
	for m := range d.Draft.Motions.All() {
		state := marks.At(deploy.KeyOf(m)).State
		if m.OfServer() && (state == deploy.Intended || state == deploy.Finished) {
			last = &m
		}
	}
	if last == nil {
		return nil
	}
	done := deploy.Outcome{Motion: *last, Result: deploy.Result{Told: deploy.Told{Words: "taken back by hand, ticked by " + actor}}}
	if err := s.Records.Reverse(ctx, d.ID, []deploy.Outcome{done}); err != nil {
		return err
	}
	hand, known := handOf(d, *last)
	key := model.HandKey{Addon: hand.Addon, What: hand.Rule}
	switch {
	case !known || hand.Rule == "":
		return nil
	case hand.Was != "":
		return s.Records.DoByHand(ctx, d.ServerID, key, hand.Was, actor)
	}
	return s.Records.UndoByHand(ctx, d.ServerID, key)
}

// handOf finds what a person does at a motion that waits for them.
func handOf(d model.Deployment, m draft.Motion) (draft.Hand, bool) {
	i := slices.IndexFunc(d.Draft.Checked, func(h draft.Hand) bool { return m.Do == draft.UntilTicked && h.Words() == m.Subject })
	if i < 0 {
		return draft.Hand{}, false
	}
	return d.Draft.Checked[i], true
}
