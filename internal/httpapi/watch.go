package httpapi

import (
	"context"
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
)

// watching asks the records once for everybody who watches, and tells them when
// something changed. It asks nothing while nobody does.
type watching struct {
	counter func(context.Context) (int64, error)

	mu       sync.Mutex
	watchers map[chan int64]bool
	last     int64
	stop     context.CancelFunc
}

// Of how often the records are asked, and how often a silent stream says that it is
// still there.
const (
	watchEvery = 300 * time.Millisecond
	stillThere = 20 * time.Second
)

// join gives a channel that holds the newest counter, and the function that leaves.
func (w *watching) join() (<-chan int64, func()) {
	c := make(chan int64, 1)
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.watchers == nil {
		w.watchers = map[chan int64]bool{}
	}
	w.watchers[c] = true
	if len(w.watchers) == 1 {
		ctx, stop := context.WithCancel(context.Background())
		w.stop = stop
		go w.ask(ctx)
	}
	return c, func() {
		w.mu.Lock()
		defer w.mu.Unlock()
		if delete(w.watchers, c); len(w.watchers) == 0 {
			w.stop()
		}
	}
}

func (w *watching) ask(ctx context.Context) {
	t := time.NewTicker(watchEvery)
	defer t.Stop()
	for {
		if now, err := w.counter(ctx); err == nil { // else it is asked again
			w.mu.Lock()
			if now != w.last {
				w.last = now
				for c := range w.watchers {
					select {
					case <-c: // one that was not taken yet is old
					default:
					}
					c <- now
				}
			}
			w.mu.Unlock()
		}
		select {
		case <-ctx.Done():
			return
		case <-t.C:
		}
	}
}

// changed streams an event whenever the records change: what a page shows may not be
// so any more then. It says nothing of what changed.
func (s streams) changed(c *echo.Context) error {
	ctx := c.Request().Context()
	news, leave := s.watch.join()
	defer leave()
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	rc := http.NewResponseController(w)
	say := func(format string, args ...any) error {
		if _, err := fmt.Fprintf(w, format, args...); err != nil {
			return err
		}
		return rc.Flush()
	}
	err := say(": watching\n\n")
	still := time.NewTicker(stillThere)
	defer still.Stop()
	for err == nil {
		select {
		case <-ctx.Done():
			return nil
		case n := <-news:
			err = say("event: changed\ndata: %d\n\n", n)
		case <-still.C:
			err = say(": still there\n\n")
		}
	}
	return nil // the listener went away; there is nobody to tell
}
