package changes

import (
	"context"
	"fmt"
	"sync"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// queue is who wants to change servers. The zero value is empty.
type queue struct {
	mu    sync.Mutex
	lines map[int64]*line // by server
}

// line is who wants to change one server: the first is at it, the others wait
// for their turn in the order in which they came.
type line struct{ entries []*turn }

// turn is a place in a line.
type turn struct {
	name string        // of the deployment
	id   int64         // of it
	here chan struct{} // closed when it is this one's turn
	stop func()        // gives up what it does in its turn while nothing is done yet
	gone chan struct{} // closed when somebody takes it out of the line
}

// enter waits for a deployment's turn on its server. The function that it gives
// ends the turn. early is for what is done in the turn before anything is
// changed: it ends when somebody takes the deployment out of the queue.
func (s *queue) enter(ctx context.Context, d model.Deployment, tell progress.Tell) (early context.Context, end func(), err error) {
	s.mu.Lock()
	if s.lines == nil {
		s.lines = map[int64]*line{}
	}
	l := s.lines[d.ServerID]
	if l == nil {
		l = &line{}
		s.lines[d.ServerID] = l
	}
	early, stop := context.WithCancelCause(ctx)
	t := &turn{name: d.Name(), id: d.ID, here: make(chan struct{}), gone: make(chan struct{}), stop: func() { stop(unqueued(d)) }}
	l.entries = append(l.entries, t)
	ahead := len(l.entries) - 1
	first := l.entries[0].name
	s.mu.Unlock()
	end = func() { s.leave(d.ServerID, t); stop(nil) }
	if ahead == 0 {
		return early, end, nil
	}
	text := fmt.Sprintf("%s waits for its turn: %s is at it", d.Name(), first)
	if ahead > 1 {
		text = fmt.Sprintf("%s waits for its turn: %s is at it, and %d more come first", d.Name(), first, ahead-1)
	}
	tell.Note(text)
	select {
	case <-t.here:
		tell.Note("it is the turn of " + d.Name())
		return early, end, nil
	case <-t.gone:
		err = unqueued(d)
	case <-ctx.Done():
		err = ctx.Err()
	}
	end()
	return nil, nil, err
}

func unqueued(d model.Deployment) error {
	return fault.New(fault.Conflict, "unqueued", "%s was taken out of the queue; nothing was done, and it is a draft again", d.Name())
}

// leave ends a turn, or a wait for one, and lets the next one go on.
func (s *queue) leave(server int64, t *turn) {
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.lines[server]
	for i, e := range l.entries {
		if e != t {
			continue
		}
		l.entries = append(l.entries[:i:i], l.entries[i+1:]...)
		if i == 0 && len(l.entries) > 0 {
			close(l.entries[0].here)
		}
		break
	}
	if len(l.entries) == 0 {
		delete(s.lines, server)
	}
}

// unqueue takes a deployment of which nothing is done yet out of its line: one
// that waits, or the first one, which is still looking. It tells whether there
// was one.
func (s *queue) unqueue(d model.Deployment) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.lines[d.ServerID]
	if l == nil {
		return false
	}
	for i, e := range l.entries {
		if e.id != d.ID {
			continue
		}
		e.id = 0 // once is enough
		if i == 0 {
			e.stop()
		} else {
			close(e.gone)
		}
		return true
	}
	return false
}

// runnable checks, at a deployment's turn, that nothing unfinished keeps the
// server's slot.
func (s readier) runnable(ctx context.Context, d model.Deployment) error {
	holder, err := s.records.SlotOf(ctx, d.ID)
	if err != nil || holder == "" {
		return err
	}
	return fault.New(fault.Conflict, "slot-taken", "%s cannot run now: %s; one deployment at a time changes a server", d.Name(), holder)
}
