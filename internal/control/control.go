// Package control stops and starts game servers, sends lines to their consoles,
// and finds out whether they run: by commands on this machine, commands over SSH,
// HTTP requests, RCON, or a person's own hands.
//
// A [power.Control] says which way each act takes on one server; all of them are optional.
// A [Driver] does them. What an act answers is kept as it came; whether a server
// runs is told by its probes and never by an act having been sent.
package control

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"restlesscrate/internal/core/power"
)

// What stopping and starting may take where nothing is said.
const (
	defaultStop  = 60 * time.Second
	defaultReady = 3 * time.Minute
)

// StopLimit is the time limit for stopping.
func StopLimit(c *power.Control) time.Duration { return orSeconds(c.StopWithin, defaultStop) }

// ReadyLimit is the time limit for becoming ready.
func ReadyLimit(c *power.Control) time.Duration { return orSeconds(c.ReadyWithin, defaultReady) }

func orSeconds(n int, otherwise time.Duration) time.Duration {
	if n > 0 {
		return time.Duration(n) * time.Second
	}
	return otherwise
}

// Answer is the raw result of an act or a probe.
type Answer struct {
	Text string // output, the body of an answer, or the console's words
	Code int    // exit code or HTTP status, where there is one
}

// RefusedError is an act that the other side answered with a no.
type RefusedError struct {
	Act    power.Act
	By     string
	Answer Answer
	Why    string
}

func (r *RefusedError) Error() string {
	text := strings.TrimSpace(r.Answer.Text)
	if len(text) > 500 {
		text = text[:500] + "..."
	}
	if text != "" {
		text = ": " + text
	}
	return fmt.Sprintf("%s by %s %s%s", r.Act, r.By, r.Why, text)
}

// ErrByHand is returned for an act that a person has to do.
var ErrByHand = errors.New("it is done by hand")

// ErrNoWay is returned for an act that has no way on this server.
var ErrNoWay = errors.New("no way to do it is set")

// Shell runs a command on a server's host and gives its output and exit code. An
// error means that it is not known whether the command ran.
type Shell interface {
	// in is what the command finds on its standard input.
	Exec(ctx context.Context, command, in string) (out string, code int, err error)
}

// Driver does acts on one server.
type Driver struct {
	Spec    *power.Control
	Host    Shell // nil where the host gives none
	Secrets func(name string) (string, error)
	// Variables are the server's; {NAME} stands for one. ${NAME} is left to a
	// shell.
	Variables map[string]string
	// Patience is how long one command, request or answer may take; 0: 30 s.
	Patience time.Duration
}

// Do does an act. subject is the line that is sent, or the add-on's own line that
// reloads it. Errors are a *[RefusedError], or wrap [ErrByHand] or [ErrNoWay]; any
// other means that it is not known whether it was done.
func (d *Driver) Do(ctx context.Context, a power.Act, subject string) (Answer, error) {
	w, ok := d.Spec.Acts[a]
	if !ok {
		if a == power.Restart {
			return Answer{}, fmt.Errorf("%s: %w", a, ErrNoWay)
		}
		say, can := d.Spec.Acts[power.Say]
		switch {
		case a == power.Reload && can && say.By != power.ByHand: // what reloads is a line for the console
			w, ok = say, true
		case (a == power.Say || a == power.Reload) && d.Spec.RCON != "":
			w, ok = power.Way{By: power.ByRCON, Command: "{line}"}, true
		}
	}
	if !ok {
		return Answer{}, fmt.Errorf("%s: %w", a, ErrNoWay)
	}
	if err := oneLine(subject); err != nil {
		return Answer{}, fmt.Errorf("%s: %w", a, err)
	}
	f := d.filling(subject)
	if w.By == power.ByHand {
		// A person reads it: a secret stays a word in braces.
		words := power.Placeholder.ReplaceAllStringFunc(w.Command, func(word string) string {
			if v, known, err := f.value(word); known && err == nil && !strings.HasPrefix(word, "{secret:") {
				return v
			}
			return word
		})
		return Answer{Text: words}, fmt.Errorf("%s: %w", a, ErrByHand)
	}
	ctx, cancel := context.WithTimeout(ctx, d.patience())
	defer cancel()
	ans, why, err := f.way(ctx, w)
	ans, err = f.hide(ans, err)
	if err != nil {
		return ans, fmt.Errorf("%s by %s: %w", a, w.By, err)
	}
	if why != "" {
		return ans, &RefusedError{Act: a, By: w.By, Answer: ans, Why: f.mask(why)}
	}
	return ans, nil
}

func (d *Driver) patience() time.Duration {
	if d.Patience > 0 {
		return d.Patience
	}
	return 30 * time.Second
}

// way does something in one way. why says in words how the other side refused.
func (f *filling) way(ctx context.Context, w power.Way) (ans Answer, why string, err error) {
	switch w.By {
	case power.ByCommand, power.BySSH:
		ans, err = f.command(ctx, w.By, w.Command)
		if err == nil && ans.Code != 0 {
			why = fmt.Sprintf("ended with exit code %d", ans.Code)
		}
	case power.ByHTTP:
		return f.request(ctx, w.HTTP)
	case power.ByRCON:
		line := f.subject
		if w.Command != "" {
			if line, err = f.fill(w.Command, asIs); err != nil {
				return ans, "", err
			}
		}
		ans.Text, err = f.console(ctx, line)
	}
	return ans, why, err
}

func (f *filling) command(ctx context.Context, by, command string) (Answer, error) {
	s, err := f.shell(command)
	if err != nil {
		return Answer{}, err
	}
	return f.run(ctx, by, s)
}
