// Package power is what can be said of stopping and starting a game server: the acts, the
// ways in which each can be done, the probes that tell whether it runs, and in which
// condition it is. Nothing here does any of it.
package power

import (
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
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
	By      string       `json:"by" yaml:"by" enum:"command,ssh,http,rcon,hand"`
	Command string       `json:"command,omitempty" yaml:"command" doc:"Of a shell, a line for the console, or words for a person; {line} and {addon} stand for what is sent or reloaded, {secret:NAME} for a secret"`
	HTTP    *HTTPRequest `json:"http,omitempty" yaml:"http"`
}

// HTTPRequest is an HTTP request and what its answer must look like.
type HTTPRequest struct {
	Method  string            `json:"method,omitempty" yaml:"method"` // GET if it is empty
	URL     string            `json:"url" yaml:"url"`
	Headers map[string]string `json:"headers,omitempty" yaml:"headers"`
	Body    string            `json:"body,omitempty" yaml:"body"`
	// Expect is an RE2 expression that the answer's body must match; any answer
	// with a status below 300 is right where it is empty.
	Expect string `json:"expect,omitempty" yaml:"expect" doc:"An expression that the answer must match"`
}

// Probe is a way to find out whether a server runs. For commands, an exit code of
// 0 says that it runs, any other up to 9 that it does not. For requests and the
// console, an answer like Expect says that it runs; where Stopped is given, one
// like that says that it does not. A console or a port that refuses says that it
// does not run.
type Probe struct {
	By      string       `json:"by" yaml:"by" enum:"command,ssh,http,rcon,port"`
	Command string       `json:"command,omitempty" yaml:"command"`
	HTTP    *HTTPRequest `json:"http,omitempty" yaml:"http"`
	Stopped string       `json:"stopped,omitempty" yaml:"stopped" doc:"What an answer looks like that says that it does not run"`
	Address string       `json:"address,omitempty" yaml:"address" doc:"HOST:PORT, by port"`
}

// Control is how one server is stopped, started and spoken to; all of it is optional. It is
// written as it stands in requests, in records and in files.
type Control struct {
	Acts   map[Act]Way `json:"acts,omitempty" yaml:"acts" doc:"stop, start, restart, reload, say"`
	Probes []Probe     `json:"probes,omitempty" yaml:"probes" doc:"How it is told whether it runs"`
	RCON   string      `json:"rcon,omitempty" yaml:"rcon" doc:"HOST:PORT; the password is the secret rcon"`
	// Seconds that stopping and becoming ready may take.
	StopWithin  int `json:"stopWithin,omitempty" yaml:"stop-within" doc:"Seconds; 60 if it is not said"`
	ReadyWithin int `json:"readyWithin,omitempty" yaml:"ready-within" doc:"Seconds; 180 if it is not said"`
	// Warn is said before a stop, so many seconds before it; the longest first.
	Warn []Warning `json:"warn,omitempty" yaml:"warn" doc:"Lines for the console before a stop, the longest first"`
}

// Warning is a line for the console before a stop.
type Warning struct {
	Seconds int    `json:"seconds" yaml:"seconds"`
	Line    string `json:"line" yaml:"line" doc:"{seconds} stands for the number"`
}

// Can tells whether an act is possible without a person's hands.
func (c *Control) Can(a Act) bool {
	if c == nil {
		return false
	}
	w, ok := c.Acts[a]
	return ok && w.By != ByHand
}

// Check tells everything that is wrong with it.
func (c *Control) Check() error {
	var wrong []error
	bad := func(format string, args ...any) { wrong = append(wrong, fmt.Errorf(format, args...)) }
	request := func(what string, r *HTTPRequest) {
		if r == nil || !strings.HasPrefix(r.URL, "http://") && !strings.HasPrefix(r.URL, "https://") {
			bad("%s by http needs an address (url) that begins with http:// or https://", what)
			return
		}
		if err := checkExpression(r.Expect); err != nil {
			bad("%s: expect: %w", what, err)
		}
	}
	for _, a := range slices.Sorted(maps.Keys(c.Acts)) {
		w := c.Acts[a]
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
			if c.RCON == "" {
				bad("%s by rcon needs rcon: HOST:PORT", a)
			}
		case ByHTTP:
			request(string(a), w.HTTP)
		default:
			bad("%s: %q is no way; there are command, ssh, http, rcon and hand", a, w.By)
		}
	}
	for i, p := range c.Probes {
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
			if c.RCON == "" {
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

// Takes lists the words in braces that a way holds.
func (w Way) Takes() (out []string) {
	text := w.Command
	if w.HTTP != nil {
		text += w.HTTP.URL + w.HTTP.Body
	}
	for _, word := range Placeholder.FindAllString(text, -1) {
		if word[0] != '$' && !strings.HasPrefix(word, "{secret:") {
			out = append(out, strings.Trim(word, "{}"))
		}
	}
	return out
}

// Placeholder is a word in braces. ${NAME} is a shell's own.
var Placeholder = regexp.MustCompile(`\$?\{(secret:)?[A-Za-z0-9_-]+\}`)

func checkExpression(expr string) error {
	if _, err := regexp.Compile(expr); err != nil {
		return errors.New(strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	return nil
}
