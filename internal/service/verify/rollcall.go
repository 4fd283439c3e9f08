// Package verify finds out what came of a deployment: it calls the roll of what runs, looks
// at what was edited and at what was done by hand, and says what would put it right.
package verify

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/facts"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/observe"
)

// Records is what has to be known for that.
type Records interface {
	Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error)
	Oddities(ctx context.Context, rulebook string) ([]model.Oddity, error)
	CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error)
	SeeTexts(ctx context.Context, server int64, texts map[tree.Path]string) (fresh []tree.Path, err error)
	SawAgreements(ctx context.Context, server int64, l model.AgreeLook) error
	SaveTold(ctx context.Context, server int64, told []model.Fact) error
	AddRollCall(ctx context.Context, c model.RollCall) error
	LastRollCall(ctx context.Context, server int64) (model.RollCall, error)
}

// Catalog gives crates and rulebooks.
type Catalog interface {
	FindCrateFor(ctx context.Context, b *rulebook.Book, ref string, facts map[string]string) (model.Crate, error)
	Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
}

// Listener hears what a server says of itself.
type Listener interface {
	// LogSince gives what the log has held since a mark.
	LogSince(ctx context.Context, since deploy.LogMark) (string, error)
	// Ask asks the console what is loaded; ok is false where it cannot tell.
	Ask(ctx context.Context) (heard []rollcall.Heard, ok bool, err error)
	// Answers sends lines to the console and gives its answers, by line, as far as it can.
	Answers(ctx context.Context, lines []string) (map[string]string, error)
}

// Verifier finds out what came of deployments.
type Verifier struct {
	Records Records
	Catalog Catalog
}

// expected are the add-ons that a ledger has, by the names under which the server
// may speak of them.
func (s *Verifier) expected(ctx context.Context, book *rulebook.Book, ledger map[tree.Path]draft.Row) ([]rollcall.Expected, error) {
	noted, err := s.Records.Oddities(ctx, book.Name)
	if err != nil {
		return nil, err
	}
	byKey := map[string]*rollcall.Expected{}
	var order []string
	get := func(key, label string) *rollcall.Expected {
		name, version, _ := cutLabel(label)
		e := byKey[key]
		if e == nil {
			if version == layout.Unmarked { // it is known from the server alone
				version = ""
			}
			e = &rollcall.Expected{Addon: key, Version: version, Names: []string{name}}
			byKey[key] = e
			order = append(order, key)
		}
		return e
	}
	// What is placed says the version; an entry only where nothing is.
	crates := map[string]tree.Digest{}
	for _, row := range ledger {
		for _, c := range row.Claims {
			get(c.Addon, c.Label)
			crates[c.Addon] = c.Crate
		}
	}
	for _, row := range ledger {
		for _, l := range row.Listed {
			e := get(l.Addon, l.Label)
			e.Names, e.Off, e.Listed = append(e.Names, l.Key), e.Off || l.Off, true
		}
	}
	var out []rollcall.Expected
	for _, key := range order {
		e := *byKey[key]
		crate, err := s.Records.CrateByDigest(ctx, crates[key])
		if err != nil && !errors.Is(err, model.ErrNotFound) { // it may be known from the server alone
			return nil, err
		}
		if crate.Body.Called != "" {
			e.Names = append(e.Names, crate.Body.Called)
		}
		e.Unasked, e.Mute = !book.Console.Names(crate.Body.Kind), book.Mute(crate.Body.Kind)
		e.Oddities = append(model.OdditiesOf(noted, key), book.OdditiesOf(crate.Body.Kind)...)
		out = append(out, e)
	}
	return out, nil
}

// callRoll reads the log since the start, asks the console where it tells, and
// compares. Trouble with the console is told, and the log counts alone.
func (s *Verifier) callRoll(ctx context.Context, srv model.Server, p Listener, book *rulebook.Book, since deploy.LogMark, ledger map[tree.Path]draft.Row) (rollcall.Roll, []finding.Finding, error) {
	text, err := p.LogSince(ctx, since)
	if err != nil {
		return rollcall.Roll{}, nil, fmt.Errorf("read the log: %w", err)
	}
	var found []finding.Finding
	heard, asked, err := p.Ask(ctx)
	if len(book.Facts) > 0 {
		seen := facts.Seen{Log: &text}
		if err == nil { // a console that is silent is asked once
			seen.Answers, err = p.Answers(ctx, facts.Wanted(book, srv.Variables).Lines)
		}
		observe.TakeIn(&srv, book, seen, time.Time{})
		if err := s.Records.SaveTold(ctx, srv.ID, srv.Told); err != nil {
			return rollcall.Roll{}, nil, err
		}
	}
	if err != nil {
		found = append(found, finding.Finding{Level: finding.Warn, Code: "console-silent", What: fmt.Sprintf("The console was to be asked what is loaded, and did not answer: %v.", err)})
	}
	known, err := s.expected(ctx, book, ledger)
	if err != nil {
		return rollcall.Roll{}, nil, err
	}
	return rollcall.Call(known, rollcall.Read(book.Log, text), asked, heard), found, nil
}

