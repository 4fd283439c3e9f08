package changes

import (
	"context"
	"errors"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
)

// Undo takes a halted deployment back: every path it names is as before, and with
// data every data folder that it copied.
func (s *Service) Undo(ctx context.Context, d model.Deployment, data bool, actor string, tell progress.Tell) (model.Deployment, error) {
	if d.State != model.Halted && d.State != model.Waiting {
		return d, WrongState(d, "undo")
	}
	return s.back(ctx, d, data, actor, tell, func(now model.Deployment) error {
		if now.State != model.Halted && now.State != model.Waiting {
			return WrongState(now, "undo")
		}
		return nil
	})
}

// back takes a deployment back at its turn, if ready lets it.
func (s *Service) back(ctx context.Context, d model.Deployment, data bool, actor string, tell progress.Tell, ready func(model.Deployment) error) (model.Deployment, error) {
	d, end, err := s.drive().myTurn(ctx, d, tell)
	if err != nil {
		return d, err
	}
	defer end()
	if err := ready(d); err != nil {
		return d, err
	}
	srv, h, err := s.drive().connect(ctx, d)
	if err != nil {
		return d, err
	}
	run := s.drive().runner(srv, d, h, tell)
	defer func() { _ = run.Host.Close() }() // whichever it is by then
	d.Runner, run.Data = actor, data
	if _, err := s.readier().lock(ctx, srv, run, d); err != nil {
		return d, stillHalted(d, err)
	}
	defer s.drive().underway(d.ID, run)() // before anybody can read that it is being undone
	if err := s.Records.Advance(ctx, d.ID, model.Undoing, model.Halted, model.Waiting); err != nil {
		return d, errors.Join(err, s.drive().letGo(context.WithoutCancel(ctx), d, run))
	}
	return s.drive().takeBack(ctx, srv, run, d, tell)
}

// letGo gives the host's lock back where the deployment turns out to be over.
func (s driver) letGo(ctx context.Context, d model.Deployment, run *deploy.Run) error {
	now, err := s.Records.OutlineByID(ctx, d.ID)
	if err != nil || now.State.Open() || !run.Held {
		return err
	}
	return deploy.Unlock(ctx, run.Host)
}

// takeBack takes a deployment back that is being undone.
func (s driver) takeBack(ctx context.Context, srv model.Server, run *deploy.Run, d model.Deployment, tell progress.Tell) (model.Deployment, error) {
	s.wayBack().release(d.ID) // this is what it was kept for
	if _, err := s.powered(ctx, srv, run); err != nil {
		return s.halt(ctx, d, run, err)
	}
	err := s.rideOut(ctx, srv, run, tell, &d.Figures.LostLines, func() error { return run.Backward(ctx) })
	if waiting := (*deploy.WaitingError)(nil); errors.As(err, &waiting) {
		return s.wait(ctx, d, run, waiting)
	}
	if err != nil {
		return s.halt(ctx, d, run, err)
	}
	d.Notes = append(d.Notes, run.Notes()...)
	if err := errors.Join(s.Records.SaveRun(ctx, d), s.Records.Advance(ctx, d.ID, model.UndoneAll, model.Undoing)); err != nil {
		return d, err
	}
	s.Meter.Ended(d.Server, string(model.UndoneAll), 0)
	s.Log.Info("undone", "deployment", d.Name())
	s.tidier().shrink(ctx)
	return s.Records.OutlineByID(ctx, d.ID)
}
