// Package jobs runs long work in the background: each job has a state, a
// result and numbered events that a listener can follow and pick up again.
package jobs

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"time"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/model"
)

// Store keeps jobs; the records implement it.
type Store interface {
	AddJob(ctx context.Context, j model.Job) error
	Job(ctx context.Context, id string) (model.Job, error)
	RunningJobs(ctx context.Context) ([]model.Job, error)
	EndedJobs(ctx context.Context, f model.JobFilter, before int64, limit int) ([]model.Job, error)
	EndJob(ctx context.Context, id, state string, result, problem json.RawMessage) error
	AddJobEvents(ctx context.Context, id string, events []model.JobEvent) error
	JobEvents(ctx context.Context, id string, after int64) ([]model.JobEvent, error)
}

// Work is what a job does. Its error becomes the job's problem.
type Work func(ctx context.Context, tell progress.Tell) (result any, err error)

// What says which job is to begin.
type What struct {
	Kind, Subject, Actor string
	Alone                bool // it is not done within [Engine.Around]
	Cancellable          bool // its work leaves nothing half done when its context ends
}

// Why a job cannot be cancelled.
var (
	ErrEnded = errors.New("the job has ended")
	ErrHeld  = errors.New("the job cannot be cancelled")
)

// Engine runs jobs. Jobs outlive the request that started them and end with
// the context that the engine was made with.
//
// Around, where it is set, is called before every job's work and gives what is called after it.
type Engine struct {
	Around func() (after func())

	ctx     context.Context
	store   Store
	log     *slog.Logger
	now     func() time.Time
	problem func(error) any
	wg      sync.WaitGroup
	mu      sync.Mutex
	live    map[string]*feed
}

// feed is a running job's event list, and a channel that is closed and
// replaced whenever it grows.
type feed struct {
	mu      sync.Mutex
	number  int64
	unsent  []model.JobEvent
	grew    chan struct{}
	over    bool
	failing bool                    // the last try to record events failed
	cancel  context.CancelCauseFunc // nil where the job cannot be cancelled
}

// New makes an engine. problem turns an error into what is recorded of it.
func New(ctx context.Context, store Store, log *slog.Logger, now func() time.Time, problem func(error) any) *Engine {
	return &Engine{ctx: ctx, store: store, log: log, now: now, problem: problem, live: map[string]*feed{}}
}

// Wait returns when no job runs any more.
func (e *Engine) Wait() { e.wg.Wait() }

// Start records a job and begins it.
func (e *Engine) Start(ctx context.Context, what What, work Work) (model.Job, error) {
	if err := e.ctx.Err(); err != nil {
		return model.Job{}, errors.New("the service is stopping")
	}
	j := model.Job{ID: "job-" + rand.Text()[:16], Kind: what.Kind, Subject: what.Subject, State: "running", Actor: what.Actor, CreatedAt: e.now()}
	if err := e.store.AddJob(ctx, j); err != nil {
		return j, fmt.Errorf("record the job: %w", err)
	}
	f, within := &feed{grew: make(chan struct{})}, e.ctx
	if what.Cancellable {
		within, f.cancel = context.WithCancelCause(e.ctx)
	}
	e.mu.Lock()
	e.live[j.ID] = f
	e.mu.Unlock()
	e.wg.Add(1)
	go e.run(within, j, f, work, what.Alone)
	return j, nil
}

// Cancel ends a job that can be cancelled, and waits until it has ended or the caller's
// context has. why becomes its problem. A job that is done before it notices stays done.
// The errors are ErrEnded and ErrHeld.
func (e *Engine) Cancel(ctx context.Context, id string, why error) error {
	e.mu.Lock()
	f := e.live[id]
	e.mu.Unlock()
	switch {
	case f == nil:
		return ErrEnded
	case f.cancel == nil:
		return ErrHeld
	}
	f.cancel(why)
	_, err := e.Follow(ctx, id, math.MaxInt64, func(model.JobEvent) error { return nil })
	return err
}

// Cancellable tells whether a job runs and can be cancelled.
func (e *Engine) Cancellable(id string) bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	f := e.live[id]
	return f != nil && f.cancel != nil
}

// Running lists the jobs that run now, the newest first.
func (e *Engine) Running(ctx context.Context) ([]model.Job, error) { return e.store.RunningJobs(ctx) }

// Ended lists jobs that have ended, the newest first, before a row (0: from the top), at most limit,
// without their results.
func (e *Engine) Ended(ctx context.Context, f model.JobFilter, before int64, limit int) ([]model.Job, error) {
	return e.store.EndedJobs(ctx, f, before, limit)
}

// around is work within what is to be around every job.
func (e *Engine) around(alone bool, work Work) Work {
	if alone || e.Around == nil {
		return work
	}
	return func(ctx context.Context, tell progress.Tell) (any, error) {
		defer e.Around()()
		return work(ctx, tell)
	}
}

