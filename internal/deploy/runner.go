// Package deploy runs a draft against a host: it does motions, writes the
// journal, and finishes or takes back what a broken run left. It decides
// nothing that package draft can decide.
//
// The order is strict. No motion starts before its intent is durable. A group
// of motions begins only when every result of the group before it is durable;
// an undo walks the groups backwards under the same rule. So whatever a crash
// leaves, the names on the host tell what has happened.
package deploy

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/semaphore"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/stockroom"
)

// batch is the number of motions that share one journal transaction.
const batch = 256

// Point is where a run stands with one motion when a fault is injected.
type Point string

// The points, in order.
const (
	AfterIntent Point = "after intent"
	AfterEffect Point = "after effect"
	AfterResult Point = "after result"
)

// Run is one deployment being run, resumed or undone. The caller sets its fields and
// does not change them while a method runs. Between two calls it may set another host, after
// a lost connection, or extend the draft ([Run.Extend]).
type Run struct {
	ID      int64
	Names   draft.Names
	Draft   *draft.Draft
	Host    remote.Host
	Room    *stockroom.Room
	Journal Journal
	Power   Power         // nil where the server is not controlled
	Tell    progress.Tell // may be nil; called from one goroutine at a time
	// Resolution is of the host's file times, in milliseconds; 0 where it is
	// not known: then no time proves anything.
	Resolution int64
	// Clock tells the host's time, not later than it is; nil where that is not
	// known.
	Clock func() int64
	// Data has an undo put the copies of data folders back too.
	Data bool
	// Held is set where this run's deployment holds the host's lock: it is
	// given back with the work folder.
	Held bool
	// Quiet is for how long the log of a started program must stand still before
	// the program is taken for ended where it was never seen to run. 0 is a
	// usual while, less than 0 is none.
	Quiet time.Duration
	// Fault, where set, is called at every point of every motion, of several
	// motions at once; an error breaks the run there. Only tests set it.
	Fault func(Point, draft.Motion) error

	folders bool // the work folders are made
	stopSign
	mu        sync.Mutex
	ahead     *draft.Ahead // of a draft that is being made anew
	done      keys         // motions done so far
	sent      int64
	vacant    map[tree.Path]bool // looked at, and nothing is there
	arrived   map[string]arrival // of sent files, by temporary name
	edited    map[tree.Path]*Edited
	logStart  LogMark
	logMarked bool                               // logStart is known
	lies      map[tree.Digest]stockroom.Location // of what is about to be sent
	room      *semaphore.Weighted
	segment   *stockroom.Segment
	notes     []string
}

// MotionError is an error that halts a run at one motion.
type MotionError struct {
	Motion draft.Motion
	Err    error
}

func (t *MotionError) Error() string {
	if t.Motion.OfServer() {
		return fmt.Sprintf("%s: %v", t.Motion.Words(), t.Err)
	}
	doing := map[draft.MotionKind]string{draft.KeepMotion: "keeping a copy of", draft.SendMotion: "sending", draft.EditMotion: "editing", draft.AsideMotion: "setting aside",
		draft.InMotion: "putting in place", draft.DropMotion: "removing the folder", draft.TidyMotion: "tidying up"}[t.Motion.Kind]
	return fmt.Sprintf("%s %s: %v", doing, t.Motion.Path, t.Err)
}
func (t *MotionError) Unwrap() error { return t.Err }

// StoppedError is the reason for a halt that a person asked for.
type StoppedError struct{ Who string }

func (e *StoppedError) Error() string { return e.Who + " stopped it" }

// Extend gives the run a draft that continues the one it has.
func (r *Run) Extend(d *draft.Draft) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.Draft, r.folders, r.ahead = d, false, nil
}

func (r *Run) fault(p Point, m draft.Motion) error {
	if r.Fault == nil {
		return nil
	}
	return r.Fault(p, m)
}

// Forward does every motion of the given phases that the journal does not
// show as done, but the tidying. After an error the deployment is halted: Forward or Backward
// may be called again, by this service or a later one.
func (r *Run) Forward(ctx context.Context, phases ...draft.Phase) (err error) {
	marks, err := r.Journal.Marks(ctx, r.ID)
	if err != nil {
		return err
	}
	if r.Draft.Motions.Len() == 0 {
		return nil
	}
	if err := r.site().workFolders(ctx, marks); err != nil {
		return fmt.Errorf("make the work folder: %w", err)
	}
	defer func() { err = errors.Join(err, r.site().closeSegment()) }()
	r.begin(marks)
	for _, phase := range phases {
		if err := r.phase(ctx, phase, marks, func(m draft.Motion) bool { return m.Kind != draft.TidyMotion }); err != nil {
			return err
		}
	}
	return nil
}

// phase does the chosen motions of a phase, group by group.
func (r *Run) phase(ctx context.Context, phase draft.Phase, marks Marks, choose func(draft.Motion) bool) error {
	r.tell(progress.Event{Kind: progress.Phase, Phase: phase})
	for _, group := range r.Draft.Motions.Groups(phase) {
		if err := r.group(ctx, group, marks, choose); err != nil {
			return err
		}
	}
	return nil
}

