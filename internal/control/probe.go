package control

import (
	"context"
	"errors"
	"fmt"
	"net"
	"regexp"
	"strings"
	"syscall"
)

// Found is what one probe found.
type Found struct {
	By        string
	Condition Condition
	Words     string // how it was told
}

// State asks every probe. One that says that the server runs is believed over the
// others; it is stopped where at least one says so and none is unsure.
func (d *Driver) State(ctx context.Context) (Condition, []Found) {
	state := Unknown
	unsure := false
	var all []Found
	for _, p := range d.Spec.Probes {
		f := d.probe(ctx, p)
		all = append(all, f)
		switch f.Condition {
		case Running:
			state = Running
		case Stopped:
			if state == Unknown {
				state = Stopped
			}
		default:
			unsure = true
		}
	}
	if state == Stopped && unsure {
		state = Unknown
	}
	return state, all
}

func (d *Driver) probe(ctx context.Context, p Probe) Found {
	ctx, cancel := context.WithTimeout(ctx, d.patience())
	defer cancel()
	c, words := Unknown, ""
	f := d.filling("")
	switch p.By {
	case ByPort:
		c, words = portState(ctx, p.Address)
	case ByCommand, BySSH:
		ans, err := f.command(ctx, p.By, p.Command)
		switch {
		case err != nil:
			words = err.Error()
		case ans.Code == 0:
			c, words = Running, "its command ended with 0"
		case ans.Code < 10:
			c, words = Stopped, fmt.Sprintf("its command ended with %d", ans.Code)
		default:
			words = (&RefusedError{Act: "ask", By: p.By, Answer: ans, Why: fmt.Sprintf("ended with exit code %d", ans.Code)}).Error()
		}
	case ByHTTP:
		c, words = f.requestState(ctx, p)
	case ByRCON:
		answer, err := f.probeConsole(ctx, p.Command)
		switch {
		case refused(err):
			c, words = Stopped, "nobody listens at "+d.Spec.RCON
		case err != nil:
			words = err.Error()
		default:
			c, words = Running, "its console answers"
			if p.Stopped != "" && regexp.MustCompile(p.Stopped).MatchString(answer) {
				c, words = Stopped, "its console says so"
			}
		}
	}
	return Found{By: p.By, Condition: c, Words: f.mask(words)}
}

func portState(ctx context.Context, address string) (Condition, string) {
	conn, err := new(net.Dialer).DialContext(ctx, "tcp", address)
	switch {
	case err == nil:
		_ = conn.Close()
		return Running, "something listens at " + address
	case refused(err):
		return Stopped, "nobody listens at " + address
	}
	return Unknown, err.Error()
}

func refused(err error) bool { return errors.Is(err, syscall.ECONNREFUSED) }

// probeConsole sends a probe's line, with what stands in braces filled in.
func (f *filling) probeConsole(ctx context.Context, command string) (string, error) {
	line, err := f.fill(command, asIs)
	if err != nil {
		return "", err
	}
	return f.console(ctx, line)
}

func (f *filling) requestState(ctx context.Context, p Probe) (Condition, string) {
	ans, why, err := f.request(ctx, p.HTTP)
	text := strings.TrimSpace(ans.Text)
	if len(text) > 120 {
		text = text[:120] + "..."
	}
	switch {
	case err != nil:
		return Unknown, err.Error()
	case p.Stopped != "" && regexp.MustCompile(p.Stopped).MatchString(ans.Text):
		return Stopped, "the answer says so: " + text
	case why == "":
		return Running, "the answer says so: " + text
	case p.Stopped == "" && ans.Code < 300 && p.HTTP.Expect != "":
		return Stopped, "the answer does not say that it runs: " + text
	}
	return Unknown, fmt.Sprintf("the answer is not understood: %d %s", ans.Code, text)
}

func checkExpression(expr string) error {
	if _, err := regexp.Compile(expr); err != nil {
		return errors.New(strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	return nil
}
