package changes

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/cenkalti/backoff/v5"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// rideOut does a part of a run and, where the line to the host is lost in it,
// connects again and goes on: what was done is in the journal. It gives up
// after [Service.RideOut] without a connection; the deployment is halted then,
// as after any other error. lost counts the lines.
func (s driver) rideOut(ctx context.Context, srv model.Server, run *deploy.Run, tell progress.Tell, lost *int, part func() error) error {
	for {
		err := part()
		if err == nil || !errors.Is(err, remote.ErrLine) || ctx.Err() != nil || s.RideOut <= 0 {
			return err
		}
		s.Meter.LostLine(srv.Name)
		*lost++
		h, back := s.reconnect(ctx, srv, run, tell)
		if back != nil {
			return fmt.Errorf("%w; then %w", err, back)
		}
		old := run.Host
		run.Host = h
		if run.Power != nil {
			if _, err := s.powered(ctx, srv, run); err != nil {
				return err
			}
		}
		_ = old.Close() // it is lost already
		s.Log.Info("connected again", "server", srv.Name)
		tell.Note("connected to " + srv.Name + " again; going on where it stopped")
	}
}

// reconnect tries to connect for as long as an outage is ridden out.
func (s driver) reconnect(ctx context.Context, srv model.Server, run *deploy.Run, tell progress.Tell) (remote.Host, error) {
	waits := backoff.NewExponentialBackOff()
	waits.InitialInterval, waits.MaxInterval, waits.RandomizationFactor = time.Second, 15*time.Second, 0
	waits.Reset()
	begun := s.Now()
	for {
		left := s.RideOut - s.Now().Sub(begun)
		if left <= 0 {
			return nil, fmt.Errorf("%s was not reached again within %s", srv.Name, s.RideOut)
		}
		wait := min(waits.NextBackOff(), left)
		tell.Note(fmt.Sprintf("the line to %s is lost; trying again in %s, for at most %s more", srv.Name, wait.Round(100*time.Millisecond), left.Round(time.Second)))
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-run.Stopped():
			return nil, errors.New("it was not waited for any longer")
		case <-time.After(wait):
		}
		h, err := s.Hosts.Connect(ctx, srv)
		if err == nil {
			return h, nil
		}
		if f := (*fault.Error)(nil); !errors.As(err, &f) || f.Code != "host-unreachable" {
			return nil, err // it answers, and says no
		}
	}
}