// inFlight is how many bytes may be on their way at a time, so that large files
// go a few at a time and small ones by the hundred. least is what a file counts
// for at least.
const (
	inFlight = 16 << 20
	least    = inFlight / 256
)

// begin gathers what the journal knows of files that were sent already.
func (r *Run) begin(marks Marks) {
	r.arrived, r.room = map[string]arrival{}, semaphore.NewWeighted(inFlight)
	r.edited = editedBy(r.Draft, marks)
	for m := range r.Draft.Motions.All() {
		if marks.At(KeyOf(m)).State == Finished {
			r.noteLog(m, marks.At(KeyOf(m)).Result)
		}
		if mark := marks.At(KeyOf(m)); (m.Kind == draft.SendMotion || m.Kind == draft.EditMotion) && mark.State == Finished {
			r.arrived[m.Temp] = arrival{mark.Result.Size, mark.Result.Modified}
		}
	}
}

// group does the chosen motions of one group in batches.
func (r *Run) group(ctx context.Context, group draft.Group, marks Marks, choose func(draft.Motion) bool) error {
	next := func() (some []draft.Motion) {
		for ; group.From < group.To && len(some) < batch; group.From++ {
			m := r.Draft.Motions.At(group.From)
			switch {
			case !choose(m):
			case marks.At(KeyOf(m)).State == Finished:
				r.count(m)
			default:
				some = append(some, m)
			}
		}
		return some
	}
	// The next batch begins before the last of this one is through; the calls
	// under way are counted over all of them.
	f := &flight{calls: make(chan struct{}, max(1, r.Host.InFlight())), asked: r.asked}
	var g errgroup.Group
	g.SetLimit(overlapping)
	for !f.stopped.Load() {
		some := next()
		if len(some) == 0 {
			break
		}
		if err := r.asked(); err != nil {
			return errors.Join(g.Wait(), err)
		}
		if err := r.Journal.Intend(ctx, r.ID, some); err != nil {
			f.stopped.Store(true)
			return errors.Join(g.Wait(), err)
		}
		g.Go(func() error { return r.batch(ctx, f, some, marks) })
	}
	return g.Wait()
}

// overlapping is the number of batches under way at a time.
const overlapping = 8

// flight is what the batches of a group share. The first error stops what has
// not begun.
type flight struct {
	calls   chan struct{}
	stopped atomic.Bool
	asked   func() error // for a halt; nil where what is done cannot be stopped, since it only looks
}

// each runs do over the motions, as many at a time as the host is good for. The
// first error stops those that have not begun.
func (f *flight) each(ctx context.Context, motions []draft.Motion, do func(context.Context, int, draft.Motion) error) error {
	var g errgroup.Group
	for i, m := range motions {
		f.calls <- struct{}{}
		g.Go(func() error {
			defer func() { <-f.calls }()
			if f.stopped.Load() {
				return nil
			}
			err := ctx.Err()
			if err == nil && f.asked != nil {
				err = f.asked()
			}
			if err == nil {
				err = do(ctx, i, m)
			}
			if err != nil {
				f.stopped.Store(true)
				return &MotionError{Motion: m, Err: err}
			}
			return nil
		})
	}
	return g.Wait()
}

// batch does motions side by side whose intents are durable, and makes the
// results durable: also those that came before an error.
func (r *Run) batch(ctx context.Context, f *flight, motions []draft.Motion, marks Marks) error {
	outcomes := make([]*Outcome, len(motions))
	began := r.site().hostNow()
	if err := r.site().lookBefore(ctx, motions); err != nil {
		f.stopped.Store(true)
		return err
	}
	if err := r.site().find(ctx, motions); err != nil {
		f.stopped.Store(true)
		return err
	}
	err := f.each(ctx, motions, func(ctx context.Context, i int, m draft.Motion) error {
		if err := r.fault(AfterIntent, m); err != nil {
			return err
		}
		res, err := r.executor(m.Kind).forward(ctx, m, marks.At(KeyOf(m)).State == Intended)
		if err != nil {
			return err
		}
		if err := r.fault(AfterEffect, m); err != nil {
			return err
		}
		r.noteLog(m, res)
		outcomes[i] = &Outcome{Motion: m, Result: res}
		r.count(m)
		r.tell(progress.Event{Kind: progress.Motion, Phase: m.Phase, Step: m.Step, Path: m.Path})
		return nil
	})
	// What is known is written down even when the context has ended. What could
	// not be looked at stays unknown.
	if e := r.settle(ctx, f, outcomes, began); e != nil && err == nil {
		err = e
	}
	if e := r.site().conclude(context.WithoutCancel(ctx), outcomes, r.Journal.Conclude); e != nil {
		return errors.Join(err, e)
	}
	if err != nil {
		return err
	}
	for _, m := range motions {
		if err := r.fault(AfterResult, m); err != nil {
			return &MotionError{Motion: m, Err: err}
		}
	}
	return nil
}
