package schedules

import (
	"context"
	"time"
)

// RealClock is the machine's.
type RealClock struct{}

// Now implements [Clock].
func (RealClock) Now() time.Time { return time.Now() }

// Until implements [Clock]. It looks at the time again now and then: a machine that slept has
// another one than a timer believes.
func (RealClock) Until(ctx context.Context, t time.Time) error {
	for {
		left := time.Until(t)
		if left <= 0 {
			return ctx.Err()
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(min(left, 10*time.Second)):
		}
	}
}
