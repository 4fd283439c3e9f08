package changes

import (
	"errors"
	"fmt"
	"log/slog"

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

// wayBack keeps room on the service's own disk for the way back of deployments that are not
// finished.
type wayBack struct {
	room interface {
		Free() int64
		Reserve(name string, n int64) error
		Release(name string) error
		Reserves() ([]string, error)
	}
	log *slog.Logger
}

func (s *Service) wayBack() wayBack { return wayBack{s.Room, s.Log} }

// reserve keeps the room on the service's own disk that the way back may need, as
// long as the deployment is not finished. It fails before anything is done.
func (s wayBack) reserve(d model.Deployment) error {
	if d.Draft.Motions.Len() == 0 {
		return nil
	}
	n := undoNeeds(&d.Draft) + undoAsked
	if free := s.room.Free(); free >= 0 && free < n+d.Draft.Counts.Keep {
		return fault.New(fault.Conflict, "own-disk-full", "the service's own disk has %d bytes free; %d are to be kept first, and %d have to stay free for a way back", free, d.Draft.Counts.Keep, n).
			WithMend("Nothing was done. Make room on the service's machine and run it again.").By(finding.RunDeployment.On(d.Name()))
	}
	err := errors.Join(s.room.Reserve(askedName(d.ID), undoAsked), s.room.Reserve(reserveName(d.ID), n-undoAsked))
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
func (s wayBack) release(id int64) {
	if err := errors.Join(s.room.Release(askedName(id)), s.room.Release(reserveName(id))); err != nil {
		s.log.Warn("room that was kept for a way back is not given back yet", "err", err)
	}
}

// releaseOld gives the room back that deployments kept which are not among the open ones.
func (s wayBack) releaseOld(open []model.Deployment) error {
	needed := map[string]bool{}
	for _, d := range open {
		needed[reserveName(d.ID)], needed[askedName(d.ID)] = true, true
	}
	names, err := s.room.Reserves()
	if err != nil {
		return err
	}
	for _, name := range names {
		if !needed[name] {
			if err := s.room.Release(name); err != nil {
				return err
			}
		}
	}
	return nil
}
