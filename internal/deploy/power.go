package deploy

import (
	"context"
	"errors"
	"fmt"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
)

// Power stops and starts a server and tells how it stands. What it tells is by
// probes; that an act was sent proves nothing.
type Power interface {
	// State tells whether the server runs, and how that was told.
	State(ctx context.Context) (power.Condition, string)
	// Do sends an act. subject is the line that reloads, and with are
	// variables for a start that have other values than the server's own. It returns when the act
	// was taken, not when it has had its effect.
	Do(ctx context.Context, act power.Act, subject string, with map[string]string) error
	// Warn tells players that the server stops, and takes as long as was promised.
	Warn(ctx context.Context) error
	// LogEnd tells where the log ends now.
	LogEnd(ctx context.Context) (LogMark, error)
	// Ready tells whether the server has become ready since the mark, and how that
	// was told.
	Ready(ctx context.Context, since LogMark) (bool, string, error)
	// Limits are how long stopping and becoming ready may take.
	Limits() (stop, ready time.Duration)
}

// LogMark is where a log ended, with what tells it from a log that was begun anew under the
// same name: its size alone does not, since a server that starts as it did before writes as
// much again.
type LogMark struct {
	Size int64  `json:"size"`
	Head string `json:"head,omitempty"` // digest of its first bytes
	Long int64  `json:"long,omitempty"` // how many bytes Head, and Tail, are of
	Tail string `json:"tail,omitempty"` // digest of the bytes in front of Size
	// Modified is the host's time of it, UTC milliseconds; 0 where that is not known. A log of
	// the same size and another time was begun anew: one that was written on is longer.
	Modified int64 `json:"modified,omitempty"`
}

// LateError is returned where what was waited for did not come.
type LateError struct {
	Wait   power.Act
	Within time.Duration
	Words  string // what the probes say
}

func (e *LateError) Error() string {
	if e.Wait == draft.UntilStopped {
		return fmt.Sprintf("the server was told to stop and has not stopped within %s (%s); see to it that it stops, then resume", e.Within, e.Words)
	}
	return fmt.Sprintf("the server was started and is not ready after %s (%s); resume waits once more, undo takes everything back", e.Within, e.Words)
}

// FellError is returned where a server was seen to run and has stopped again before it was
// ready: waiting longer brings nothing.
type FellError struct{ Words string }

func (e *FellError) Error() string {
	return "the server ran and has stopped again before it was ready; " + e.Words
}

// WaitingError is returned where a person has to do something first. The deployment
// goes on once they say that it is done.
type WaitingError struct {
	Motion draft.Motion
	Text   string // what is to be done
}

func (w *WaitingError) Error() string { return "waiting for a person: " + w.Text }

// errNoPower is returned where a draft wants what the server's control no longer gives.
var errNoPower = errors.New("there is no way to stop or start this server any more")

// LogStart is where the log ended before the server was started, before the first reload, or
// before what takes effect at once was placed.
func (r *Run) LogStart() LogMark {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.logStart
}

// noteLog notes where the log ended before a start, or else before the first reload.
func (r *Run) noteLog(m draft.Motion, res Result) {
	if res.Log == nil {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if m.Do == power.Reload {
		if r.logMarked {
			return
		}
	}
	r.logStart, r.logMarked = *res.Log, true
}

// isTrial tells whether the server is started to see whether it comes up.
func (r *Run) isTrial() bool {
	return r.Draft.Motions.Contains(func(m draft.Motion) bool { return m.Do == draft.UntilKnown })
}

// Down says why a server that this run started to see whether it comes up did not; empty where
// it did, or where none was.
func (r *Run) Down(ctx context.Context) (string, error) {
	if !r.isTrial() { // the journal of a long run takes its time to read
		return "", nil
	}
	marks, err := r.Journal.Marks(ctx, r.ID)
	if err != nil {
		return "", err
	}
	for m := range r.Draft.Motions.All() {
		if down := marks.At(KeyOf(m)).Result.Down; down != "" {
			return down, nil
		}
	}
	return "", nil
}

// MarkLog notes where the log ends now, unless a motion of the server has done so: what
// takes effect by being placed is told behind it.
func (r *Run) MarkLog(ctx context.Context) error {
	r.mu.Lock()
	marked := r.logMarked
	r.mu.Unlock()
	if marked || r.Power == nil || r.Draft.Powered() {
		return nil
	}
	mark, err := r.Power.LogEnd(ctx)
	if err != nil {
		return err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.logStart, r.logMarked = mark, true
	return nil
}
