package control

import (
	"context"
	"errors"
	"fmt"
	"net"
	"regexp"
	"strings"
	"syscall"

	"restlesscrate/internal/core/power"
)

// Found is what one probe found.
type Found struct {
	By        string
	Condition power.Condition
	Words     string // how it was told
}

// State asks every probe. One that says that the server runs is believed over the
// others; it is stopped where at least one says so and none is unsure.
func (d *Driver) State(ctx context.Context) (power.Condition, []Found) {
	state := power.Unknown
	unsure := false
	var all []Found
	for _, p := range d.Spec.Probes {
		f := d.probe(ctx, p)
		all = append(all, f)
		switch f.Condition {
		case power.Running:
			state = power.Running
		case power.Stopped:
			if state == power.Unknown {
				state = power.Stopped
			}
		default:
			unsure = true
		}
	}
	if state == power.Stopped && unsure {
		state = power.Unknown
	}
	return state, all
}

func (d *Driver) probe(ctx context.Context, p power.Probe) Found {
	ctx, cancel := context.WithTimeout(ctx, d.patience())
	defer cancel()
	c, words := power.Unknown, ""
	f := d.filling("")
	switch p.By {
	case power.ByPort:
		c, words = portState(ctx, p.Address)
	case power.ByCommand, power.BySSH:
		ans, err := f.command(ctx, p.By, p.Command)
		switch {
		case err != nil:
			words = err.Error()
		case ans.Code == 0:
			c, words = power.Running, "its command ended with 0"
		case ans.Code < 10:
			c, words = power.Stopped, fmt.Sprintf("its command ended with %d", ans.Code)
		default:
			words = (&RefusedError{Act: "ask", By: p.By, Answer: ans, Why: fmt.Sprintf("ended with exit code %d", ans.Code)}).Error()
		}
	case power.ByHTTP:
		c, words = f.requestState(ctx, p)
	case power.ByRCON:
		answer, err := f.probeConsole(ctx, p.Command)
		switch {
		case refused(err):
			c, words = power.Stopped, "nobody listens at "+d.Spec.RCON
		case err != nil:
			words = err.Error()
		default:
			c, words = power.Running, "its console answers"
			if p.Stopped != "" && regexp.MustCompile(p.Stopped).MatchString(answer) {
				c, words = power.Stopped, "its console says so"
			}
		}
	}
	return Found{By: p.By, Condition: c, Words: f.mask(words)}
}

func portState(ctx context.Context, address string) (power.Condition, string) {
	conn, err := new(net.Dialer).DialContext(ctx, "tcp", address)
	switch {
	case err == nil:
		_ = conn.Close()
		return power.Running, "something listens at " + address
	case refused(err):
		return power.Stopped, "nobody listens at " + address
	}
	return power.Unknown, err.Error()
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

func (f *filling) requestState(ctx context.Context, p power.Probe) (power.Condition, string) {
	ans, why, err := f.request(ctx, p.HTTP)
	text := strings.TrimSpace(ans.Text)
	if len(text) > 120 {
		text = text[:120] + "..."
	}
	switch {
	case err != nil:
		return power.Unknown, err.Error()
	case p.Stopped != "" && regexp.MustCompile(p.Stopped).MatchString(ans.Text):
		return power.Stopped, "the answer says so: " + text
	case why == "":
		return power.Running, "the answer says so: " + text
	case p.Stopped == "" && ans.Code < 300 && p.HTTP.Expect != "":
		return power.Stopped, "the answer does not say that it runs: " + text
	}
	return power.Unknown, fmt.Sprintf("the answer is not understood: %d %s", ans.Code, text)
}
