package hosts

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"restlesscrate/internal/control"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// controlSecret prefixes the names of secrets that a control spec uses.
const controlSecret = "control:"

// specOf reads how a server is controlled; nil where that is not known.
func specOf(srv model.Server) (*power.Control, error) {
	if len(srv.Control) == 0 || string(srv.Control) == "null" {
		return nil, nil
	}
	var spec power.Control
	if err := json.Unmarshal(srv.Control, &spec); err != nil {
		return nil, fmt.Errorf("how %s is controlled cannot be read: %w", srv.Name, err)
	}
	return &spec, nil
}

// SetControl keeps how a server is stopped, started and spoken to, and secrets
// for it. A nil spec leaves the old one, an empty one takes it away.
func (s *Service) SetControl(ctx context.Context, name string, spec *power.Control, secrets map[string]string) (model.Server, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return srv, err
	}
	if spec != nil {
		if err := spec.Check(); err != nil {
			return srv, fault.New(fault.Usage, "bad-control", "%v", err).WithMend("docs/control.md shows what can be said.")
		}
		if srv.Control, err = json.Marshal(spec); err != nil {
			return srv, err
		}
		if len(spec.Acts)+len(spec.Probes) == 0 && spec.RCON == "" {
			srv.Control = nil
		}
		if err := s.Records.SaveControl(ctx, srv); err != nil {
			return srv, err
		}
	}
	for secret, plain := range secrets {
		sealed, err := s.Sealer.Seal([]byte(plain))
		if err != nil {
			return srv, err
		}
		if plain == "" {
			sealed = nil
		}
		if err := s.Records.PutSecret(ctx, srv.ID, controlSecret+secret, sealed); err != nil {
			return srv, err
		}
	}
	return srv, nil
}

// driver controls a server. h is its open host, nil where none is needed.
func (s *Service) driver(ctx context.Context, srv model.Server, spec *power.Control, h remote.Host) *control.Driver {
	d := &control.Driver{Spec: spec, Variables: srv.Variables, Secrets: func(name string) (string, error) {
		plain, err := s.dialing().secret(ctx, srv.ID, controlSecret+name)
		return string(plain), err
	}}
	if sh, ok := remote.Unwrapped[remote.Shell](h); ok && srv.Transport.Kind == "sftp" {
		d.Host = sh
	}
	return d
}

// needsShell tells whether a spec runs commands on the server's host.
func needsShell(spec *power.Control) bool {
	for _, w := range spec.Acts {
		if w.By == power.BySSH {
			return true
		}
	}
	return slices.ContainsFunc(spec.Probes, func(p power.Probe) bool { return p.By == power.BySSH })
}

// controlled finds a server with its driver. The host is open where the spec
// needs it; done closes it.
func (s *Service) controlled(ctx context.Context, name string) (srv model.Server, d *control.Driver, done func(), err error) {
	done = func() {}
	if srv, err = s.Find(ctx, name); err != nil {
		return srv, nil, done, err
	}
	spec, err := specOf(srv)
	if err != nil {
		return srv, nil, done, err
	}
	if spec == nil {
		return srv, nil, done, fault.New(fault.Conflict, "no-control", "how %s is stopped, started and spoken to is not known", name).WithMend("Say how.").By(finding.SetControl.On(name))
	}
	var h remote.Host
	if needsShell(spec) {
		if h, err = s.Connect(ctx, srv); err != nil {
			return srv, nil, done, err
		}
		done = func() { _ = h.Close() }
	}
	return srv, s.driver(ctx, srv, spec, h), done, nil
}

// Control gives how a server is controlled; nil where that is not known.
func (s *Service) Control(ctx context.Context, name string) (*power.Control, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return nil, err
	}
	return specOf(srv)
}

// Standing is whether a server runs, with what each probe found.
type Standing struct {
	Condition power.Condition
	Found     []control.Found
}

// probed is what probes have found, or are being asked.
type probed struct {
	turn  chan struct{} // holds one while they are asked; who leaves does not wait for it
	at    time.Time     // when they began to be asked
	key   string        // of how the server was controlled then
	found Standing
}

// State asks a server's probes. What they found within a time before is told again
// where that is recent enough for who asks, so all who watch share one asking; with 0
// nothing is told that was found before the call.
func (s *Service) State(ctx context.Context, name string, within time.Duration) (Standing, error) {
	srv, d, done, err := s.controlled(ctx, name)
	if err != nil {
		return Standing{}, err
	}
	defer done()
	asked := s.Now()
	s.mu.Lock()
	if s.probes == nil {
		s.probes = map[int64]*probed{}
	}
	p := s.probes[srv.ID]
	if p == nil {
		p = &probed{turn: make(chan struct{}, 1)}
		s.probes[srv.ID] = p
	}
	s.mu.Unlock()
	select {
	case p.turn <- struct{}{}:
	case <-ctx.Done():
		return Standing{}, ctx.Err()
	}
	defer func() { <-p.turn }()
	key, now := string(srv.Control), s.Now()
	if p.key == key && !p.at.Before(asked.Add(-within)) && !p.at.After(now) {
		return p.found, nil
	}
	c, found := d.State(ctx)
	if ctx.Err() == nil { // who gave up has found nothing
		p.at, p.key, p.found = now, key, Standing{c, found}
	}
	return Standing{c, found}, errors.Join(ctx.Err(), s.noted().game(ctx, srv, c, found))
}

