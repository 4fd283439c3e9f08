package feeds

import (
	"context"
	"errors"
	"slices"
	"time"

	core "restlesscrate/internal/core/feed"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/model"
)

// Keep looks at feeds by themselves as often as that was said, until the context ends. check begins
// to look at one and returns at once. One whose host does not answer is tried again after a quarter
// of that time, and no sooner than in five minutes.
func (s *Service) Keep(ctx context.Context, every time.Duration, check func(name string), trouble func(error)) {
	tried := map[string]time.Time{}
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		list, err := s.Records.FeedTimes(ctx)
		if err != nil && ctx.Err() == nil {
			trouble(err)
		}
		now := s.Now()
		for _, f := range list {
			if due(f, tried[f.Name], now) {
				tried[f.Name] = now
				check(f.Name)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

func due(f model.Feed, tried, now time.Time) bool {
	last := f.TriedAt
	if tried.After(last) {
		last = tried
	}
	wait := f.Every
	if f.Trouble != "" {
		wait = max(shortest, f.Every/4)
	}
	return f.Every > 0 && now.Sub(last) >= wait
}

// Wanted gives the releases that are to be staged by themselves: of each add-on that is taken, the
// newest that is no development build, where it is not in the stockroom yet.
func (s *Service) Wanted(ctx context.Context, f model.Feed) ([]core.Release, error) {
	if f.Said == nil {
		return nil, nil
	}
	newest := map[string]core.Release{}
	for _, r := range f.Said.Releases {
		if !slices.Contains(f.Taken, r.Key()) || version.Development(r.Version) {
			continue
		}
		if best, ok := newest[r.Key()]; !ok || version.Compare(r.Version, best.Version) > 0 {
			newest[r.Key()] = r
		}
	}
	var out []core.Release
	for _, key := range f.Taken {
		r, ok := newest[key]
		if !ok {
			continue
		}
		there, err := s.There(ctx, r)
		if err != nil {
			return nil, err
		}
		if !there {
			out = append(out, r)
		}
	}
	return out, nil
}

// There tells whether the file of a release is in the stockroom.
func (s *Service) There(ctx context.Context, r core.Release) (bool, error) {
	_, err := s.Records.Archive(ctx, r.SHA256)
	if errors.Is(err, model.ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}
