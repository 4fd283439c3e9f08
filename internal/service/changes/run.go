package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
)

// Run runs a draft that a person has read: digest names it. The concerned
// paths are looked at again first; if anything differs there is a new draft
// and nothing was done. What did not load goes back alone once it is done, where that was asked for.
func (s *Service) Run(ctx context.Context, d model.Deployment, digest string, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error) {
	d, err := s.once(ctx, d, digest, accepts, actor, tell)
	if err != nil {
		return d, err
	}
	return s.apart(ctx, d, actor, tell)
}

// once is [Service.Run] without what follows on it.
func (s *Service) once(ctx context.Context, d model.Deployment, digest string, accepts []finding.Accept, actor string, tell progress.Tell) (_ model.Deployment, err error) {
	if d, err = s.agreed(d, digest, accepts, actor); err != nil {
		return d, err
	}
	srv, err := s.Records.ServerByID(ctx, d.ServerID)
	if err != nil {
		return d, err
	}
	if err := s.drive().enqueue(ctx, d); err != nil {
		return d, err
	}
	begun := false
	defer func() {
		if !begun {
			err = errors.Join(err, s.drive().unstart(ctx, d))
		}
	}()
	early, end, err := s.queue.enter(ctx, d, tell)
	if err != nil {
		return d, err
	}
	defer end()
	if err := s.readier().runnable(ctx, d); err != nil {
		return d, err
	}
	looking := s.Now()
	h, err := s.Hosts.Connect(early, srv)
	if err != nil {
		return d, err
	}
	defer h.Close()
	if err := s.tidier().tidyEarlier(ctx, srv, h, tell); err != nil {
		return d, err
	}
	var ahead draft.Ahead
	if d.Motions > 0 {
		ahead, err = s.Records.Ahead(ctx, d.ID)
	} else {
		d, err = s.Records.DeploymentByID(ctx, d.ID)
	}
	if err != nil {
		return d, err
	}
	run := s.drive().runner(srv, d, h, tell)
	run.Foresee(ahead)
	made, same, clock, err := s.readier().ready(early, srv, run, d, tell)
	if early.Err() != nil && ctx.Err() == nil { // somebody has taken it out of the queue
		if err == nil {
			err = run.GiveUp(ctx)
		}
		return d, errors.Join(context.Cause(early), err)
	}
	if err != nil {
		return d, err
	}
	if !same {
		begun = true
		if err := s.drive().unstart(ctx, d); err != nil {
			return d, err
		}
		return d, s.readier().stale(ctx, d, made, actor)
	}
	d.Draft = *made // the same, with the times of this look
	run.Given(made)
	save := s.Records.SaveDraft
	if made.Passing() == ahead.Passing {
		save = s.Records.SaveOutline // writing a long one again takes its time
	}
	if err := errors.Join(save(ctx, d), s.Records.SaveRun(ctx, d), s.drive().rememberParts(ctx, d)); err != nil {
		return d, errors.Join(err, run.GiveUp(context.WithoutCancel(ctx)))
	}
	if err := errors.Join(s.verifier().Before(ctx, srv, h, d.Draft), s.wayBack().reserve(d)); err != nil {
		return d, errors.Join(err, run.GiveUp(context.WithoutCancel(ctx)))
	}
	begun = true
	d.Draft.Spare() // they would be kept as long as this call goes on
	d.Figures.LookMS = s.Now().Sub(looking).Milliseconds()
	return s.drive().forward(ctx, srv, run, d, model.Queued, clock, tell)
}

// agreed gives a draft with what a person accepts of it, if it is the one that they have
// read and nothing is left open.
func (s *Service) agreed(d model.Deployment, digest string, accepts []finding.Accept, actor string) (model.Deployment, error) {
	if d.State != model.Draft {
		return d, WrongState(d, "run")
	}
	if digest != d.Digest.String() {
		return d, fault.New(fault.Conflict, "other-draft", "the digest given is not that of %s", d.Name()).WithMend("Read the draft as it is.").By(finding.ShowDeployment.On(d.Name()))
	}
	d.Accepts = append(d.Accepts, signed(accepts, actor)...)
	d.Runner = actor
	open := finding.Open(d.Draft.Findings, d.Accepts)
	// What the service's own disk has free is looked at when room is reserved.
	open = slices.DeleteFunc(open, func(f finding.Finding) bool { return f.Code == draft.OwnDisk })
	if len(open) > 0 {
		return d, blocked(d, open)
	}
	return d, nil
}

// fresh is how old a draft may be that changes nothing on the server and is not
// looked at again: it would only find the same a moment later.
const fresh = time.Minute

// rememberParts keeps the parts by choice that are being deployed for the next
// versions.
func (s driver) rememberParts(ctx context.Context, d model.Deployment) error {
	ask, err := requests.Read(d.Ask)
	if err != nil {
		return err
	}
	return errors.Join(s.Records.SaveChoices(ctx, d.ServerID, ask.Parts), s.Records.KeepSides(ctx, d.ServerID, ask.Keep))
}