// Act does one act at once, outside of any deployment.
func (s *Service) Act(ctx context.Context, name string, act power.Act, subject string) (control.Answer, error) {
	srv, d, done, err := s.controlled(ctx, name)
	if err != nil {
		return control.Answer{}, err
	}
	defer done()
	ans, err := d.Do(ctx, act, subject)
	if err == nil {
		err = s.noted().meant(ctx, srv, act)
	}
	return ans, actFault(srv, act, ans, err)
}

// actFault turns what came of an act into what a person should read.
func actFault(srv model.Server, act power.Act, ans control.Answer, err error) error {
	var no *control.RefusedError
	switch {
	case err == nil:
		return nil
	case errors.Is(err, control.ErrByHand):
		return fault.New(fault.Conflict, "by-hand", "%s of %s is done by hand: %s", act, srv.Name, ans.Text)
	case errors.Is(err, control.ErrNoWay):
		return fault.New(fault.Conflict, "no-way", "there is no way to %s %s", act, srv.Name).WithMend("Set one.").By(finding.SetControl.On(srv.Name))
	case errors.Is(err, control.ErrConsolePassword):
		return fault.New(fault.Failed, "console-password", "the console of %s refuses the password", srv.Name).WithMend("Give the right one.").By(finding.SetSecret.On(srv.Name, "rcon"))
	case errors.As(err, &no):
		return fault.New(fault.Failed, "refused", "%s: %v", srv.Name, no)
	}
	return fault.New(fault.Failed, "control-failed", "%s: %s", srv.Name, strings.TrimSpace(err.Error()))
}

// Acted is what came of an act that was waited for.
type Acted struct {
	control.Answer
	Words   string // that tell how it stands
	Already bool   // it stood so before, and nothing was done
}

// ActAndWait does an act and waits for its effect: until the server has stopped,
// or is ready. What runs is not started again, for two of them would write the same
// files; what is stopped is not stopped again.
func (s *Service) ActAndWait(ctx context.Context, name string, act power.Act, tell func(words string)) (done Acted, err error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return done, err
	}
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return done, err
	}
	h, err := s.Connect(ctx, srv)
	if err != nil {
		return done, err
	}
	defer h.Close()
	p, err := s.Power(ctx, srv, h, b)
	if err != nil {
		return done, err
	}
	if p.d == nil {
		_, _, _, err := s.controlled(ctx, name)
		return done, err
	}
	since, err := p.LogEnd(ctx)
	if err != nil {
		return done, err
	}
	if act == power.Restart && !p.d.Spec.Can(power.Restart) {
		if done, err = s.ActAndWait(ctx, name, power.Stop, tell); err != nil {
			return done, err
		}
		return s.ActAndWait(ctx, name, power.Start, tell)
	}
	if state, words := p.State(ctx); alreadySo(act, power.Condition(state)) {
		return Acted{Words: words, Already: true}, nil
	}
	// Who gives up, gives up the waiting: a command is not cut off half-way.
	if done.Answer, err = p.d.Do(context.WithoutCancel(ctx), act, ""); err != nil {
		return done, actFault(srv, act, done.Answer, err)
	}
	if err := s.noted().meant(ctx, srv, act); err != nil {
		return done, err
	}
	if act == power.Start || act == power.Restart {
		if err := s.Records.SaveStarted(context.WithoutCancel(ctx), srv.ID); err != nil {
			return done, err
		}
	}
	stop, ready := p.Limits()
	within, there := ready, func() (bool, string, error) { return p.Ready(ctx, since) }
	if act == power.Stop {
		within, there = stop, func() (bool, string, error) {
			state, words := p.State(ctx)
			return state == "stopped", words, nil
		}
	}
	var ok bool
	done.Words, ok, err = until(ctx, within, there, tell)
	if err == nil && !ok {
		err = fault.New(fault.Failed, "not-in-time", "%s was told to %s, and after %s that is not proved: %s", name, act, within, done.Words).WithMend("Read what its log says.").By(finding.ReadLog.On(name))
	}
	return done, err
}

// alreadySo tells whether a server stands as an act would have it.
func alreadySo(act power.Act, now power.Condition) bool {
	return act == power.Start && now == power.Running || act == power.Stop && now == power.Stopped
}

// until asks until something is so, and no longer than within.
func until(ctx context.Context, within time.Duration, there func() (bool, string, error), tell func(words string)) (words string, ok bool, err error) {
	said := ""
	for end := time.Now().Add(within); ; {
		if ok, words, err = there(); ok || err != nil {
			return words, ok, err
		}
		if words != said {
			said = words
			tell(words)
		}
		if time.Now().After(end) {
			return words, false, nil
		}
		select {
		case <-ctx.Done():
			return words, false, ctx.Err()
		case <-time.After(250 * time.Millisecond):
		}
	}
}