// findingsOf says what a roll call found that a person should know. fresh are the
// add-ons that a deployment brought.
func (s *Verifier) findingsOf(ctx context.Context, srv model.Server, roll rollcall.Roll, d *model.Deployment, fresh map[string]bool) (out []finding.Finding, err error) {
	offers, err := s.Offers(ctx, srv, roll)
	if err != nil {
		return nil, err
	}
	for _, e := range roll.Entries {
		_, brought := fresh[e.Addon]
		f := finding.Finding{Level: finding.Warn}
		switch {
		case e.Standing == rollcall.Failed:
			f.Code, f.What = "not-loaded", fmt.Sprintf("%s did not load: %s.", e.Addon, e.Why)
			offers[e.Addon].addTo(&f, srv.Name)
		case e.Standing == rollcall.Silent && brought && e.Listed:
			f.Code, f.What = "silent", fmt.Sprintf("Nothing says that %s loaded.", e.Addon)
		case e.Standing == rollcall.Loaded && e.Why != "":
			out = append(out, finding.Finding{Level: finding.Note, Code: "loaded-otherwise", What: fmt.Sprintf("%s is loaded; %s.", e.Addon, e.Why)})
		}
		if f.Code == "" {
			continue
		}
		if brought && d != nil {
			f.Mend = strings.TrimSpace(f.Mend + " The deployment can be taken back.")
			f.By(finding.RollBack.On(d.Name()))
		}
		out = append(out, f)
	}
	for _, l := range roll.Errors {
		out = append(out, finding.Finding{Level: finding.Warn, Code: "log-trouble", What: fmt.Sprintf("The log says in line %d since the start: %s", l.Number, l.Text)})
	}
	return out, nil
}

// FindingsOf says what an earlier roll call found that a person should know, with
// what would put it right as things are now.
func (s *Verifier) FindingsOf(ctx context.Context, srv model.Server, roll rollcall.Roll) ([]finding.Finding, error) {
	return s.findingsOf(ctx, srv, roll, nil, nil)
}

// After is what is done once the server has started and before the deployment is
// recorded: the roll call, and a look at what was edited. It tells which of the
// deployment's add-ons did not load.
func (s *Verifier) After(ctx context.Context, srv model.Server, run *deploy.Run, p Listener, d *model.Deployment, changes []draft.Change) (call *model.RollCall, failed []string, err error) {
	down, err := run.Down(ctx)
	if err != nil {
		return nil, nil, err
	}
	if down != "" || !d.Draft.CallsRoll() { // what did not come up tells nothing of what has loaded
		return nil, nil, s.lookAgain(ctx, srv, run, d, changes, down)
	}
	book, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil {
		return nil, nil, err
	}
	ledger, err := s.Records.Ledger(ctx, srv.ID)
	if err != nil {
		return nil, nil, err
	}
	fresh := map[string]bool{}
	for _, c := range changes {
		ledger[c.Path] = draft.Row{State: c.After, Claims: c.ClaimsAfter, Listed: c.ListedAfter}
		for _, cl := range c.ClaimsAfter {
			fresh[cl.Addon] = true
		}
		for _, e := range c.Edits {
			fresh[e.Addon] = true
		}
	}
	since := run.LogStart()
	if !starts(d.Draft) {
		if err := s.settle(ctx, p, book, since, ledger, fresh); err != nil {
			return nil, nil, err
		}
	}
	roll, found, err := s.callRoll(ctx, srv, p, book, since, ledger)
	if err != nil {
		return nil, nil, err
	}
	if !starts(d.Draft) {
		if err := s.addEarlier(ctx, p, book, ledger, fresh, &roll); err != nil {
			return nil, nil, err
		}
	}
	if err := s.fellSilent(ctx, srv, d, fresh, &roll); err != nil {
		return nil, nil, err
	}
	held, err := heldEdits(ctx, run.Host, d)
	if err != nil {
		return nil, nil, err
	}
	broken, err := s.agreements(ctx, run.Host, srv, d)
	if err != nil {
		return nil, nil, err
	}
	made, err := s.made(ctx, srv, run.Host, d, changes)
	if err != nil {
		return nil, nil, err
	}
	held = slices.Concat(held, broken, made)
	log, err := p.LogSince(ctx, since)
	if err != nil {
		return nil, nil, err
	}
	if starts(d.Draft) {
		if err := seen(d, log, roll); err != nil {
			return nil, nil, err
		}
	}
	called, err := s.findingsOf(ctx, srv, roll, d, fresh)
	if err != nil {
		return nil, nil, err
	}
	d.Aftermath = slices.Concat(called, found, held)
	for _, e := range roll.Entries {
		if _, ours := fresh[e.Addon]; ours && e.Standing == rollcall.Failed {
			failed = append(failed, e.Addon)
		}
	}
	return &model.RollCall{ServerID: srv.ID, DeploymentID: d.ID, Roll: roll, Actor: d.Runner}, failed, nil
}

