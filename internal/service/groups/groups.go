// Package groups deploys to several servers together: a draft for each, run one after the other or
// side by side, stopping at the first that does not come through, with one way back for all.
package groups

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// Records keeps groups.
type Records interface {
	Groups(ctx context.Context) ([]model.Group, error)
	AddGroup(ctx context.Context, g model.Group) error
	DropGroup(ctx context.Context, id int64) error
	AddGroupRun(ctx context.Context, r model.GroupRun) (model.GroupRun, error)
	SaveGroupRun(ctx context.Context, r model.GroupRun) error
	LastGroupRun(ctx context.Context, group int64) (model.GroupRun, error)
}

// Changes drafts and runs.
type Changes interface {
	Draft(ctx context.Context, server string, ask requests.Ask, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error)
	Run(ctx context.Context, d model.Deployment, digest string, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error)
	Discard(ctx context.Context, d model.Deployment) error
	Undo(ctx context.Context, d model.Deployment, data bool, actor string, tell progress.Tell) (model.Deployment, error)
	Find(ctx context.Context, server string, number int) (model.Deployment, error)
}

// Service is the use cases.
type Service struct {
	Records Records
	Changes Changes
	Find    func(ctx context.Context, server string) (model.Server, error)

	mu   sync.Mutex
	busy map[int64]bool // groups of which a run is under way
}

// Add makes a group of servers.
func (s *Service) Add(ctx context.Context, name string, servers []string, actor string) (model.Group, error) {
	g := model.Group{Name: name, Actor: actor}
	if !rulebook.IsName(name) {
		return g, fault.New(fault.Usage, "bad-name", "%q is no name for a group: lower-case letters, digits and hyphens", name)
	}
	if len(servers) == 0 {
		return g, fault.New(fault.Usage, "bad-request", "a group has at least one server")
	}
	for _, name := range servers {
		srv, err := s.Find(ctx, name)
		if err != nil {
			return g, err
		}
		if slices.Contains(g.IDs, srv.ID) {
			return g, fault.New(fault.Usage, "bad-request", "%s is named twice", name)
		}
		g.IDs = append(g.IDs, srv.ID)
	}
	if err := s.Records.AddGroup(ctx, g); err != nil {
		var taken *model.ConflictError
		if errors.As(err, &taken) {
			return g, fault.New(fault.Conflict, "name-taken", "%v", taken)
		}
		return g, err
	}
	return s.One(ctx, name)
}

// List gives all groups, by name.
func (s *Service) List(ctx context.Context) ([]model.Group, error) { return s.Records.Groups(ctx) }

// One finds a group by its name.
func (s *Service) One(ctx context.Context, name string) (model.Group, error) {
	list, err := s.Records.Groups(ctx)
	if err != nil {
		return model.Group{}, err
	}
	for _, g := range list {
		if g.Name == name {
			return g, nil
		}
	}
	return model.Group{}, fault.New(fault.Unknown, "group-unknown", "there is no group named %q", name)
}

// Drop forgets a group. Nothing is done to its servers.
func (s *Service) Drop(ctx context.Context, name string) error {
	g, err := s.One(ctx, name)
	if err != nil {
		return err
	}
	return s.Records.DropGroup(ctx, g.ID)
}

// Last gives the newest run of a group; a fault where there is none.
func (s *Service) Last(ctx context.Context, name string) (model.GroupRun, error) {
	g, err := s.One(ctx, name)
	if err != nil {
		return model.GroupRun{}, err
	}
	r, err := s.Records.LastGroupRun(ctx, g.ID)
	if errors.Is(err, model.ErrNotFound) {
		return r, fault.New(fault.Unknown, "no-group-run", "nothing was deployed to group %s yet", name)
	}
	for i, p := range r.Parts { // a server may have another name by now
		for _, srv := range g.Servers {
			if srv.ID == p.ServerID {
				r.Parts[i].Server = srv.Name
			}
		}
	}
	return r, err
}

// take keeps a group to one caller at a time.
func (s *Service) take(g model.Group) (leave func(), err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.busy == nil {
		s.busy = map[int64]bool{}
	}
	if s.busy[g.ID] {
		return nil, fault.New(fault.Conflict, "group-busy", "something is done on group %s already", g.Name)
	}
	s.busy[g.ID] = true
	return func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.busy, g.ID)
	}, nil
}

