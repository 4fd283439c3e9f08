package adopt

import (
	"context"

	"golang.org/x/sync/errgroup"
)

// hands look into add-ons, so many at a time. A goroutine goes on with the next one where it can: a
// new one for each of thousands would spend its time on making room for its calls.
type hands struct {
	ctx  context.Context // ends with the first error
	g    *errgroup.Group
	work chan *Found
	more int // that may begin
	do   func(context.Context, *Found) error
}

func newHands(ctx context.Context, most int, do func(context.Context, *Found) error) *hands {
	g, ctx := errgroup.WithContext(ctx)
	return &hands{ctx, g, make(chan *Found), most, do}
}

// give has one of them look into an add-on, and waits where all are busy. After an error nothing more
// is looked into.
func (h *hands) give(f *Found) {
	select {
	case h.work <- f:
		return
	default:
	}
	if h.more > 0 {
		h.more--
		h.g.Go(func() error { return h.goOn(f) })
		return
	}
	select {
	case h.work <- f:
	case <-h.ctx.Done():
	}
}

func (h *hands) goOn(f *Found) error {
	for more := true; more; f, more = <-h.work {
		if err := h.do(h.ctx, f); err != nil {
			return err
		}
	}
	return nil
}

// wait waits for what was given, and gives the first error.
func (h *hands) wait() error {
	close(h.work)
	return h.g.Wait()
}
