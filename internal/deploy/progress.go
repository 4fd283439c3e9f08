package deploy

import (
	"fmt"
	"sync"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
)

// What a run reports, and how it is stopped.

// Notes are what the run has to say that is no error, in order.
func (r *Run) Notes() []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return append([]string(nil), r.notes...)
}

// Sent is how many bytes were uploaded by this run.
func (r *Run) Sent() int64 {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.sent
}

func (r *Run) note(format string, args ...any) {
	text := fmt.Sprintf(format, args...)
	r.mu.Lock()
	r.notes = append(r.notes, text)
	r.mu.Unlock()
	r.tell(progress.Event{Kind: progress.Note, Text: text})
}

func (r *Run) tell(p progress.Event) {
	if r.Tell == nil {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	p.Done, p.Total, p.Sent = r.done.n, r.Draft.Motions.Len(), r.sent
	r.Tell(p)
}

// count notes a motion as done, once however often the run is taken up again.
func (r *Run) count(m draft.Motion) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.done.add(KeyOf(m))
}

// stopSign is raised once, to stop a run. The zero value is not raised.
type stopSign struct {
	mu     sync.Mutex
	who    string
	raised chan struct{} // closed then
}

func (s *stopSign) channel() chan struct{} {
	if s.raised == nil {
		s.raised = make(chan struct{})
	}
	return s.raised
}

// Halt stops the run between motions: those that have begun are finished. The
// deployment is halted then, to be resumed or undone.
func (s *stopSign) Halt(who string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.who == "" {
		s.who = who
		close(s.channel())
	}
}

// Stopped is closed once a halt was asked for.
func (s *stopSign) Stopped() <-chan struct{} {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.channel()
}

// asked gives the error of a halt that was asked for, else nil.
func (s *stopSign) asked() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.who == "" {
		return nil
	}
	return &StoppedError{s.who}
}
