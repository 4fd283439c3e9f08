package changes

import (
	"context"
	"errors"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
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
	// What the records need to write down that it was asked for.
	undoAsked = 1 << 20
)

// undoNeeds is how much room an undo of a draft may need.
func undoNeeds(d *draft.Draft) int64 {
	n, written := int64(undoBase+undoMotion*d.Motions.Len()), int64(0)
	started := false
	for m := range d.Motions.All() {
		started = started || m.Kind == draft.PowerMotion && m.Do == power.Start
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

// askedName is of the room in which the records write down that an undo was asked for.
func askedName(id int64) string { return reserveName(id) + "-asked" }

// reserve keeps the room on the service's own disk that the way back may need, as
// long as the deployment is not finished. It fails before anything is done.
func (s tidier) reserve(d model.Deployment) error {
	if d.Draft.Motions.Len() == 0 {
		return nil
	}
	n := undoNeeds(&d.Draft) + undoAsked
	if free := s.Room.Free(); free >= 0 && free < n+d.Draft.Counts.Keep {
		return fault.New(fault.Conflict, "own-disk-full", "the service's own disk has %d bytes free; %d are to be kept first, and %d have to stay free for a way back", free, d.Draft.Counts.Keep, n).
			WithMend("Nothing was done. Make room on the service's machine and run it again.").By(finding.RunDeployment.On(d.Name()))
	}
	err := errors.Join(s.Room.Reserve(askedName(d.ID), undoAsked), s.Room.Reserve(reserveName(d.ID), n-undoAsked))
	if err != nil {
		s.release(d.ID)
		return fault.New(fault.Conflict, "own-disk-full", "the service's own disk is full").Because(err).WithMend("Nothing was done. Make room on the service's machine and run it again.").By(finding.RunDeployment.On(d.Name()))
	}
	return nil
}

// MakeRoom gives as much of the room back that a deployment has kept as the records
// need to write down that it is to be undone: the disk may be full to the last byte by
// now. The rest is given back once the undo has begun.
func (s *Service) MakeRoom(d model.Deployment) error {
	if d.State != model.Halted && d.State != model.Waiting {
		return nil
	}
	return s.Room.Release(askedName(d.ID))
}

// release gives the room back that was kept for a way back.
func (s tidier) release(id int64) {
	if err := errors.Join(s.Room.Release(askedName(id)), s.Room.Release(reserveName(id))); err != nil {
		s.Log.Warn("room that was kept for a way back is not given back yet", "err", err)
	}
}

// releaseOld gives the room back that deployments kept which are finished.
func (s tidier) releaseOld(ctx context.Context) error {
	open, err := s.Records.DeploymentsIn(ctx, model.Running, model.Waiting, model.Halted, model.Undoing)
	if err != nil {
		return err
	}
	needed := map[string]bool{}
	for _, d := range open {
		needed[reserveName(d.ID)], needed[askedName(d.ID)] = true, true
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
