// Package control stops and starts game servers, sends lines to their consoles,
// and finds out whether they run: by commands on this machine, commands over SSH,
// HTTP requests, RCON, or a person's own hands.
//
// A [Spec] says which way each act takes on one server; all of them are optional.
// A [Driver] does them. What an act answers is kept as it came; whether a server
// runs is told by its probes and never by an act having been sent.
package control

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
)

// Act is something that can be done to a server.
type Act string

// The acts. Reload is of one add-on; Say sends a line to the console.
const (
	Stop    Act = "stop"
	Start   Act = "start"
	Restart Act = "restart"
	Reload  Act = "reload"
	Say     Act = "say"
)

// Acts lists all.
var Acts = []Act{Stop, Start, Restart, Reload, Say}

// Ways by which an act is done or a probe finds out.
const (
	ByCommand = "command" // on this machine, by its shell
	BySSH     = "ssh"     // on the server's host, over the server's own SSH connection
	ByHTTP    = "http"
	ByRCON    = "rcon"
	ByHand    = "hand" // a person does it; Command is what they are told
	ByPort    = "port" // probes only: whether something listens at Address
)

// Way is how an act is done. {line} and {addon} in Command and in an HTTP
// request stand for what is sent or reloaded, {NAME} for a variable of the server, {secret:NAME} for a sealed secret.
type Way struct {
	By      string   `json:"by"`
	Command string   `json:"command,omitempty"` // of a shell, a line for the console, or words for a person
	HTTP    *Request `json:"http,omitempty"`
}

// Request is an HTTP request and what its answer must look like.
type Request struct {
	Method  string            `json:"method,omitempty"` // GET if it is empty
	URL     string            `json:"url"`
	Headers map[string]string `json:"headers,omitempty"`
	Body    string            `json:"body,omitempty"`
	// Expect is an RE2 expression that the answer's body must match; any answer
	// with a status below 300 is right where it is empty.
	Expect string `json:"expect,omitempty"`
}

// Probe is a way to find out whether a server runs. For commands, an exit code of
// 0 says that it runs, any other up to 9 that it does not. For requests and the
// console, an answer like Expect says that it runs; where Stopped is given, one
// like that says that it does not. A console or a port that refuses says that it
// does not run.
type Probe struct {
	By      string   `json:"by"`
	Command string   `json:"command,omitempty"`
	HTTP    *Request `json:"http,omitempty"`
	Stopped string   `json:"stopped,omitempty"`
	Address string   `json:"address,omitempty"` // host:port, with By port
}

// Spec is how one server is controlled.
type Spec struct {
	Acts   map[Act]Way `json:"acts,omitempty"`
	Probes []Probe     `json:"probes,omitempty"`
	RCON   string      `json:"rcon,omitempty"` // host:port; the password is the secret "rcon"
	// Seconds that stopping and becoming ready may take.
	StopWithin  int `json:"stopWithin,omitempty"`
	ReadyWithin int `json:"readyWithin,omitempty"`
	// Warn is said before a stop, so many seconds before it; the longest first.
	Warn []Warning `json:"warn,omitempty"`
}

// Warning is a line for the console before a stop.
type Warning struct {
	Seconds int    `json:"seconds"`
	Line    string `json:"line"` // {seconds} stands for the number
}

// What stopping and starting may take where nothing is said.
const (
	defaultStop  = 60 * time.Second
	defaultReady = 3 * time.Minute
)

// StopLimit is how long stopping may take.
func (s *Spec) StopLimit() time.Duration { return orSeconds(s.StopWithin, defaultStop) }

// ReadyLimit is how long it may take until the server is ready.
func (s *Spec) ReadyLimit() time.Duration { return orSeconds(s.ReadyWithin, defaultReady) }

func orSeconds(n int, otherwise time.Duration) time.Duration {
	if n > 0 {
		return time.Duration(n) * time.Second
	}
	return otherwise
}

// Can tells whether an act is possible without a person's hands.
func (s *Spec) Can(a Act) bool {
	if s == nil {
		return false
	}
	w, ok := s.Acts[a]
	return ok && w.By != ByHand
}