func blocked(d model.Deployment, open []finding.Finding) error {
	what := "1 finding blocks"
	if len(open) > 1 {
		what = fmt.Sprintf("%d findings block", len(open))
	}
	f := fault.New(fault.Blocked, "blocked", "%s %s", what, d.Name())
	f.Findings, f.Deployment = open, d.Name()
	return f
}

// enqueue makes a draft one that waits for its server's slot.
func (s driver) enqueue(ctx context.Context, d model.Deployment) error {
	err := s.Records.Advance(ctx, d.ID, model.Queued, model.Draft)
	if errors.Is(err, model.ErrConflict) {
		return fault.New(fault.Conflict, "wrong-state", "%s cannot run: %s", d.Name(), model.ConflictText(err))
	}
	return err
}

// WrongState says that a deployment cannot be run, resumed or undone as it stands, and what
// can be done with it instead.
func WrongState(d model.Deployment, verb string) error {
	f := fault.New(fault.Conflict, "wrong-state", "%s is %s; it cannot be %s", d.Name(), d.State, map[string]string{"run": "run", "resume": "resumed", "undo": "undone"}[verb])
	switch d.State {
	case model.Done:
		return f.WithMend("A finished deployment is rolled back.").By(finding.RollBack.On(d.Name()))
	case model.Halted:
		return f.WithMend("Resume it or undo it.").By(finding.ResumeDeployment.On(d.Name()), finding.UndoDeployment.On(d.Name()))
	}
	return f
}

// Resume finishes a halted deployment.
func (s *Service) Resume(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (model.Deployment, error) {
	if d.State != model.Halted {
		return d, WrongState(d, "resume")
	}
	d, err := s.drive().goOn(ctx, d, actor, tell, func(now model.Deployment) error {
		if now.State != model.Halted {
			return WrongState(now, "resume")
		}
		return nil
	})
	if err != nil {
		return d, err
	}
	return s.apart(ctx, d, actor, tell)
}

// myTurn waits for a deployment's turn and gives the deployment as it is then: what
// was read before the wait may be long past.
func (s driver) myTurn(ctx context.Context, d model.Deployment, tell progress.Tell) (now model.Deployment, end func(), err error) {
	_, end, err = s.queue.enter(ctx, d, tell)
	if err != nil {
		return d, nil, err
	}
	if now, err = s.Records.DeploymentByID(ctx, d.ID); err != nil {
		end()
		return d, nil, err
	}
	return now, end, nil
}

// goOn does what is left of a deployment that was begun, if ready lets it: it is
// asked at the deployment's turn.
func (s driver) goOn(ctx context.Context, d model.Deployment, actor string, tell progress.Tell, ready func(now model.Deployment) error) (model.Deployment, error) {
	d, end, err := s.myTurn(ctx, d, tell)
	if err != nil {
		return d, err
	}
	defer end()
	if err := ready(d); err != nil {
		return d, err
	}
	from := d.State
	srv, h, err := s.connect(ctx, d)
	if err != nil {
		return d, err
	}
	defer h.Close()
	d.Runner, d.Figures.WaitingSince = actor, 0
	if err := s.Records.SaveRun(ctx, d); err != nil {
		return d, err
	}
	run := s.runner(srv, d, h, tell)
	clock, err := s.readier().lock(ctx, srv, run, d)
	if err != nil {
		return d, stillHalted(d, err)
	}
	return s.forward(ctx, srv, run, d, from, clock, tell)
}

func (s driver) connect(ctx context.Context, d model.Deployment) (model.Server, remote.Host, error) {
	srv, err := s.Records.ServerByID(ctx, d.ServerID)
	if err != nil {
		return srv, nil, err
	}
	h, err := s.Hosts.Connect(ctx, srv)
	return srv, h, err
}

// Halt stops a deployment that is under way between two motions: it is halted a
// moment later. One that waits for its turn is a draft again.
func (s *Service) Halt(d model.Deployment, actor string) error {
	if d.State == model.Queued && s.queue.unqueue(d) {
		return nil
	}
	s.mu.Lock()
	run := s.running[d.ID]
	s.mu.Unlock()
	if run == nil {
		return fault.New(fault.Conflict, "wrong-state", "%s is %s; only what is running, or waits for its turn, can be halted", d.Name(), d.State)
	}
	run.Halt(actor)
	return nil
}

// underway makes a run one that can be halted, until the function that it
// gives is called.
func (s driver) underway(id int64, run *deploy.Run) func() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.running == nil {
		s.running = map[int64]*deploy.Run{}
	}
	s.running[id] = run
	return func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.running, id)
	}
}

func (s driver) runner(srv model.Server, d model.Deployment, h remote.Host, tell progress.Tell) *deploy.Run {
	return &deploy.Run{Resolution: requests.HostOf(srv).Resolution, ID: d.ID, Names: draft.Names{Number: d.Number, Beside: d.Draft.Beside}, Draft: &d.Draft, Host: h, Room: s.Room,
		Journal: s.Records, Tell: tell}
}

