// Package turns has what is done on one server done one after the other, and on several side by
// side.
package turns

import (
	"context"
	"sync"
)

// Turns are those of every server. The zero value is ready to use.
type Turns struct {
	mu   sync.Mutex
	held map[int64]chan struct{} // one place each; never taken away, as servers are few
}

// Take waits for a server's turn until ctx ends. The caller calls end once it has done its part.
func (t *Turns) Take(ctx context.Context, server int64) (end func(), err error) {
	t.mu.Lock()
	if t.held == nil {
		t.held = map[int64]chan struct{}{}
	}
	place, ok := t.held[server]
	if !ok {
		place = make(chan struct{}, 1)
		t.held[server] = place
	}
	t.mu.Unlock()
	select {
	case place <- struct{}{}:
		return func() { <-place }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}
