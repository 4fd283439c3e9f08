package catalog

import (
	"context"
	"errors"
	"io"
	"regexp"
	"sync"
	"time"

	"restlesscrate/internal/fault"
	"restlesscrate/internal/stockroom"
)

// keptFor is how long what has come of an upload waits for the rest, and sweepEvery is how
// often it is looked for what has waited for longer.
const (
	keptFor    = 23 * time.Hour
	sweepEvery = time.Hour
)

// Parts are uploads that go on where their line was cut. Its methods may be called at the
// same time; of one upload only the newest caller sends.
type Parts struct {
	Room *stockroom.Room
	Now  func() time.Time

	mu   sync.Mutex
	send map[string]*sender
}

// sender is who adds to an upload at the moment.
type sender struct {
	cut   func()        // ends it soon
	ended chan struct{} // once it has
}

var partName = regexp.MustCompile(`^[a-z0-9-]{16,64}$`)

// errOvertaken ends a caller whose upload another call goes on with.
var errOvertaken = fault.New(fault.Conflict, "upload-overtaken", "another call goes on with this upload")

// take makes the caller the one who adds to an upload, and waits until who did so before has
// ended. The context that it gives ends once another caller takes it; free must be called.
func (s *Parts) take(ctx context.Context, id string, cut func()) (own context.Context, free func(), err error) {
	if !partName.MatchString(id) {
		return nil, nil, fault.New(fault.Usage, "bad-part", "%q names no upload: 16 to 64 letters, digits and dashes do", id)
	}
	own, cancel := context.WithCancelCause(ctx)
	me := &sender{ended: make(chan struct{}), cut: func() {
		cancel(errOvertaken)
		cut()
	}}
	s.mu.Lock()
	if s.send == nil {
		s.send = map[string]*sender{}
	}
	before := s.send[id]
	s.send[id] = me
	s.mu.Unlock()
	free = func() {
		s.mu.Lock()
		if s.send[id] == me {
			delete(s.send, id)
		}
		s.mu.Unlock()
		cancel(nil)
		close(me.ended)
	}
	if before != nil {
		before.cut()
		select {
		case <-before.ended:
		case <-own.Done():
			go func() { // whoever comes next waits for the one before as well
				<-before.ended
				free()
			}()
			return nil, nil, context.Cause(own)
		}
	}
	return own, free, nil
}

// Received tells how many bytes of an upload have come, and ends who still sends it: nothing
// is added to it until a caller goes on from there.
func (s *Parts) Received(ctx context.Context, id string) (int64, error) {
	_, free, err := s.take(ctx, id, func() {})
	if err != nil {
		return 0, err
	}
	defer free()
	return s.Room.Part(id).Size()
}

// Receive adds bytes to an upload from where it stood, or begins it where from is 0. With the
// end of body it is whole. Where body fails, what has come waits for the rest. cut ends a
// reading of body that waits, where another caller goes on with the upload.
func (s *Parts) Receive(ctx context.Context, id, filename string, from int64, body io.Reader, cut func()) (*Upload, error) {
	filename, err := fileName(filename)
	if err != nil {
		return nil, err
	}
	own, free, err := s.take(ctx, id, cut)
	if err != nil {
		return nil, err
	}
	defer free()
	part := s.Room.Part(id)
	if from == 0 {
		err = part.Drop()
	} else if here, e := part.Size(); e != nil {
		err = e
	} else if here != from {
		err = fault.New(fault.Conflict, "part-elsewhere", "%d bytes of this upload are here, so it does not go on at %d", here, from).WithMend("Ask how far it has come, and go on there.")
	}
	if err == nil {
		err = part.Append(own, body)
	}
	if err != nil {
		if errors.Is(context.Cause(own), errOvertaken) {
			err = errOvertaken
		}
		return nil, err
	}
	in, err := part.Whole(ctx)
	if err != nil {
		return nil, err
	}
	return &Upload{Filename: filename, in: in}, nil
}

// Sweep forgets, until the context ends, what has waited for the rest of an upload for a day.
// trouble is told where that fails; it is tried again.
func (s *Parts) Sweep(ctx context.Context, trouble func(error)) {
	every := time.NewTicker(sweepEvery)
	defer every.Stop()
	for {
		if err := s.Room.DropParts(s.Now().Add(-keptFor)); err != nil {
			trouble(err)
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}

// Drop forgets what has come of an upload.
func (s *Parts) Drop(ctx context.Context, id string) error {
	_, free, err := s.take(ctx, id, func() {})
	if err != nil {
		return err
	}
	defer free()
	return s.Room.Part(id).Drop()
}
