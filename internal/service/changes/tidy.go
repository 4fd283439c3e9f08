package changes

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// tidier clears what recorded deployments have left on their servers.
type tidier struct {
	records tidyRecords
	runner  func(srv model.Server, d model.Deployment, h remote.Host, tell progress.Tell) *deploy.Run
	self    string // the service, as locks name it
	now     func() time.Time
	log     *slog.Logger
}

// tidyRecords is what a tidier needs written down.
type tidyRecords interface {
	Untidy(ctx context.Context, server int64) ([]model.Deployment, error)
	DeploymentByID(ctx context.Context, id int64) (model.Deployment, error)
	SaveRun(ctx context.Context, d model.Deployment) error
	SetTidy(ctx context.Context, id int64, motions draft.Motions) error
	Shrink(ctx context.Context) error
}

func (s *Service) tidier() tidier {
	return tidier{s.Records, s.drive().runner, s.Self.Service, s.Now, s.Log}
}

// tidy clears what a deployment that is recorded still has on its server.
func (s tidier) tidy(ctx context.Context, d model.Deployment, run *deploy.Run) error {
	if d.Draft.Motions.Len() == 0 {
		return nil
	}
	begun := s.now()
	if err := run.Tidy(ctx); err != nil {
		return err
	}
	d.Figures.TidyMS = s.now().Sub(begun).Milliseconds()
	if err := errors.Join(s.records.SaveRun(ctx, d), s.records.SetTidy(ctx, d.ID, copying(d.Draft.Motions))); err != nil {
		return err
	}
	s.shrink(ctx)
	return nil
}

// copying gives the motions that have copied data folders, or set them aside: by them they
// can be brought back at any time.
func copying(l draft.Motions) draft.Motions {
	var out []draft.Motion
	for m := range l.All() {
		if m.KeepsFolder() || m.Kind == draft.RenewMotion {
			out = append(out, m)
		}
	}
	return draft.MotionsOf(nil, out...)
}

// shrink gives back what the journal of a deployment took that is over.
func (s tidier) shrink(ctx context.Context) {
	if err := s.records.Shrink(ctx); err != nil {
		s.log.Warn("the database is not made smaller yet", "err", err)
	}
}

// Tidy clears what a done deployment has left on its server: what it set aside
// and could not remove when it was recorded.
func (s *Service) Tidy(ctx context.Context, d model.Deployment, tell progress.Tell) (model.Deployment, error) {
	_, end, err := s.queue.enter(ctx, d, tell)
	if err != nil {
		return d, err
	}
	defer end()
	if d, err = s.Records.DeploymentByID(ctx, d.ID); err != nil { // it may have been tidied while this waited
		return d, err
	}
	if !d.Untidy {
		return d, fault.New(fault.Conflict, "tidy", "%s is %s and has nothing on its server that could be tidied", d.Name(), d.State)
	}
	srv, h, err := s.drive().connect(ctx, d)
	if err != nil {
		return d, err
	}
	defer h.Close()
	if err := s.tidier().tidyOn(ctx, srv, h, d, tell); err != nil {
		return d, err
	}
	return s.Records.OutlineByID(ctx, d.ID)
}

func (s tidier) tidyOn(ctx context.Context, srv model.Server, h remote.Host, d model.Deployment, tell progress.Tell) (err error) {
	run := s.runner(srv, d, h, tell)
	if run.Held, err = deploy.Holds(ctx, h, s.self, d.Name()); err != nil {
		return err
	}
	return s.tidy(ctx, d, run)
}

// tidyEarlier clears what earlier deployments of a server have left, before the
// next one runs.
func (s tidier) tidyEarlier(ctx context.Context, srv model.Server, h remote.Host, tell progress.Tell) error {
	list, err := s.records.Untidy(ctx, srv.ID)
	if err != nil {
		return err
	}
	for _, d := range list {
		tell.Note("clearing what " + d.Name() + " has left on the server")
		if d, err = s.records.DeploymentByID(ctx, d.ID); err != nil {
			return err
		}
		if err := s.tidyOn(ctx, srv, h, d, nil); err != nil {
			return err
		}
	}
	return nil
}
