package survey

import (
	"context"
	"errors"
	"time"

	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// The least time between two surveys of a server that are done by themselves.
const shortest = time.Minute

// Rhythm tells how often a server is to be looked at.
func (s *Service) Rhythm(ctx context.Context, server string) (model.Rhythm, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return model.Rhythm{}, err
	}
	return s.Records.Rhythm(ctx, srv.ID)
}

// SetRhythm says how often a server is to be surveyed by itself, and how often a person means to
// look for updates; nil leaves it as it is, and 0 is never.
func (s *Service) SetRhythm(ctx context.Context, server string, survey, updates *time.Duration) (model.Rhythm, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return model.Rhythm{}, err
	}
	r, err := s.Records.Rhythm(ctx, srv.ID)
	if err != nil {
		return r, err
	}
	if survey != nil {
		r.Survey = *survey
	}
	if updates != nil {
		r.Updates = *updates
	}
	if r.Survey < 0 || r.Updates < 0 || r.Survey > 0 && r.Survey < shortest {
		return r, fault.New(fault.Usage, "bad-request", "a server is surveyed by itself once a minute at most, or never")
	}
	return r, s.Records.SaveRhythm(ctx, srv.ID, r)
}

// LookedForUpdates notes that somebody has looked for updates.
func (s *Service) LookedForUpdates(ctx context.Context, server, actor string) error {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return err
	}
	return s.Records.LookedForUpdates(ctx, srv.ID, actor)
}

// AfterStart tells whether a server is to be surveyed once a deployment has started it.
func (s *Service) AfterStart(ctx context.Context, server int64) (bool, error) {
	r, err := s.Records.Rhythm(ctx, server)
	return r.Survey > 0, err
}

// Keep surveys servers by themselves as often as that was said, until the context ends. start
// begins the survey of one and returns at once; one that could not be done is tried again after
// the same time.
func (s *Service) Keep(ctx context.Context, every time.Duration, start func(server string), trouble func(error)) {
	tried := map[int64]time.Time{}
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		due, err := s.due(ctx, tried)
		if err != nil && ctx.Err() == nil {
			trouble(err)
		}
		for _, srv := range due {
			tried[srv.ID] = s.Now()
			start(srv.Name)
		}
	}
}

// due lists the servers whose survey is due. tried is when each was last tried.
func (s *Service) due(ctx context.Context, tried map[int64]time.Time) (out []model.Server, err error) {
	servers, err := s.Hosts.List(ctx)
	if err != nil {
		return nil, err
	}
	for _, srv := range servers {
		r, err := s.Records.Rhythm(ctx, srv.ID)
		if err != nil {
			return out, err
		}
		if r.Survey == 0 {
			continue
		}
		last, err := s.Records.LastLook(ctx, srv.ID)
		if err != nil && !errors.Is(err, model.ErrNotFound) {
			return out, err
		}
		since := last.At
		if t := tried[srv.ID]; t.After(since) {
			since = t
		}
		if s.Now().Sub(since) >= r.Survey {
			out = append(out, srv)
		}
	}
	return out, nil
}
