package deploy_test

import (
	"context"
	"errors"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/deploy"
)

// engine is a game server that is stopped and started, outside of any run.
type engine struct {
	mu      sync.Mutex
	state   power.Condition
	mute    bool // does the next act and gives no answer
	lag     int  // looks for which what it was told has no effect yet
	pending power.Condition
	deaf    bool // takes no notice
	unready bool
	first   func() // what it makes when it starts
	done    []power.Act
	with    string            // the program that it runs by; empty for its own
	ends    map[string]func() // programs that do something and end by themselves
	within  time.Duration     // that it may take
	lines   int64             // of its log
	slow    []power.Condition // what a program that ends shows before it does its work
	shows   []power.Condition // what is left of that
	then    func()            // its work
}

func (e *engine) State(context.Context) (power.Condition, string) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if len(e.shows) > 0 {
		now := e.shows[0]
		if e.shows = e.shows[1:]; len(e.shows) == 0 {
			e.then()
		}
		return now, "as it says itself"
	}
	if e.pending != "" {
		if e.lag--; e.lag <= 0 {
			e.state, e.pending = e.pending, ""
		}
	}
	return e.state, "as it says itself"
}

func (e *engine) Do(_ context.Context, act power.Act, _ string, with map[string]string) error {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.done = append(e.done, act)
	e.lines++
	to := power.Running
	if act == power.Stop {
		to = power.Stopped
	}
	if act == power.Start && e.first != nil {
		e.first()
	}
	if act == power.Start {
		e.with = with[draft.Program]
		if does := e.ends[e.with]; does != nil {
			if to, e.shows, e.then = power.Stopped, e.slow, does; len(e.shows) == 0 {
				does()
			}
		}
	}
	switch {
	case e.deaf || act == power.Reload:
	case e.lag > 0:
		e.pending = to
	default:
		e.state = to
	}
	if e.mute {
		e.mute = false
		return errFault
	}
	return nil
}

func (e *engine) Warn(context.Context) error { return nil }

func (e *engine) LogEnd(context.Context) (deploy.LogMark, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	return deploy.LogMark{Size: 1 + e.lines}, nil
}

func (e *engine) Ready(ctx context.Context, since deploy.LogMark) (bool, string, error) {
	state, words := e.State(ctx)
	if since.Size == 0 {
		return false, "", errors.New("where the log ended before the start is not known")
	}
	return state == power.Running && !e.unready, words, nil
}

func (e *engine) Limits() (stop, ready time.Duration) {
	limit := max(e.within, 10*time.Millisecond)
	return limit, limit
}

func TestAServerIsStoppedBeforeAnythingIsSwappedAndStartedAfter(t *testing.T) {
	b := newBench(t)
	r := b.run(0, "")
	var order []string
	r.Fault = oneByOne(func(p deploy.Point, m draft.Motion) error {
		if p == deploy.AfterIntent && (m.OfServer() || m.Kind == draft.InMotion || m.Kind == draft.AsideMotion || m.Kind == draft.EditMotion || m.Kind == draft.TidyMotion) {
			what := m.Kind.String()
			if m.OfServer() {
				what += " " + string(m.Do)
			}
			if len(order) == 0 || order[len(order)-1] != what {
				order = append(order, what)
			}
		}
		return nil
	})
	require.NoError(t, b.whole(r))
	require.Equal(t, []string{"power stop", "wait stopped", "edit", "aside", "in", "power start", "wait ready", "tidy"}, order)
	require.Equal(t, []power.Act{power.Stop, power.Start}, b.engine.done)
	b.isNew()
}

// A program that writes its log before anything shows that it runs has not ended.
func TestWhatIsNotSeenToRunYetHasNotEnded(t *testing.T) {
	b := newBenchOfStarts(t)
	b.engine.within = time.Minute
	b.engine.slow = []power.Condition{power.Stopped, power.Stopped, power.Stopped, power.Running}
	r := b.run(0, "")
	r.Quiet = 2 * time.Second
	waited := false
	r.Fault = oneByOne(func(p deploy.Point, m draft.Motion) error {
		if p == deploy.AfterEffect && m.Do == draft.UntilEnded {
			waited = true
			require.FileExists(t, filepath.Join(b.root, "lib"))
		}
		return nil
	})
	require.NoError(t, b.whole(r))
	require.True(t, waited)
	b.isNew()
}

func TestAServerThatDoesNotStopHaltsWithNothingSwapped(t *testing.T) {
	b := newBench(t)
	b.engine.deaf = true
	err := b.whole(b.run(0, ""))
	var late *deploy.LateError
	require.ErrorAs(t, err, &late)
	require.ErrorContains(t, err, "the server was told to stop and has not stopped within 10ms (as it says itself); see to it that it stops, then resume")
	for path, text := range b.old {
		require.Equal(t, text, snapshot(t, b)[path], path)
	}
	b.engine.deaf, b.engine.state = false, power.Stopped // somebody saw to it
	require.NoError(t, b.whole(b.run(0, "")))
	b.isNew()
}

func TestAServerThatDoesNotBecomeReadyIsTakenBack(t *testing.T) {
	b := newBench(t)
	b.engine.unready = true
	err := b.whole(b.run(0, ""))
	require.ErrorContains(t, err, "the server was started and is not ready after 10ms")
	b.engine.unready = false
	require.NoError(t, b.run(0, "").Backward(t.Context()))
	b.isOld()
	require.Equal(t, []power.Act{power.Stop, power.Start, power.Stop, power.Start}, b.engine.done)
}

func TestWhatWasToldAndHasNoEffectYetIsWaitedFor(t *testing.T) {
	b := newBench(t)
	b.engine.lag = 2
	require.NoError(t, b.whole(b.run(0, "")))
	b.isNew()
}

func TestAPersonIsWaitedFor(t *testing.T) {
	b := newBench(t)
	for i := range b.dep.Draft.Motions.Len() {
		if b.dep.Draft.Motions.At(i).Do == power.Stop {
			b.dep.Draft.Motions.Alter(i, func(m *draft.Motion) { m.Subject = "Press the red button." })
		}
	}
	err := b.asFar(b.run(0, ""))
	var w *deploy.WaitingError
	require.ErrorAs(t, err, &w)
	require.Equal(t, "Press the red button.", w.Text)
	require.Empty(t, b.engine.done)
	b.engine.state = power.Stopped
	require.NoError(t, b.whole(b.run(0, "")), "what a person has done is seen")
	b.isNew()
}