// Draft drafts the same on every server of a group. Where a draft cannot be made, none stays.
func (s *Service) Draft(ctx context.Context, name string, ask requests.Ask, accepts []finding.Accept, actor string, tell progress.Tell) (r model.GroupRun, all []model.Deployment, err error) {
	g, err := s.One(ctx, name)
	if err != nil {
		return r, nil, err
	}
	leave, err := s.take(g)
	if err != nil {
		return r, nil, err
	}
	defer leave()
	r = model.GroupRun{Group: g.ID, State: model.GroupDrafted, Actor: actor}
	defer func() {
		if err != nil {
			for _, d := range all {
				err = errors.Join(err, s.Changes.Discard(context.WithoutCancel(ctx), d))
			}
		}
	}()
	for _, srv := range g.Servers {
		tell.Look("drafting for " + srv.Name)
		d, err := s.Changes.Draft(ctx, srv.Name, ask, accepts, actor, tell)
		if err != nil {
			return r, all, fmt.Errorf("%s: %w", srv.Name, err)
		}
		part := model.GroupPart{ServerID: srv.ID, Server: srv.Name, Number: d.Number, State: model.PartDrafted}
		if len(d.Draft.Steps) == 0 {
			part.State, part.Words, part.Number = model.PartNothing, "all of it is so already", 0
			if err := s.Changes.Discard(ctx, d); err != nil {
				return r, all, err
			}
		} else {
			all = append(all, d)
		}
		r.Parts = append(r.Parts, part)
	}
	r, err = s.Records.AddGroupRun(ctx, r)
	return r, all, err
}

// Run runs the drafts of a group that were read, so many side by side, in the group's order. After
// the first that does not come through no further one is begun.
func (s *Service) Run(ctx context.Context, name string, run int64, accepts []finding.Accept, sideBySide int, actor string, tell progress.Tell) (model.GroupRun, error) {
	g, err := s.One(ctx, name)
	if err != nil {
		return model.GroupRun{}, err
	}
	leave, err := s.take(g)
	if err != nil {
		return model.GroupRun{}, err
	}
	defer leave()
	r, err := s.Last(ctx, name)
	if err != nil {
		return r, err
	}
	if r.ID != run || r.State != model.GroupDrafted {
		return r, fault.New(fault.Conflict, "group-run-old", "these drafts of group %s are not the last ones, or were run", name).WithMend("Draft it again.")
	}
	drafts, err := s.sound(ctx, r, accepts)
	if err != nil {
		return r, err
	}
	r.State = model.GroupRunning
	if err := s.Records.SaveGroupRun(ctx, r); err != nil {
		return r, err
	}
	var mu sync.Mutex
	var failed bool
	next := 0
	var wg sync.WaitGroup
	for range max(1, sideBySide) {
		wg.Go(func() {
			for {
				mu.Lock()
				for next < len(r.Parts) && r.Parts[next].State != model.PartDrafted {
					next++
				}
				if next == len(r.Parts) || failed || ctx.Err() != nil {
					mu.Unlock()
					return
				}
				i := next
				next++
				mu.Unlock()
				part := s.part(ctx, r.Parts[i], drafts[i], accepts, actor, tell)
				mu.Lock()
				r.Parts[i] = part
				failed = failed || part.State == model.PartFailed
				err = errors.Join(err, s.Records.SaveGroupRun(context.WithoutCancel(ctx), r))
				mu.Unlock()
			}
		})
	}
	wg.Wait()
	r.State = model.GroupDone
	for i, p := range r.Parts {
		if p.State == model.PartDrafted {
			r.State = model.GroupStopped
			r.Parts[i].State, r.Parts[i].Words = model.PartLeft, "left, because another did not come through"
			err = errors.Join(err, s.Changes.Discard(context.WithoutCancel(ctx), drafts[i]))
		}
	}
	if failed {
		r.State = model.GroupStopped
	}
	return r, errors.Join(err, s.Records.SaveGroupRun(context.WithoutCancel(ctx), r), ctx.Err())
}