func (e *Engine) run(within context.Context, j model.Job, f *feed, work Work, alone bool) {
	defer e.wg.Done()
	if f.cancel != nil {
		defer f.cancel(nil)
	}
	flushed := make(chan struct{})
	stop := make(chan struct{})
	go func() {
		defer close(flushed)
		t := time.NewTicker(100 * time.Millisecond)
		defer t.Stop()
		for {
			select {
			case <-t.C:
				e.flush(j.ID, f)
			case <-stop:
				return
			}
		}
	}()
	result, err := e.guarded(within, f, e.around(alone, work))
	close(stop)
	<-flushed
	state := "done"
	switch {
	case err != nil && within.Err() != nil && e.ctx.Err() == nil:
		state, err = "cancelled", context.Cause(within)
	case err != nil:
		state = "failed"
	}
	e.end(j, f, state, result, err)
}

// guarded turns a panic in one job into that job's failure.
func (e *Engine) guarded(within context.Context, f *feed, work Work) (result any, err error) {
	defer func() {
		if r := recover(); r != nil {
			e.log.Error("a job panicked", "panic", r)
			err = fmt.Errorf("an unexpected failure: %v", r)
		}
	}()
	return work(within, func(p progress.Event) {
		f.mu.Lock()
		defer f.mu.Unlock()
		// Of motions that come before the first is written down, the last takes the place of
		// the others: a run of 100,000 does not leave as many rows.
		if n := len(f.unsent); n > 0 && p.Kind == progress.Motion && f.unsent[n-1].Data.Kind == progress.Motion {
			f.unsent[n-1].Data, f.unsent[n-1].At = p, e.now() // nobody has seen the one before
			return
		}
		f.number++
		f.unsent = append(f.unsent, model.JobEvent{Number: f.number, Data: p, At: e.now()})
	})
}

// flush writes the new events and wakes the listeners.
func (e *Engine) flush(id string, f *feed) {
	f.mu.Lock()
	events := f.unsent
	f.unsent = nil
	f.mu.Unlock()
	if len(events) == 0 {
		return
	}
	if err := e.store.AddJobEvents(context.WithoutCancel(e.ctx), id, events); err != nil {
		f.mu.Lock()
		if !f.failing { // said once, not ten times a second
			e.log.Error("a job's events cannot be recorded; they are kept for the next try", "job", id, "err", err)
			f.failing = true
		}
		f.unsent = append(events, f.unsent...)
		f.mu.Unlock()
		return
	}
	f.mu.Lock()
	f.failing = false
	f.mu.Unlock()
	f.wake(false)
}

func (f *feed) wake(over bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	close(f.grew)
	f.grew = make(chan struct{})
	f.over = f.over || over
}

func (e *Engine) end(j model.Job, f *feed, state string, result any, err error) {
	e.flush(j.ID, f)
	var raw, problem json.RawMessage
	if err != nil {
		problem, _ = json.Marshal(e.problem(err))
		e.log.Warn("job "+state, "job", j.ID, "kind", j.Kind, "subject", j.Subject, "err", err)
	} else if raw, err = json.Marshal(result); err != nil {
		e.log.Error("a job's result cannot be written", "job", j.ID, "err", err)
	}
	e.insist(j, func() error {
		e.flush(j.ID, f)
		return e.store.EndJob(context.WithoutCancel(e.ctx), j.ID, state, raw, problem)
	})
	e.mu.Lock()
	delete(e.live, j.ID)
	e.mu.Unlock()
	f.wake(true)
}

// insist writes a job's end down until that works, or the service stops: until
// then whoever follows the job waits, instead of being told nothing.
func (e *Engine) insist(j model.Job, write func() error) {
	for {
		err := write()
		if err == nil {
			return
		}
		e.log.Error("a job's end cannot be recorded", "job", j.ID, "err", err)
		select {
		case <-e.ctx.Done():
			return
		case <-time.After(time.Second):
		}
	}
}

// Follow calls each for every event after a number, old and new, until the
// job has ended or the context ends. It returns the job as it then is.
func (e *Engine) Follow(ctx context.Context, id string, after int64, each func(model.JobEvent) error) (model.Job, error) {
	for {
		e.mu.Lock()
		f := e.live[id]
		e.mu.Unlock()
		var grew chan struct{}
		over := f == nil
		if f != nil {
			f.mu.Lock()
			grew, over = f.grew, f.over // it may have ended since it was found
			f.mu.Unlock()
		}
		events, err := e.store.JobEvents(ctx, id, after)
		if err != nil {
			return model.Job{}, err
		}
		for _, ev := range events {
			if err := each(ev); err != nil {
				return model.Job{}, err
			}
			after = ev.Number
		}
		if over {
			return e.store.Job(ctx, id)
		}
		select {
		case <-grew:
		case <-ctx.Done():
			return model.Job{}, ctx.Err()
		}
	}
}

// Find gives a job.
func (e *Engine) Find(ctx context.Context, id string) (model.Job, error) {
	return e.store.Job(ctx, id)
}
