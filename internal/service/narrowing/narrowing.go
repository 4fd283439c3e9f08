// Package narrowing finds the add-on that does something wrong on a server, by halves: some are
// disabled, the server is started, a person says whether it still happens, and so on. In the
// end everything is as it was.
package narrowing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/narrow"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// Records is what this service needs written down.
type Records interface {
	Narrowing(ctx context.Context, server int64) (model.Narrowing, error)
	SaveNarrowing(ctx context.Context, n model.Narrowing) error
	EndNarrowing(ctx context.Context, server int64) error
	Deployments(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error)
}

// Hosts finds servers.
type Hosts interface {
	Find(ctx context.Context, name string) (model.Server, error)
}

// Changes drafts and runs.
type Changes interface {
	Draft(ctx context.Context, server string, ask requests.Ask, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error)
	Run(ctx context.Context, d model.Deployment, digest string, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error)
	Discard(ctx context.Context, d model.Deployment) error
}

// Addons tells what is on a server.
type Addons interface {
	Suspects(ctx context.Context, server string) (addons []string, needs map[string][]string, err error)
}

// Service is the use cases.
type Service struct {
	Records Records
	Hosts   Hosts
	Changes Changes
	Addons  Addons
	Now     func() time.Time

	mu sync.Mutex // one step at a time: who comes second sees what the first has done
}

// Stand is how a search stands.
type Stand struct {
	model.Narrowing
	Over    bool // it has ended, and everything is as it was
	Most    int  // questions that there are still at most
	Changed string
}

// At gives the search that goes on on a server.
func (s *Service) At(ctx context.Context, server string) (Stand, error) {
	_, n, err := s.find(ctx, server)
	return stand(n, false), err
}

func stand(n model.Narrowing, over bool) Stand {
	return Stand{Narrowing: n, Over: over, Most: narrow.Most(len(n.Search.Suspects))}
}

func (s *Service) find(ctx context.Context, server string) (model.Server, model.Narrowing, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return srv, model.Narrowing{}, err
	}
	n, err := s.Records.Narrowing(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return srv, n, fault.New(fault.Unknown, "no-narrowing", "nothing is searched for on %s", server)
	}
	return srv, n, err
}

// Begin begins a search among some add-ons, or among all that can be disabled, and disables the
// first half.
func (s *Service) Begin(ctx context.Context, server string, suspects []string, actor string, tell progress.Tell) (Stand, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	srv, n, err := s.find(ctx, server)
	if err == nil {
		return stand(n, false), fault.New(fault.Conflict, "narrowing", "a search goes on on %s already, by %s", server, n.Actor).WithMend("Answer it, or end it first.")
	}
	var f *fault.Error
	if !errors.As(err, &f) || f.Code != "no-narrowing" {
		return Stand{}, err
	}
	can, needs, err := s.Addons.Suspects(ctx, server)
	if err != nil {
		return Stand{}, err
	}
	var keys []string
	for _, name := range suspects {
		key := layout.Key(name)
		if !slices.Contains(can, key) {
			return Stand{}, fault.New(fault.Usage, "bad-request", "%s cannot be a suspect: it is not there, is disabled, or is named in no load list", name)
		}
		keys = append(keys, key)
	}
	if len(keys) == 0 {
		keys = can
	}
	if len(keys) < 2 {
		return Stand{}, fault.New(fault.Conflict, "too-few", "%d add-ons of %s can be disabled; there is nothing to halve", len(keys), server)
	}
	last, err := s.last(ctx, server)
	if err != nil {
		return Stand{}, err
	}
	n = model.Narrowing{ServerID: srv.ID, Base: last, Last: last, Search: *narrow.Begin(keys, needs), Actor: actor}
	// Written down first: whatever happens then, it is known what has to be taken back.
	if err := s.Records.SaveNarrowing(ctx, n); err != nil {
		return Stand{}, err
	}
	st, err := s.next(ctx, server, n, nil, actor, tell)
	if err != nil && st.Last == st.Base { // nothing was done yet
		return st, errors.Join(err, s.Records.EndNarrowing(ctx, srv.ID))
	}
	return st, err
}