// forward does what is left of a deployment, records it, and tidies. clock
// tells the host's time.
func (s driver) forward(ctx context.Context, srv model.Server, run *deploy.Run, d model.Deployment, from model.State, clock func() int64, tell progress.Tell) (model.Deployment, error) {
	over := s.underway(d.ID, run) // before anybody can read that it runs
	defer over()
	if err := s.Records.Advance(ctx, d.ID, model.Running, from); err != nil {
		if from == model.Queued {
			err = errors.Join(err, run.GiveUp(context.WithoutCancel(ctx)), s.unstart(ctx, d))
		} else {
			err = errors.Join(err, s.letGo(context.WithoutCancel(ctx), d, run))
		}
		return d, err
	}
	d.State, d.Aftermath = model.Running, nil
	d.Draft.Spare()
	run.Draft.Spare()
	power, err := s.powered(ctx, srv, run)
	if err != nil {
		return s.halt(ctx, d, run, err)
	}
	s.Log.Info("running", "deployment", d.Name(), "motions", d.Draft.Motions.Len())
	defer func() { _ = run.Host.Close() }() // whichever it is by then; closing twice is fine
	c := &carry{Service: s.Service, srv: srv, run: run, d: &d, clock: clock, tell: tell, power: power}
	if err := c.through(ctx); err != nil {
		return s.broken(ctx, d, run, err, tell)
	}
	d.Draft.Changes = c.changes
	d.Notes, d.Figures.Sent, d.Figures.Kept = append(d.Notes, run.Notes()...), d.Figures.Sent+run.Sent(), d.Draft.Counts.Keep
	for m := range d.Draft.Motions.All() {
		if m.Proved {
			d.Figures.Proved++
		}
	}
	if err := s.Records.Finish(ctx, d, c.reported, d.Draft.Motions.Len() > 0); err != nil {
		return s.halt(ctx, d, run, err)
	}
	if c.call != nil {
		if err := s.Records.AddRollCall(ctx, *c.call); err != nil {
			s.Log.Warn("the roll call is not recorded", "deployment", d.Name(), "err", err)
		}
	}
	s.wayBack().release(d.ID)
	s.Meter.Ended(d.Server, string(model.Done), run.Sent())
	for phase, ms := range map[string]int64{"prepare": d.Figures.PrepareMS, "swap": d.Figures.SwapMS, "proof": d.Figures.ProofMS} {
		s.Meter.Phase(phase, time.Duration(ms)*time.Millisecond)
	}
	f := d.Figures
	s.Log.Info("done", "deployment", d.Name(), "sent", f.Sent, "look_ms", f.LookMS, "prepare_ms", f.PrepareMS, "swap_ms", f.SwapMS, "proof_ms", f.ProofMS)
	over()
	// From here on it is done. What cannot be tidied now is tidied later.
	if err := s.tidier().tidy(ctx, d, run); err != nil {
		s.Log.Warn("not tidied", "deployment", d.Name(), "err", err)
		tell.Note("what was set aside could not be cleared yet: " + err.Error())
	}
	if s.Started != nil && d.Draft.Powered() {
		s.Started(d)
	}
	done, err := s.Records.OutlineByID(ctx, d.ID)
	done.Fell = d.Fell
	return done, err
}

// halt records that a run broke off. The context may have ended; the record
// must be written all the same.
func (s driver) halt(ctx context.Context, d model.Deployment, run *deploy.Run, cause error) (model.Deployment, error) {
	d.Notes = append(d.Notes, run.Notes()...)
	d.Figures.Sent += run.Sent()
	s.Meter.Ended(d.Server, string(model.Halted), run.Sent())
	s.Log.Warn("halted", "deployment", d.Name(), "err", cause)
	err := s.insist(ctx, d, func(ctx context.Context) error {
		return errors.Join(s.Records.SaveRun(ctx, d), s.Records.Halt(ctx, d.ID, cause.Error()))
	})
	if err != nil {
		return d, errors.Join(cause, err)
	}
	d.State, d.Trouble = model.Halted, cause.Error()
	f := fault.New(fault.Halted, "halted", "%s stopped half-way while %v", d.Name(), cause)
	f.Deployment = d.Name()
	return d, f.WithMend("Nothing is lost: it can be finished or taken back.").By(finding.ResumeDeployment.On(d.Name()), finding.UndoDeployment.On(d.Name()))
}

// stillHalted says that what halted a deployment, or something else, keeps it from
// going on.
func stillHalted(d model.Deployment, err error) error {
	if f := (*fault.Error)(nil); errors.As(err, &f) {
		return err
	}
	f := fault.New(fault.Halted, "halted", "%s stands half-way still: %v", d.Name(), err)
	f.Deployment = d.Name()
	return f.WithMend("Nothing is lost: it can be finished or taken back, once the host lets it.").By(finding.ResumeDeployment.On(d.Name()), finding.UndoDeployment.On(d.Name()))
}
