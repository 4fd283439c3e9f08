package narrowing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// step is one step of a search on a server, or several that follow on each other.
type step struct {
	*Service
	srv   model.Server
	actor string
	tell  progress.Tell
}

// have has off what a search says is to be off. before is the search as it is written down: where
// the draft is not to be run, nothing has happened and that stays. From then on it is the search
// as it is to be, so that whatever happens while it runs, it is known what has to be taken back.
func (s step) have(ctx context.Context, before, n model.Narrowing) (model.Narrowing, error) {
	_, now, _, err := s.Addons.Suspects(ctx, s.srv.Name)
	if err != nil {
		return before, err
	}
	was := slices.DeleteFunc(slices.Clone(n.Search.Was), func(a string) bool { return !slices.Contains(now, a) })
	ask := requests.Ask{Enable: without(was, n.Search.Off), Disable: without(n.Search.Off, now), Trial: true}
	if len(ask.Enable)+len(ask.Disable) == 0 {
		return n, s.Records.SaveNarrowing(ctx, n)
	}
	d, err := s.draft(ctx, ask)
	if err != nil {
		return before, err
	}
	if n.Search.ByStart && !d.Draft.Powered() {
		return before, errors.Join(fault.New(fault.Conflict, "no-start", "whether %s comes up cannot be tried: there is no way to stop and start it", s.srv.Name).WithMend("Tell how it is stopped and started.").By(finding.SetControl.With()), s.Changes.Discard(ctx, d))
	}
	n.Own = append(slices.Clone(n.Own), d.Number)
	if err := s.Records.SaveNarrowing(ctx, n); err != nil {
		return before, errors.Join(err, s.Changes.Discard(ctx, d))
	}
	_, err = s.Changes.Run(ctx, d, d.Digest.String(), nil, s.actor, s.tell)
	return n, err
}

// whole refuses to go on while the search's last deployment stands half-way: only a person
// decides what becomes of that.
func (s step) whole(ctx context.Context, n model.Narrowing) error {
	if len(n.Own) == 0 {
		return nil
	}
	d, err := s.Records.Deployment(ctx, s.srv.Name, n.Own[len(n.Own)-1])
	switch {
	case errors.Is(err, model.ErrNotFound):
		return nil
	case err != nil:
		return err
	case d.State == model.Halted:
		return fault.New(fault.Halted, "halted", "the search cannot go on: its deployment %s stands half-way", d.Name()).WithMend("Finish it or take it back, then go on.").By(finding.ResumeDeployment.On(d.Name()), finding.UndoDeployment.On(d.Name()))
	case d.State == model.Waiting:
		return fault.New(fault.Halted, "waiting", "the search cannot go on: its deployment %s waits for a person", d.Name()).WithMend("Read what is to be done.").By(finding.ShowDeployment.On(d.Name()))
	}
	return nil
}

// asAsked has off what the open question is about, where that is not so: the deployment that
// was to do it did not run, or was taken back. put tells that it had to be done.
func (s step) asAsked(ctx context.Context, n *model.Narrowing) (put bool, err error) {
	_, now, _, err := s.Addons.Suspects(ctx, s.srv.Name)
	if err != nil {
		return false, err
	}
	on := without(n.Search.Off, now)
	stray := without(n.Search.Was, n.Search.Off)
	stray = slices.DeleteFunc(stray, func(a string) bool { return !slices.Contains(now, a) })
	if len(on)+len(stray) == 0 {
		return false, nil
	}
	*n, err = s.have(ctx, *n, *n)
	return true, err
}

// answer takes an answer, and has off what the next question is about. Where there is none, only
// the answer is taken.
func (s step) answer(ctx context.Context, n model.Narrowing, still bool) (model.Narrowing, error) {
	told := n
	told.Search.Suspects = slices.Clone(n.Search.Suspects)
	told.Search.Tell(still)
	if _, done := told.Search.Next(); done {
		return told, nil
	}
	return s.have(ctx, n, told)
}