// Check tells everything that is wrong with a spec.
func (s *Spec) Check() error {
	var wrong []error
	bad := func(format string, args ...any) { wrong = append(wrong, fmt.Errorf(format, args...)) }
	request := func(what string, r *Request) {
		if r == nil || !strings.HasPrefix(r.URL, "http://") && !strings.HasPrefix(r.URL, "https://") {
			bad("%s by http needs an address (url) that begins with http:// or https://", what)
			return
		}
		if err := checkExpression(r.Expect); err != nil {
			bad("%s: expect: %w", what, err)
		}
	}
	for _, a := range slices.Sorted(maps.Keys(s.Acts)) {
		w := s.Acts[a]
		if !slices.Contains(Acts, a) {
			bad("there is no act %q; there are stop, start, restart, reload and say", a)
			continue
		}
		switch w.By {
		case ByCommand, BySSH, ByHand:
			if w.Command == "" {
				bad("%s by %s needs a command", a, w.By)
			}
		case ByRCON:
			if w.Command == "" && a != Say {
				bad("%s by rcon needs a command: the line that is sent", a)
			}
			if s.RCON == "" {
				bad("%s by rcon needs rcon: HOST:PORT", a)
			}
		case ByHTTP:
			request(string(a), w.HTTP)
		default:
			bad("%s: %q is no way; there are command, ssh, http, rcon and hand", a, w.By)
		}
	}
	for i, p := range s.Probes {
		what := fmt.Sprintf("probe %d", i+1)
		switch p.By {
		case ByCommand, BySSH:
			if p.Command == "" {
				bad("%s by %s needs a command", what, p.By)
			}
		case ByPort:
			if p.Address == "" {
				bad("%s by port needs an address: HOST:PORT", what)
			}
		case ByHTTP:
			request(what, p.HTTP)
		case ByRCON:
			if s.RCON == "" {
				bad("%s by rcon needs rcon: HOST:PORT", what)
			}
		default:
			bad("%s: %q is no way; there are command, ssh, http, rcon and port", what, p.By)
		}
		if err := checkExpression(p.Stopped); err != nil {
			bad("%s: stopped: %w", what, err)
		}
	}
	return errors.Join(wrong...)
}

// Condition is whether a server runs.
type Condition string

// The conditions.
const (
	Running Condition = "running"
	Stopped Condition = "stopped"
	Unknown Condition = "unknown"
)

// Answer is what came of an act or a probe, as it came.
type Answer struct {
	Text string // output, the body of an answer, or the console's words
	Code int    // exit code or HTTP status, where there is one
}

// RefusedError is an act that the other side answered with a no.
type RefusedError struct {
	Act    Act
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
	Spec    *Spec
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
func (d *Driver) Do(ctx context.Context, a Act, subject string) (Answer, error) {
	w, ok := d.Spec.Acts[a]
	if !ok {
		if a == Restart {
			return Answer{}, fmt.Errorf("%s: %w", a, ErrNoWay)
		}
		if (a == Say || a == Reload) && d.Spec.RCON != "" {
			w, ok = Way{By: ByRCON, Command: "{line}"}, true
		}
	}
	if !ok {
		return Answer{}, fmt.Errorf("%s: %w", a, ErrNoWay)
	}
	if err := oneLine(subject); err != nil {
		return Answer{}, fmt.Errorf("%s: %w", a, err)
	}
	f := d.filling(subject)
	if w.By == ByHand {
		// A person reads it: a secret stays a word in braces.
		words := placeholder.ReplaceAllStringFunc(w.Command, func(word string) string {
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
func (f *filling) way(ctx context.Context, w Way) (ans Answer, why string, err error) {
	switch w.By {
	case ByCommand, BySSH:
		ans, err = f.command(ctx, w.By, w.Command)
		if err == nil && ans.Code != 0 {
			why = fmt.Sprintf("ended with exit code %d", ans.Code)
		}
	case ByHTTP:
		return f.request(ctx, w.HTTP)
	case ByRCON:
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

// Takes lists the words in braces that a way holds.
func (w Way) Takes() (out []string) {
	text := w.Command
	if w.HTTP != nil {
		text += w.HTTP.URL + w.HTTP.Body
	}
	for _, word := range placeholder.FindAllString(text, -1) {
		if word[0] != '$' && !strings.HasPrefix(word, "{secret:") {
			out = append(out, strings.Trim(word, "{}"))
		}
	}
	return out
}
