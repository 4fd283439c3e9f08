package main

import (
	"context"
	"fmt"
	"slices"
	"time"

	"restlesscrate/internal/api"
)

// long is how many deployments the timeline has that is read by pages.
const long = 5000

// timeline runs one small deployment after the other, back and forth, until there are so many, and
// reads them by pages: each of them, and the slowest counts.
func (s *service) timeline(ctx context.Context, addon string, put func(what, unit string, v float64)) error {
	for n := 0; ; n++ {
		d, err := s.Draft(ctx, "fair", api.NewDraft{Crates: []string{addon + []string{"@1.0", "@2.0"}[n%2]}}, nil)
		if err != nil {
			return fmt.Errorf("deployment %d: %w", n, err)
		}
		if d.Number >= long {
			break
		}
		if n%10 == 0 { // one in ten runs: a run of so many would take an hour
			if _, err := s.Run(ctx, "fair", d.Number, api.RunDraft{Digest: d.Digest}, nil); err != nil {
				return fmt.Errorf("deployment %d: %w", n, err)
			}
		}
	}
	ms := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
	for _, f := range []struct{ what, query string }{{"", ""}, {" of one add-on", "&addon=" + addon}, {" of one path", "&path=stall.lf"}} {
		var pages []time.Duration
		for cursor := ""; ; {
			begun := time.Now()
			next, err := s.page("/servers/fair/deployments?cursor=" + cursor + f.query)
			if err != nil {
				return err
			}
			pages = append(pages, time.Since(begun))
			if cursor = next; cursor == "" {
				break
			}
		}
		slices.Sort(pages)
		put(fmt.Sprintf("timeline%s, %d deployments, the median of its %d pages", f.what, long, len(pages)), "ms", ms(pages[len(pages)/2]))
		put(fmt.Sprintf("timeline%s, %d deployments, the slowest of its %d pages", f.what, long, len(pages)), "ms", ms(slices.Max(pages)))
	}
	return nil
}
