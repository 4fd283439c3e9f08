package deploy

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/remote"
)

// powerer stops and starts the server, has it take an add-on anew, and waits for it or for
// a person.
type powerer struct{ site }

func (r powerer) forward(ctx context.Context, m draft.Motion, _ bool) (Result, error) {
	return r.power(ctx, m)
}

func (r powerer) backward(ctx context.Context, m draft.Motion, marks Marks) (Result, error) {
	return r.unpower(ctx, m, marks)
}

// power does a motion of the server as a whole. Each looks at how the server
// stands first, so that doing it twice does it once.
func (r powerer) power(ctx context.Context, m draft.Motion) (Result, error) {
	if m.Do == draft.UntilTicked {
		return Result{}, &WaitingError{m, m.Subject}
	}
	if r.Power == nil {
		return Result{}, errNoPower
	}
	began := time.Now()
	res, err := r.powered(ctx, m)
	res.MS = time.Since(began).Milliseconds()
	return res, err
}

func (r powerer) powered(ctx context.Context, m draft.Motion) (Result, error) {
	switch m.Do {
	case power.Stop:
		state, words := r.Power.State(ctx)
		if state == power.Stopped {
			return Result{Told: Told{Words: words}}, nil
		}
		if m.Subject != "" {
			return Result{}, &WaitingError{m, m.Subject}
		}
		if err := r.Power.Warn(ctx); err != nil {
			r.note("players could not be told: %v", err)
		}
		return Result{}, r.Power.Do(ctx, power.Stop, "", nil)
	case draft.UntilStopped:
		words, err := r.until(ctx, draft.UntilStopped, func() (bool, string, error) {
			state, words := r.Power.State(ctx)
			return state == power.Stopped, words, nil
		})
		if err != nil {
			return Result{}, err
		}
		mark, err := r.Power.LogEnd(ctx)
		return Result{Told: Told{Words: words, Log: &mark}}, err
	case power.Start:
		if state, words := r.Power.State(ctx); state == power.Running {
			return Result{Told: Told{Words: words}}, nil
		}
		if m.Subject != "" {
			return Result{}, &WaitingError{m, m.Subject}
		}
		mark, err := r.Power.LogEnd(ctx) // where no stop has told
		if err != nil {
			return Result{}, err
		}
		err = r.Power.Do(ctx, power.Start, "", m.With)
		if err != nil && r.isTrial() && ctx.Err() == nil && !errors.Is(err, remote.ErrLine) {
			return Result{Told: Told{Log: &mark, Down: "it could not be started: " + err.Error()}}, nil
		}
		return Result{Told: Told{Log: &mark}}, err
	case draft.UntilEnded:
		words, err := r.until(ctx, draft.UntilEnded, r.ended(ctx))
		return Result{Told: Told{Words: words}}, err
	case draft.UntilReady:
		since := r.LogStart()
		words, err := r.until(ctx, draft.UntilReady, r.ready(ctx, since))
		return Result{Told: Told{Words: words}}, err
	case draft.UntilKnown:
		return r.known(ctx)
	case power.Reload:
		mark, err := r.Power.LogEnd(ctx)
		if err != nil {
			return Result{}, err
		}
		return Result{Told: Told{Log: &mark}}, r.Power.Do(ctx, power.Reload, m.Subject, nil)
	}
	return Result{}, fmt.Errorf("%s is nothing that a server does", m.Do)
}

// known waits until it is known whether the server comes up.
func (r powerer) known(ctx context.Context) (Result, error) {
	if down, err := r.Down(ctx); down != "" || err != nil { // it could not even be started
		return Result{}, err
	}
	words, err := r.until(ctx, draft.UntilKnown, r.ready(ctx, r.LogStart()))
	told := Told{Words: words}
	var late *LateError
	var fell *FellError
	switch {
	case errors.As(err, &late):
		told.Down, err = fmt.Sprintf("it is not ready after %s (%s)", late.Within, late.Words), nil
	case errors.As(err, &fell):
		told.Down, err = "it ran and has stopped again before it was ready; "+fell.Words, nil
	}
	return Result{Told: told}, err
}

// pause is the time between two looks at the server's state.
const pause = 250 * time.Millisecond

