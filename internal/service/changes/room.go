package changes

import (
	"context"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// What an undo may write on the service's own disk, in bytes: the journal of its
// motions, and what the server has written to the deployment's paths since it was
// started, as far as that can be foreseen.
const (
	undoBase   = 4 << 20
	undoMotion = 2 << 10
	undoKept   = 32 << 20
)

// undoNeeds is how much room an undo of a draft may need.
func undoNeeds(d *draft.Draft) int64 {
	n, written := int64(undoBase+undoMotion*len(d.Motions)), int64(0)
	started := false
	for _, m := range d.Motions {
		started = started || m.Kind == draft.PowerMotion && m.Do == draft.StartServer
	}
	for _, c := range d.Changes {
		written += c.After.Size
	}
	if started {
		n += min(written, undoKept)
	}
	return n
}

func reserveName(id int64) string { return fmt.Sprintf("deployment-%d", id) }

// reserve keeps the room on the service's own disk that the way back may need, as
// long as the deployment is not finished. It fails before anything is done.
func (s *Service) reserve(d model.Deployment) error {
	if len(d.Draft.Motions) == 0 {
		return nil
	}
	n := undoNeeds(&d.Draft)
	if free := s.Room.Free(); free >= 0 && free < n+d.Draft.Counts.Keep {
		return fault.New(fault.Conflict, "own-disk-full", "the service's own disk has %d bytes free; %d are to be kept first, and %d have to stay free for a way back", free, d.Draft.Counts.Keep, n).
			WithMend("Nothing was done. Make room on the service's machine and run %s again.", d.Name())
	}
	if err := s.Room.Reserve(reserveName(d.ID), n); err != nil {
		return fault.New(fault.Conflict, "own-disk-full", "the service's own disk is full").Because(err).WithMend("Nothing was done. Make room on the service's machine and run %s again.", d.Name())
	}
	return nil
}

// release gives the room back that was kept for a way back.
func (s *Service) release(id int64) {
	if err := s.Room.Release(reserveName(id)); err != nil {
		s.Log.Warn("room that was kept for a way back is not given back yet", "err", err)
	}
}

// releaseOld gives the room back that deployments kept which are finished.
func (s *Service) releaseOld(ctx context.Context) error {
	open, err := s.Records.DeploymentsIn(ctx, model.Running, model.Waiting, model.Halted, model.Undoing)
	if err != nil {
		return err
	}
	needed := map[string]bool{}
	for _, d := range open {
		needed[reserveName(d.ID)] = true
	}
	names, err := s.Room.Reserves()
	if err != nil {
		return err
	}
	for _, name := range names {
		if !needed[name] {
			if err := s.Room.Release(name); err != nil {
				return err
			}
		}
	}
	return nil
}
