// Package narrowing finds the add-on that does something wrong on a server, by halves: some are
// disabled, the server is started, a person says whether it still happens, and so on. In the
// end everything is as it was.
package narrowing

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/narrow"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/service/turns"
)

// Records is what this service needs written down.
type Records interface {
	Narrowing(ctx context.Context, server int64) (model.Narrowing, error)
	SaveNarrowing(ctx context.Context, n model.Narrowing) error
	EndNarrowing(ctx context.Context, server int64) error
	Deployments(ctx context.Context, server string, before int64, limit int) ([]model.Deployment, error)
	Deployment(ctx context.Context, server string, number int) (model.Deployment, error)
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
	// Suspects gives those that run and can be disabled, those that are disabled, and whom each
	// that runs needs, by keys.
	Suspects(ctx context.Context, server string) (addons, off []string, needs map[string][]string, err error)
}

// Service is the use cases.
type Service struct {
	Records Records
	Hosts   Hosts
	Changes Changes
	Addons  Addons

	turns turns.Turns // one step at a time: who comes second sees what the first has done
}

// Stand is how a search stands.
type Stand struct {
	model.Narrowing
	Server  string // its name
	Over    bool   // it has ended, and everything is as it was
	GivenUp bool   // it has ended before anything was found
	Most    int    // questions that there are still at most
	Down    string // why the server did not come up with what is off; empty where it did, or was not started
	Note    string // what a person has to know besides
}

// At gives the search that goes on on a server.
func (s *Service) At(ctx context.Context, server string) (Stand, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return Stand{}, err
	}
	n, err := s.search(ctx, srv)
	if err != nil {
		return Stand{}, err
	}
	return s.stand(ctx, server, n)
}

// stand says how a search stands, and whether its last deployment had the server come up.
func (s *Service) stand(ctx context.Context, server string, n model.Narrowing) (Stand, error) {
	out := Stand{Narrowing: n, Server: server, Most: narrow.Most(len(n.Search.Suspects))}
	if len(n.Own) == 0 {
		return out, nil
	}
	d, err := s.Records.Deployment(ctx, server, n.Own[len(n.Own)-1])
	switch {
	case errors.Is(err, model.ErrNotFound):
		return out, nil
	case err == nil && d.State != model.Done:
		out.Note = fmt.Sprintf("that is not so yet: %s, which is to do it, is %s", d.Name(), d.State)
		return out, nil
	}
	out.Down = d.Down()
	return out, err
}

// search gives the search that goes on on a server; the fault no-narrowing where there is none.
func (s *Service) search(ctx context.Context, srv model.Server) (model.Narrowing, error) {
	n, err := s.Records.Narrowing(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return n, fault.New(fault.Unknown, "no-narrowing", "nothing is searched for on %s", srv.Name)
	}
	return n, err
}

// turn waits for a server's turn and gives the search that goes on there then.
func (s *Service) turn(ctx context.Context, server string) (step, model.Narrowing, func(), error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return step{}, model.Narrowing{}, nil, err
	}
	end, err := s.turns.Take(ctx, srv.ID)
	if err != nil {
		return step{}, model.Narrowing{}, nil, err
	}
	st := step{Service: s, srv: srv}
	n, err := s.search(ctx, srv)
	if err == nil {
		err = st.whole(ctx, n)
	}
	return st, n, end, err
}

// Begin begins a search among some add-ons, or among all that can be disabled, and disables the
// first half. byStart says that what is wrong is that the server does not come up: the search
// then answers itself and goes on to its end, and one that was interrupted is taken up again.
func (s *Service) Begin(ctx context.Context, server string, suspects []string, byStart bool, actor string, tell progress.Tell) (Stand, error) {
	st, n, end, err := s.turn(ctx, server)
	if end != nil {
		defer end()
	}
	st.actor, st.tell = actor, tell
	var f *fault.Error
	switch {
	case err == nil && byStart && n.Search.ByStart && len(suspects) == 0:
		return st.onward(ctx, n)
	case err == nil:
		return Stand{}, fault.New(fault.Conflict, "narrowing", "a search goes on on %s already, by %s", server, n.Actor).WithMend("Answer it, or end it first.")
	case !errors.As(err, &f) || f.Code != "no-narrowing":
		return Stand{}, err
	}
	can, _, needs, err := s.Addons.Suspects(ctx, server)
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
	base, err := s.last(ctx, server)
	if err != nil {
		return Stand{}, err
	}
	n = model.Narrowing{ServerID: st.srv.ID, Base: base, Search: *narrow.Begin(keys, needs), Actor: actor}
	n.Search.ByStart = byStart
	n.Search.Next()
	if n, err = st.have(ctx, n, n); err != nil {
		return Stand{}, err
	}
	return st.onward(ctx, n)
}

// Answer says whether it still happens, and disables the next half, or ends the search. tried is
// how many questions had been answered when this one was asked.
func (s *Service) Answer(ctx context.Context, server string, tried int, still bool, actor string, tell progress.Tell) (Stand, error) {
	st, n, end, err := s.turn(ctx, server)
	if end != nil {
		defer end()
	}
	if err != nil {
		return Stand{}, err
	}
	st.actor, st.tell = actor, tell
	if n.Search.Tried != tried {
		return Stand{}, fault.New(fault.Conflict, "answered-meanwhile", "that was answered meanwhile, and something else is off now").WithMend("Look at it again, and answer that.")
	}
	if over(n.Search) { // it was answered to the end, and only the end was interrupted
		return st.end(ctx, n)
	}
	put, err := st.asAsked(ctx, &n)
	if err != nil {
		return Stand{}, err
	}
	if put {
		out, err := s.stand(ctx, server, n)
		out.Note = "what was to be off was not, so your answer was not taken: it is off now"
		return out, err
	}
	if n, err = st.answer(ctx, n, still); err != nil {
		return Stand{}, err
	}
	return st.onward(ctx, n)
}

// End gives a search up and has everything as it was.
func (s *Service) End(ctx context.Context, server, actor string, tell progress.Tell) (Stand, error) {
	st, n, end, err := s.turn(ctx, server)
	if end != nil {
		defer end()
	}
	if err != nil {
		return Stand{}, err
	}
	st.actor, st.tell = actor, tell
	return st.end(ctx, n)
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

// over tells whether a search has nothing more to ask.
func over(s narrow.Search) bool {
	_, done := s.Next() // of a copy: what it says is to be off is not wanted
	return done
}

// without gives those of some that are not among others.
func without(some, others []string) []string {
	return slices.DeleteFunc(slices.Clone(some), func(a string) bool { return slices.Contains(others, a) })
}