// How long a log is waited for that a running server goes on writing: until it has spoken of
// all that was brought, has stood still for a while, or the whole time is over.
const (
	settleStill = 2 * time.Second
	settleMost  = 20 * time.Second
	settlePause = 250 * time.Millisecond
)

// settle waits until the log tells what became of what a running server was given.
func (s *Verifier) settle(ctx context.Context, p Listener, book *rulebook.Book, since deploy.LogMark, ledger map[tree.Path]draft.Row, fresh map[string]bool) error {
	if len(book.Log.Loaded)+len(book.Log.Failed)+len(book.Log.Missing) == 0 {
		return nil
	}
	known, err := s.expected(ctx, book, ledger)
	if err != nil {
		return err
	}
	begun := time.Now()
	last, still := "", begun
	for {
		text, err := p.LogSince(ctx, since)
		if err != nil {
			return fmt.Errorf("read the log: %w", err)
		}
		now := time.Now()
		if text != last {
			last, still = text, now
		}
		roll := rollcall.Call(known, rollcall.Read(book.Log, text), false, nil)
		waits := slices.ContainsFunc(roll.Entries, func(e rollcall.Entry) bool { return fresh[e.Addon] && e.Standing == rollcall.Silent })
		if !waits || now.Sub(still) > settleStill || now.Sub(begun) > settleMost {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(settlePause):
		}
	}
}

// addEarlier completes a roll of a server that was not started: what this deployment did not
// bring is told from the log since the last start. What it did bring, and nothing was said
// of, may be of a kind that says nothing then.
func (s *Verifier) addEarlier(ctx context.Context, p Listener, book *rulebook.Book, ledger map[tree.Path]draft.Row, fresh map[string]bool, roll *rollcall.Roll) error {
	known, err := s.expected(ctx, book, ledger)
	if err != nil {
		return err
	}
	text, err := lastStart{p, book.Log}.LogSince(ctx, deploy.LogMark{})
	if err != nil {
		return fmt.Errorf("read the log: %w", err)
	}
	earlier := rollcall.Call(known, rollcall.Read(book.Log, text), false, nil)
	for i := range roll.Entries {
		e := &roll.Entries[i]
		switch before, ok := earlier.Entry(e.Addon); {
		case fresh[e.Addon] && e.Standing == rollcall.Silent:
			e.Why, e.Listed = "the server has said nothing of it since", false
		case !fresh[e.Addon] && ok && e.Standing == rollcall.Silent:
			*e = before
		}
	}
	return nil
}

// fellSilent calls what was loaded before this deployment and is silent after it failed: the
// server does speak of it.
func (s *Verifier) fellSilent(ctx context.Context, srv model.Server, d *model.Deployment, fresh map[string]bool, roll *rollcall.Roll) error {
	if !starts(d.Draft) {
		return nil // what is not started anew may say nothing
	}
	before, err := s.Records.LastRollCall(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	for i := range roll.Entries {
		e := &roll.Entries[i]
		was, known := before.Roll.Entry(e.Addon)
		if fresh[e.Addon] && e.Standing == rollcall.Silent && known && was.Standing == rollcall.Loaded {
			e.Standing, e.Why = rollcall.Failed, "the server said that it loaded before this deployment, and says nothing of it now"
		}
	}
	return nil
}

func starts(d draft.Draft) bool {
	return d.Motions.Contains(func(m draft.Motion) bool { return m.Do == power.Start })
}

// Now finds out what is loaded on a server now, and records it. The log is read from its
// last start, as far as its ready lines tell where that was.
func (s *Verifier) Now(ctx context.Context, srv model.Server, book *rulebook.Book, p Listener, actor string) (model.RollCall, []finding.Finding, error) {
	call := model.RollCall{ServerID: srv.ID, Actor: actor}
	ledger, err := s.Records.Ledger(ctx, srv.ID)
	if err != nil {
		return call, nil, err
	}
	var found []finding.Finding
	if call.Roll, found, err = s.callRoll(ctx, srv, lastStart{p, book.Log}, book, deploy.LogMark{}, ledger); err != nil {
		return call, nil, err
	}
	if err := s.Records.AddRollCall(ctx, call); err != nil {
		return call, nil, err
	}
	if call, err = s.Records.LastRollCall(ctx, srv.ID); err != nil {
		return call, nil, err
	}
	called, err := s.findingsOf(ctx, srv, call.Roll, nil, nil)
	return call, append(called, found...), err
}

// lastStart reads of a log only what came since the last start.
type lastStart struct {
	Listener
	rules rulebook.Log
}

// LogSince implements [Listener].
func (l lastStart) LogSince(ctx context.Context, since deploy.LogMark) (string, error) {
	text, err := l.Listener.LogSince(ctx, since)
	return rollcall.LastStart(l.rules, text), err
}

func cutLabel(label string) (name, version string, ok bool) {
	for i := len(label) - 1; i >= 0; i-- {
		if label[i] == '@' {
			return label[:i], label[i+1:], true
		}
	}
	return label, "", false
}
