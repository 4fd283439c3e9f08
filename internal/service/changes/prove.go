package changes

import (
	"context"
	"errors"
	"fmt"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// ready looks again at what a draft is about and gives it as it is drafted now.
// At the same time it takes the host's lock and makes sure that the host lets
// files come and go where the draft wants that. Where it cannot run, or is no
// longer true, the lock is given back.
func (s *Service) ready(ctx context.Context, srv model.Server, run *deploy.Run, d model.Deployment, tell Tell) (made *draft.Draft, clock func() int64, err error) {
	if len(d.Draft.Motions) == 0 {
		if made = &d.Draft; s.Now().Sub(d.CreatedAt) > fresh {
			made, err = s.again(ctx, srv, run.Host, d, tell)
		}
		return made, func() int64 { return 0 }, err
	}
	var g errgroup.Group
	g.Go(func() (err error) {
		made, err = s.again(ctx, srv, run.Host, d, tell)
		return err
	})
	g.Go(func() (err error) {
		if clock, err = s.lock(ctx, run, d); err != nil {
			return err
		}
		return run.Prove(ctx)
	})
	err = g.Wait()
	if err == nil && made.Digest() == d.Digest {
		return made, clock, nil
	}
	if run.Held {
		if gone := run.GiveUp(context.WithoutCancel(ctx)); gone != nil {
			err = errors.Join(err, fmt.Errorf("give the host's lock back: %w", gone))
		}
	}
	return made, clock, s.refused(ctx, srv, d, err)
}

// refused tells a person what it means that the host does not let files come
// and go.
func (s *Service) refused(ctx context.Context, srv model.Server, d model.Deployment, err error) error {
	var no *deploy.RefusedError
	switch {
	case !errors.As(err, &no):
		return err
	case !no.Rename:
		return fault.New(fault.Blocked, "not-writable", "%s cannot run: %v", d.Name(), no).
			WithMend("Nothing was done. Give the user the right to write there, then: deployment run %s.", d.Name())
	}
	if err := s.Hosts.NoWorkFolder(ctx, srv); err != nil {
		return err
	}
	return fault.New(fault.Blocked, "no-rename-there", "%s cannot run as it is drafted: %v", d.Name(), no).
		WithMend("Nothing was done. It is noted for %s: draft it again, and temporary files stand beside their targets.", srv.Name)
}