// until waits for a condition, for at most the server's limit.
func (r powerer) until(ctx context.Context, what power.Act, there func() (bool, string, error)) (string, error) {
	stop, ready := r.Power.Limits()
	within := ready
	if what == draft.UntilStopped {
		within = stop
	}
	end := time.Now().Add(within)
	said := ""
	for {
		ok, words, err := there()
		if err != nil || ok {
			return words, err
		}
		if words != said {
			said = words
			r.tell(progress.Event{Kind: progress.Note, Text: fmt.Sprintf("%s; %s", draft.Motion{Do: what}.Words(), words)})
		}
		if time.Now().After(end) {
			return words, &LateError{what, within, words}
		}
		select {
		case <-ctx.Done():
			return words, ctx.Err()
		case <-r.Stopped():
			return words, r.asked()
		case <-time.After(pause):
		}
	}
}

// falls is how many looks in a row have to show that a server does not run any more, once
// one has shown that it did: a probe may be wrong for a moment.
const falls = 3

// ready tells whether a server is ready, and gives up on one that ran and runs no more.
func (r powerer) ready(ctx context.Context, since LogMark) func() (bool, string, error) {
	ran, fallen := false, 0
	return func() (bool, string, error) {
		ok, words, err := r.Power.Ready(ctx, since)
		if ok || err != nil {
			return ok, words, err
		}
		switch state, probes := r.Power.State(ctx); state {
		case power.Running:
			ran, fallen = true, 0
		case power.Stopped:
			if fallen++; ran && fallen >= falls {
				return false, words, &FellError{Words: probes}
			}
		default:
			fallen = 0
		}
		return false, words, nil
	}
}

// unseen is for how long what was started may show nothing of itself before it is
// taken for ended, where its log tells nothing; usualQuiet is [Run.Quiet] where that
// is not set.
const (
	unseen     = 5 * time.Second
	usualQuiet = 2 * time.Second
)

// ended tells whether what was started has run and stopped by itself. A line of its
// log alone is no proof: it may come before anything shows that the program runs.
func (r powerer) ended(ctx context.Context) func() (bool, string, error) {
	ran, grew := false, false
	last, sign := r.LogStart(), time.Now()
	return func() (bool, string, error) {
		state, words := r.Power.State(ctx)
		if state != power.Stopped {
			ran = ran || state == power.Running
			return false, words, nil
		}
		now, err := r.Power.LogEnd(ctx)
		if err != nil {
			return false, words, err
		}
		if now != last {
			grew, last, sign = true, now, time.Now()
		}
		still := time.Since(sign)
		return ran || grew && still > cmp.Or(r.Quiet, usualQuiet) || still > unseen, words, nil
	}
}

// unpower takes a motion of the server back: one that was started is stopped, and
// one that was stopped and had been running is started.
func (r powerer) unpower(ctx context.Context, m draft.Motion, marks Marks) (Result, error) {
	switch {
	case m.Do == draft.UntilTicked:
		if marks.At(KeyOf(m)).State != Finished { // nobody has done it
			return Result{}, nil
		}
		if m.Back != "" {
			return Result{}, &WaitingError{m, m.Back}
		}
		r.note("what was done by hand stays done: %s", strings.Replace(m.Subject, "\n", " ", 1))
		return Result{}, nil
	case m.Kind == draft.WaitMotion || m.Do == power.Reload:
		return Result{}, nil
	}
	if r.Power == nil {
		return Result{}, errNoPower
	}
	state, words := r.Power.State(ctx)
	switch {
	case m.Do == power.Start && state != power.Stopped:
		if m.Subject != "" {
			return Result{}, &WaitingError{m, "Stop the server, so that its files can be taken back."}
		}
		if err := r.Power.Do(ctx, power.Stop, "", nil); err != nil {
			return Result{}, err
		}
		words, err := r.until(ctx, draft.UntilStopped, func() (bool, string, error) {
			state, words := r.Power.State(ctx)
			return state == power.Stopped, words, nil
		})
		return Result{Told: Told{Words: words}}, err
	case m.Do == power.Stop && m.Ran && state != power.Running:
		if m.Subject != "" {
			return Result{}, &WaitingError{m, cmp.Or(m.Back, "Start the server again.")}
		}
		mark, err := r.Power.LogEnd(ctx)
		if err != nil {
			return Result{}, err
		}
		if err := r.Power.Do(ctx, power.Start, "", nil); err != nil {
			r.note("everything is as it was, but the server could not be started again: %v", err)
			return Result{}, nil
		}
		words, err = r.until(ctx, draft.UntilReady, func() (bool, string, error) { return r.Power.Ready(ctx, mark) })
		var late *LateError
		if errors.As(err, &late) {
			r.note("everything is as it was and the server was started again, but it is not ready after %s (%s)", late.Within, late.Words)
			err = nil
		}
		return Result{Told: Told{Words: words}}, err
	}
	return Result{Told: Told{Words: words}}, nil
}
