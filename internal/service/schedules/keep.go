package schedules

import (
	"context"
	"fmt"
	"time"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// every is how often it is looked what is due; askPlayers how often the players are counted while a
// schedule waits for the last of them to leave.
const (
	every      = time.Second
	askPlayers = 20 * time.Second
)

// Keep does what is due, until the context ends. What an earlier service had under way when it
// stopped is told as broken off.
func (s *Service) Keep(ctx context.Context) {
	s.busy = map[int64]bool{}
	if err := s.broken(ctx); err != nil {
		s.Log.Warn("schedules that were under way when the service stopped are not told of", "err", err)
	}
	for {
		if err := s.look(ctx); err != nil && ctx.Err() == nil {
			s.Log.Warn("it is not known what is due", "err", err)
		}
		if s.Clock.Until(ctx, s.Clock.Now().Add(every)) != nil {
			return
		}
	}
}

// broken ends the runs that an earlier service had under way.
func (s *Service) broken(ctx context.Context) error {
	runs, err := s.Records.UnendedRuns(ctx)
	if err != nil {
		return err
	}
	list, err := s.Records.Schedules(ctx)
	if err != nil {
		return err
	}
	for _, r := range runs {
		r.State, r.Words, r.Ended = model.RunBroken, "the service stopped while it was under way; look at how the server stands", s.Clock.Now()
		if err := s.Records.EndRun(ctx, r); err != nil {
			return err
		}
		for _, c := range list {
			if c.ID == r.Schedule {
				s.Tell(ctx, c, r)
			}
		}
	}
	return nil
}

// look begins what is due, and what has to be warned of.
func (s *Service) look(ctx context.Context) error {
	list, err := s.Records.Schedules(ctx)
	if err != nil {
		return err
	}
	now := s.Clock.Now()
	for _, c := range list {
		if c.Next.IsZero() || now.Before(c.Next.Add(-lead(c))) || !s.take(c.ID) {
			continue
		}
		if now.After(c.Next.Add(c.Window)) {
			err := s.missed(ctx, c, now)
			s.leave(c.ID)
			if err != nil {
				return err
			}
			continue
		}
		go func() {
			defer s.leave(c.ID)
			if err := s.occasion(ctx, c); err != nil && ctx.Err() == nil {
				s.Log.Warn("a schedule", "name", c.Name, "err", err)
			}
		}()
	}
	return nil
}

func (s *Service) take(id int64) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.busy[id] {
		return false
	}
	s.busy[id] = true
	return true
}

func (s *Service) leave(id int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.busy, id)
}

// lead is how long before its time a schedule begins to warn.
func lead(c model.Schedule) (most time.Duration) {
	for _, w := range c.Warnings {
		most = max(most, w.Before)
	}
	return most
}

// missed tells of the times at which nothing could be begun. None of them is made up for.
func (s *Service) missed(ctx context.Context, c model.Schedule, now time.Time) error {
	times, last := 0, c.Next
	next := c.Next
	for ; !next.IsZero() && now.After(next.Add(c.Window)); next = after(c, next) {
		last = next
		if times++; times == 10_000 {
			next = after(c, now)
			break
		}
	}
	words := fmt.Sprintf("the service did not run within %s of it", words.Long(c.Window))
	if times > 1 {
		words = fmt.Sprintf("%d times, this one the last: %s", times, words)
	}
	r, err := s.Records.BeginRun(ctx, model.ScheduleRun{Schedule: c.ID, Due: last, Ended: now, State: model.RunMissed, Words: words}, next)
	if err == nil {
		s.Tell(ctx, c, r)
	}
	return err
}

// occasion is one time of a schedule, from the first warning to the report.
func (s *Service) occasion(ctx context.Context, c model.Schedule) error {
	r, err := s.Records.BeginRun(ctx, model.ScheduleRun{Schedule: c.ID, Due: c.Next, State: model.RunRunning}, after(c, c.Next))
	if err != nil {
		return err
	}
	said := s.warn(ctx, c)
	if err := s.Clock.Until(ctx, c.Next); err != nil {
		return err // it is told as broken off when the service starts again
	}
	ended := make(chan model.ScheduleRun, 1)
	_, err = s.Jobs.Start(ctx, jobs.What{Kind: "schedule", Subject: c.Name, Actor: actor(c)}, func(ctx context.Context, tell progress.Tell) (any, error) {
		r := s.do(ctx, c, r, tell)
		if said != "" {
			r.Words += "; " + said
		}
		ended <- r
		return nil, nil //nolint:nilerr // what went wrong is in the report
	})
	if err != nil {
		return err
	}
	select {
	case r = <-ended:
	case <-ctx.Done():
		return ctx.Err()
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	r.Ended = s.Clock.Now()
	if err := s.Records.EndRun(ctx, r); err != nil {
		return err
	}
	s.Tell(ctx, c, r)
	return nil
}

func actor(c model.Schedule) string { return "the schedule " + c.Name }

// warn sends the warnings at their times; those whose time has passed are left out. It gives what
// went wrong with them.
func (s *Service) warn(ctx context.Context, c model.Schedule) (trouble string) {
	begun := s.Clock.Now()
	for _, w := range byTime(c.Warnings) {
		at := c.Next.Add(-w.Before)
		if at.Before(begun.Add(-every * 5)) {
			continue
		}
		if s.Clock.Until(ctx, at) != nil {
			return trouble
		}
		if err := s.Work.Say(ctx, c.Server, w.Line); err != nil {
			trouble = fmt.Sprintf("the players were not warned: %v", err)
		}
	}
	return trouble
}

// do waits until nobody is on, where that is wanted, and does what the schedule is for.
func (s *Service) do(ctx context.Context, c model.Schedule, r model.ScheduleRun, tell progress.Tell) model.ScheduleRun {
	if c.Empty {
		for {
			on, err := s.Work.Players(ctx, c.Server)
			now := s.Clock.Now()
			switch {
			case err != nil:
				r.State, r.Words = model.RunFailed, fmt.Sprintf("it is not known whether anybody is on: %v", err)
				return r
			case on == 0:
			case now.After(c.Next.Add(c.Window)):
				r.State, r.Words = model.RunOccupied, fmt.Sprintf("somebody was on for all of %s: %s at the end", words.Long(c.Window), words.Count(on, "player"))
				return r
			default:
				tell.Look(fmt.Sprintf("waiting until nobody is on: %s now", words.Count(on, "player")))
				if s.Clock.Until(ctx, now.Add(askPlayers)) != nil {
					return r
				}
				continue
			}
			break
		}
	}
	r.Began = s.Clock.Now()
	done, err := s.Work.Do(ctx, c, actor(c), tell)
	r.State, r.Words, r.Deployment = model.RunDone, done.Words, done.Deployment
	switch {
	case err != nil:
		r.State, r.Words = model.RunFailed, err.Error()
	case done.Nothing:
		r.State = model.RunNothing
	}
	return r
}
