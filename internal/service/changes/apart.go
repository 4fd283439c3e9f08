package changes

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// apart takes back alone what did not load of a deployment that is done, each in a deployment
// of its own, as that was asked for. The one that lacks nothing of the others goes first, and
// the roll is called after each: what failed for its sake may load then. Where one cannot go
// back alone, the whole deployment goes back. It gives the deployment with what was done about
// it in its notes.
func (s *Service) apart(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (model.Deployment, error) {
	left := d.Fell
	var back []string
	for len(left) > 0 {
		addon := left[0]
		tell.Note(addon + " did not load; it goes back alone, as you asked")
		b, why, err := s.backAlone(ctx, d, requests.Back{Deployment: d.Number, Addon: addon}, actor, tell)
		if err != nil {
			return d, s.apartError(d, back, err)
		}
		if why != "" {
			return s.allBack(ctx, d, addon, why, actor, tell)
		}
		back = append(back, fmt.Sprintf("%s (%s)", addon, b.Name()))
		left, err = s.stillFailing(ctx, d, left[1:])
		if err != nil {
			return d, s.apartError(d, back, err)
		}
	}
	if len(back) == 0 {
		return d, nil
	}
	f := fault.New(fault.Failed, "partly-back", "%s is done, but not all of it loaded: %s went back alone", d.Name(), strings.Join(back, ", "))
	f.Deployment = d.Name()
	return d, f.WithMend("The rest stays. The roll call of the deployment tells what was found.").By(finding.ShowDeployment.On(d.Name()))
}

// backAlone drafts a way back and runs it, unless something blocks it: why says what then.
func (s *Service) backAlone(ctx context.Context, d model.Deployment, back requests.Back, actor string, tell progress.Tell) (b model.Deployment, why string, err error) {
	b, err = s.Draft(ctx, d.Server, requests.Ask{Back: &back}, nil, actor, tell)
	if err != nil {
		return b, "", err
	}
	if open := finding.Open(b.Draft.Findings, b.Accepts); len(open) > 0 {
		return b, strings.TrimSuffix(open[0].What, "."), s.Discard(ctx, b)
	}
	b, err = s.once(ctx, b, b.Digest.String(), nil, actor, tell)
	return b, "", err
}

// stillFailing gives those of some add-ons that the last roll call found not to load, the one
// that lacks nothing of the others first.
func (s *Service) stillFailing(ctx context.Context, d model.Deployment, addons []string) ([]string, error) {
	if len(addons) == 0 {
		return nil, nil
	}
	call, err := s.Records.LastRollCall(ctx, d.ServerID)
	if err != nil {
		return nil, err
	}
	return failing(call.Roll, addons), nil
}

// failing gives those of some add-ons that failed in a roll call, in the order in which they
// are to go back: what others lack before those others.
func failing(roll rollcall.Roll, addons []string) (out []string) {
	lacks := map[string]int{}
	for _, e := range roll.Entries {
		if e.Standing != rollcall.Failed || !slices.Contains(addons, e.Addon) {
			continue
		}
		out = append(out, e.Addon)
		for _, n := range e.Needs {
			if slices.Contains(addons, layout.Key(n)) {
				lacks[e.Addon]++
			}
		}
	}
	slices.SortStableFunc(out, func(a, b string) int { return lacks[a] - lacks[b] })
	return out
}

// allBack takes a whole deployment back because one of its add-ons cannot go back alone.
func (s *Service) allBack(ctx context.Context, d model.Deployment, addon, why, actor string, tell progress.Tell) (model.Deployment, error) {
	tell.Note(fmt.Sprintf("%s cannot go back alone: %s; so all of %s goes back", addon, why, d.Name()))
	b, open, err := s.backAlone(ctx, d, requests.Back{Deployment: d.Number}, actor, tell)
	if err != nil {
		return d, s.apartError(d, nil, err)
	}
	f := fault.New(fault.Failed, "taken-back", "%s did not load and cannot go back alone (%s), so %s took all of %s back", addon, why, b.Name(), d.Name())
	if open != "" {
		f = fault.New(fault.Failed, "not-back", "%s did not load, and %s cannot be taken back by itself: %s", addon, d.Name(), open)
	}
	f.Deployment = d.Name()
	return d, f.By(finding.ShowDeployment.On(d.Name()))
}

// apartError says that a deployment is done, and what of it is not taken back.
func (s *Service) apartError(d model.Deployment, back []string, err error) error {
	done := ""
	if len(back) > 0 {
		done = strings.Join(back, ", ") + " went back; "
	}
	f := fault.New(fault.Failed, "not-back", "%s is done, and %s did not load; %sthe rest could not be taken back by itself", d.Name(), strings.Join(d.Fell, ", "), done).Because(err)
	f.Deployment = d.Name()
	return f.WithMend("Take it back yourself.").By(finding.RollBack.On(d.Name()))
}
