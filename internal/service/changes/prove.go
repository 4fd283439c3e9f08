package changes

import (
	"context"
	"errors"
	"fmt"

	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// prove makes sure, with the host's lock taken and before anything is done,
// that the host lets files come and go where the draft wants that. Where it
// does not, the lock is given back.
func (s *Service) prove(ctx context.Context, srv model.Server, h remote.Host, d model.Deployment) error {
	if len(d.Draft.Motions) == 0 {
		return nil
	}
	run := s.runner(d, h, func(string, any) {})
	run.Held = true
	err := run.Prove(ctx)
	if err == nil {
		return nil
	}
	if gone := run.GiveUp(context.WithoutCancel(ctx)); gone != nil {
		err = errors.Join(err, fmt.Errorf("clear the work folder: %w", gone))
	}
	var no *deploy.RefusedError
	switch {
	case !errors.As(err, &no):
		return err
	case !no.Rename:
		return fault.New(fault.Blocked, "not-writable", "%s cannot run: %v", d.Name(), err).
			WithMend("Nothing was done. Give the user the right to write there, then: deployment run %s.", d.Name())
	}
	if err := s.Hosts.NoWorkFolder(ctx, srv); err != nil {
		return err
	}
	return fault.New(fault.Blocked, "no-rename-there", "%s cannot run as it is drafted: %v", d.Name(), err).
		WithMend("Nothing was done. It is noted for %s: draft it again, and temporary files stand beside their targets.", srv.Name)
}