// sound gives the drafts of a run, and an error where one of them is blocked: nothing is done then
// on any server.
func (s *Service) sound(ctx context.Context, r model.GroupRun, accepts []finding.Accept) (map[int]model.Deployment, error) {
	out := map[int]model.Deployment{}
	for i, p := range r.Parts {
		if p.State != model.PartDrafted {
			continue
		}
		d, err := s.Changes.Find(ctx, p.Server, p.Number)
		if err != nil {
			return nil, err
		}
		if d.State != model.Draft {
			return nil, fault.New(fault.Conflict, "group-run-old", "%s is %s, and no draft any more", d.Name(), d.State).WithMend("Draft the group again.")
		}
		if open := finding.Open(d.Draft.Findings, slices.Concat(d.Accepts, accepts)); len(open) > 0 {
			f := fault.New(fault.Blocked, "blocked", "%s is blocked, so nothing was done on any server: %s", d.Name(), open[0].What)
			f.Findings = open
			return nil, f
		}
		out[i] = d
	}
	return out, nil
}

// part runs one draft.
func (s *Service) part(ctx context.Context, p model.GroupPart, d model.Deployment, accepts []finding.Accept, actor string, tell progress.Tell) model.GroupPart {
	tell.Look("running " + d.Name())
	done, err := s.Changes.Run(ctx, d, d.Digest.String(), accepts, actor, tell)
	p.State, p.Words = model.PartDone, "done"
	switch {
	case err != nil:
		p.State, p.Words = model.PartFailed, err.Error()
	case done.State != model.Done:
		p.State, p.Words = model.PartFailed, fmt.Sprintf("it is %s", done.State)
	default:
		for _, f := range done.Aftermath {
			if f.Code == "not-loaded" || f.Code == model.NotUp {
				p.State, p.Words = model.PartFailed, f.What
				break
			}
		}
	}
	tell.Note(fmt.Sprintf("%s: %s", d.Name(), p.Words))
	return p
}

// Back takes back what the last run of a group did on its servers, the last first: what is done is
// rolled back, what stands half-way is undone.
func (s *Service) Back(ctx context.Context, name, actor string, tell progress.Tell) (model.GroupRun, error) {
	g, err := s.One(ctx, name)
	if err != nil {
		return model.GroupRun{}, err
	}
	leave, err := s.take(g)
	if err != nil {
		return model.GroupRun{}, err
	}
	defer leave()
	r, err := s.Last(ctx, name)
	if err != nil {
		return r, err
	}
	var trouble []error
	for i := range slices.Backward(r.Parts) {
		p := &r.Parts[i]
		if p.Number == 0 || p.State != model.PartDone && p.State != model.PartFailed {
			continue
		}
		d, err := s.Changes.Find(ctx, p.Server, p.Number)
		if err != nil {
			return r, err
		}
		switch d.State {
		case model.Done:
		case model.UndoneAll: // it took itself back
			p.State = model.PartBack
			continue
		case model.Halted, model.Waiting:
			tell.Look("undoing " + d.Name())
			if _, err := s.Changes.Undo(ctx, d, false, actor, tell); err != nil {
				trouble = append(trouble, fmt.Errorf("%s: %w", d.Name(), err))
				continue
			}
			p.State, p.Words = model.PartBack, "undone"
			continue
		default:
			trouble = append(trouble, fmt.Errorf("%s is %s", d.Name(), d.State))
			continue
		}
		tell.Look("taking " + d.Name() + " back")
		number, err := s.back(ctx, d, actor, tell)
		if err != nil {
			trouble = append(trouble, fmt.Errorf("%s: %w", d.Name(), err))
			continue
		}
		p.State, p.Back = model.PartBack, number
		p.Words = fmt.Sprintf("taken back by %s#%d", p.Server, number)
		if err := s.Records.SaveGroupRun(ctx, r); err != nil {
			return r, err
		}
	}
	if len(trouble) == 0 {
		r.State = model.GroupBack
	}
	if err := s.Records.SaveGroupRun(context.WithoutCancel(ctx), r); err != nil {
		return r, err
	}
	if err := errors.Join(trouble...); err != nil {
		return r, fault.New(fault.Failed, "not-all-back", "not all of group %s is back: %v", name, err).WithMend("The others are. Look at these, and do it again.")
	}
	return r, nil
}

func (s *Service) back(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (int, error) {
	b, err := s.Changes.Draft(ctx, d.Server, requests.Ask{Back: &requests.Back{Deployment: d.Number}}, nil, actor, tell)
	if err != nil {
		return 0, err
	}
	_, err = s.Changes.Run(ctx, b, b.Digest.String(), nil, actor, tell)
	return b.Number, err
}