// onward ends a search that has nothing more to ask, and answers one that answers itself.
func (s step) onward(ctx context.Context, n model.Narrowing) (Stand, error) {
	for last := ""; ; {
		if over(n.Search) {
			return s.end(ctx, n)
		}
		if n.Search.ByStart {
			if _, err := s.asAsked(ctx, &n); err != nil { // it may have been interrupted
				return Stand{}, err
			}
		}
		st, err := s.stand(ctx, s.srv.Name, n)
		if err != nil || !n.Search.ByStart {
			return st, err
		}
		still, so := st.Down != "", "comes up"
		if still {
			so = "does not come up"
		}
		if note := fmt.Sprintf("%s %s with %s off", s.srv.Name, so, strings.Join(n.Search.Off, ", ")); note != last { // one that is left was off alone already
			s.tell.Note(note)
			last = note
		}
		if n, err = s.answer(ctx, n, still); err != nil {
			return Stand{}, err
		}
	}
}

// end takes back what was disabled. Where nobody else has deployed anything meanwhile, the whole
// server goes back to how it stood; else only what is off is enabled again.
func (s step) end(ctx context.Context, n model.Narrowing) (Stand, error) {
	other, any, err := s.others(ctx, n)
	if err != nil {
		return Stand{}, err
	}
	_, now, _, err := s.Addons.Suspects(ctx, s.srv.Name)
	if err != nil {
		return Stand{}, err
	}
	off := slices.DeleteFunc(slices.Concat(n.Search.Off, without(n.Search.Was, n.Search.Off)), func(a string) bool { return !slices.Contains(now, a) })
	note := ""
	ask := requests.Ask{Back: &requests.Back{To: &n.Base}, Trial: true}
	if other != "" {
		ask = requests.Ask{Enable: off, Trial: true}
		note = fmt.Sprintf("%s was deployed meanwhile, so only what was off is enabled again", other)
	}
	if any && (ask.Back != nil || len(off) > 0) {
		d, err := s.draft(ctx, ask)
		if err != nil {
			return Stand{}, err
		}
		n.Own = append(slices.Clone(n.Own), d.Number)
		if err := s.Records.SaveNarrowing(ctx, n); err != nil {
			return Stand{}, errors.Join(err, s.Changes.Discard(ctx, d))
		}
		if _, err = s.Changes.Run(ctx, d, d.Digest.String(), nil, s.actor, s.tell); err != nil {
			return Stand{}, err
		}
	}
	n.Search.Off = nil
	out, err := s.stand(ctx, s.srv.Name, n)
	if err != nil {
		return Stand{}, err
	}
	out.Over, out.GivenUp, out.Note = true, !over(n.Search), note
	return out, s.Records.EndNarrowing(ctx, n.ServerID)
}

// others names the newest deployment since the search began that is not its own, and tells
// whether any of its own has done anything.
func (s step) others(ctx context.Context, n model.Narrowing) (other string, own bool, err error) {
	before := int64(0)
	for {
		list, err := s.Records.Deployments(ctx, s.srv.Name, before, 50)
		if err != nil {
			return "", false, err
		}
		for _, d := range list {
			switch {
			case d.Number <= n.Base:
				return other, own, nil
			case d.State != model.Done:
			case slices.Contains(n.Own, d.Number):
				own = true
			case other == "":
				other = d.Name()
			}
			before = d.ID
		}
		if len(list) == 0 {
			return other, own, nil
		}
	}
}

// draft drafts. Where something blocks it, nothing is done and that is the error.
func (s step) draft(ctx context.Context, ask requests.Ask) (model.Deployment, error) {
	d, err := s.Changes.Draft(ctx, s.srv.Name, ask, nil, s.actor, s.tell)
	if err != nil {
		return d, err
	}
	if open := finding.Open(d.Draft.Findings, d.Accepts); len(open) > 0 {
		f := fault.New(fault.Blocked, "blocked", "the next step is blocked: %s", strings.TrimSuffix(open[0].What, "."))
		f.Findings = open
		return d, errors.Join(f, s.Changes.Discard(ctx, d))
	}
	return d, nil
}
