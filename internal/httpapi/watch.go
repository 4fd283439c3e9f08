package httpapi

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/fault"
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

// changed streams an event whenever the records change, with what of them has: pages ask
// again for that.
func (s streams) changed(c *echo.Context) error {
	ctx := c.Request().Context()
	last, err := s.Counter(ctx)
	if err == nil {
		last, err = heardOf(c.Request(), last)
	}
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
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
	tell := func() error {
		n, err := s.News(ctx, last)
		if err != nil || len(n.Servers)+len(n.About) == 0 {
			return nil //nolint:nilerr // it is told with the next
		}
		raw, err := json.Marshal(api.Change{Servers: n.Servers, About: n.About})
		if err != nil {
			return err
		}
		last = n.Counter
		return say("id: %d\nevent: changed\ndata: %s\n\n", last, raw)
	}
	err = say(": watching\n\n")
	if err == nil {
		err = tell()
	}
	still := time.NewTicker(stillThere)
	defer still.Stop()
	for err == nil {
		select {
		case <-ctx.Done():
			return nil
		case <-news:
			err = tell()
		case <-still.C:
			err = say(": still there\n\n")
		}
	}
	return nil // the listener went away; there is nobody to tell
}

// heardOf gives up to which count of the records a listener has heard: one that comes back says
// so, and one that begins may. Records that have counted less than that are others, from a backup.
func heardOf(r *http.Request, now int64) (int64, error) {
	said := r.Header.Get("Last-Event-ID")
	if said == "" {
		said = r.URL.Query().Get("since")
	}
	if said == "" {
		return now, nil
	}
	heard, err := strconv.ParseInt(said, 10, 64)
	if err != nil || heard < 0 {
		return 0, fault.New(fault.Usage, "bad-request", "changes are told since a count of the records, not since %q", said)
	}
	if heard > now {
		return 0, nil
	}
	return heard, nil
}

// countHeader of an answer has how far the records had counted before it was read. Who watches
// the changes since then hears of everything that the answer does not show.
const countHeader = "Records-Count"

// counted puts the count of the records on answers that only read.
func (s *Server) counted(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if c.Request().Method == http.MethodGet {
			now, err := s.Counter(c.Request().Context())
			if err != nil {
				return writeProblem(c, ProblemOf(err)) // what is asked for could not be read either
			}
			c.Response().Header().Set(countHeader, strconv.FormatInt(now, 10))
		}
		return next(c)
	}
}