// Answer says whether it still happens, and disables the next half, or ends the search. tried is
// how many questions had been answered when this one was asked.
func (s *Service) Answer(ctx context.Context, server string, tried int, still bool, actor string, tell progress.Tell) (Stand, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	_, n, err := s.find(ctx, server)
	if err != nil {
		return Stand{}, err
	}
	if n.Search.Tried != tried {
		return stand(n, false), fault.New(fault.Conflict, "answered-meanwhile", "that was answered meanwhile, and something else is off now").WithMend("Look at it again, and answer that.")
	}
	was := slices.Clone(n.Search.Off)
	n.Search.Suspects = slices.Clone(n.Search.Suspects)
	n.Search.Tell(still)
	return s.next(ctx, server, n, was, actor, tell)
}

// next has off what is to be off next, or everything as it was where the search is over.
func (s *Service) next(ctx context.Context, server string, n model.Narrowing, was []string, actor string, tell progress.Tell) (Stand, error) {
	off, done := n.Search.Next()
	if done {
		return s.end(ctx, server, n, was, actor, tell)
	}
	ask := requests.Ask{Enable: without(was, off), Disable: without(off, was)}
	d, err := s.run(ctx, server, ask, actor, tell)
	if err != nil {
		return stand(n, false), err
	}
	if d.Number > 0 {
		n.Last = d.Number
	}
	return stand(n, false), s.Records.SaveNarrowing(ctx, n)
}

// End gives a search up and has everything as it was.
func (s *Service) End(ctx context.Context, server, actor string, tell progress.Tell) (Stand, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	_, n, err := s.find(ctx, server)
	if err != nil {
		return Stand{}, err
	}
	return s.end(ctx, server, n, n.Search.Off, actor, tell)
}

// end takes back what was disabled. Where nobody else has deployed anything meanwhile, the whole
// server goes back to how it stood; else only what is off is enabled again.
func (s *Service) end(ctx context.Context, server string, n model.Narrowing, off []string, actor string, tell progress.Tell) (Stand, error) {
	last, err := s.last(ctx, server)
	if err != nil {
		return stand(n, false), err
	}
	ask := requests.Ask{Back: &requests.Back{To: &n.Base}}
	st := stand(n, true)
	if last != n.Last {
		ask = requests.Ask{Enable: off}
		st.Changed = fmt.Sprintf("%s#%d was deployed meanwhile, so only what was off is enabled again", server, last)
	}
	if n.Last != n.Base && (ask.Back != nil || len(off) > 0) {
		if _, err := s.run(ctx, server, ask, actor, tell); err != nil {
			return stand(n, false), err
		}
	}
	n.Search.Off = nil
	st.Narrowing = n
	return st, s.Records.EndNarrowing(ctx, n.ServerID)
}

// run drafts and runs. Where something blocks the draft, nothing is done and that is the error.
func (s *Service) run(ctx context.Context, server string, ask requests.Ask, actor string, tell progress.Tell) (model.Deployment, error) {
	if len(ask.Enable)+len(ask.Disable) == 0 && ask.Back == nil {
		return model.Deployment{}, nil
	}
	d, err := s.Changes.Draft(ctx, server, ask, nil, actor, tell)
	if err != nil {
		return d, err
	}
	if open := finding.Open(d.Draft.Findings, d.Accepts); len(open) > 0 {
		f := fault.New(fault.Blocked, "blocked", "the next step is blocked: %s", strings.TrimSuffix(open[0].What, "."))
		f.Findings = open
		return d, errors.Join(f, s.Changes.Discard(ctx, d))
	}
	return s.Changes.Run(ctx, d, d.Digest.String(), nil, actor, tell)
}

// last is the number of the newest deployment that did something.
func (s *Service) last(ctx context.Context, server string) (int, error) {
	list, err := s.Records.Deployments(ctx, server, 0, 50)
	for _, d := range list {
		if d.State == model.Done {
			return d.Number, nil
		}
	}
	return 0, err
}

// without gives those of some that are not among others.
func without(some, others []string) []string {
	return slices.DeleteFunc(slices.Clone(some), func(a string) bool { return slices.Contains(others, a) })
}
