package requests

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// further finds the deployment that goes back next, of those that only is about: the newest
// that no rollback has taken back yet. A second rollback goes further back, and not forth
// again. newest is the last that changed anything there.
func (s *Maker) further(ctx context.Context, srv model.Server, events []draft.Event, only func(draft.Event) bool, b *Back) (next, newest string, err error) {
	done, err := s.Records.Deployments(ctx, srv.Name, 0, -1)
	if err != nil {
		return "", "", err
	}
	asked := map[string]model.Deployment{}
	for _, d := range done {
		asked[d.Name()] = d
	}
	var past standing
	for _, e := range events {
		if !only(e) || e.Deployment == newest {
			continue
		}
		newest = e.Deployment
		past.add(asked[e.Deployment], e.Deployment, b)
	}
	now := past.at(-1)
	if len(now) == 0 {
		return "", "", fault.New(fault.Conflict, "all-back", "every deployment that changed it is taken back already").WithMend("To have something of that again, go to the moment after it.").By(finding.ShowHistory.On(srv.Name))
	}
	return now[len(now)-1], newest, nil
}

// standing is, after each deployment, which ones are not taken back, the newest last.
type standing []struct {
	number int
	names  []string
}

// at is what stood after a deployment; -1 is now.
func (p standing) at(number int) (names []string) {
	for _, s := range p {
		if number >= 0 && s.number > number {
			break
		}
		names = s.names
	}
	return slices.Clone(names)
}

// add adds one more deployment, of which nothing but its name may be known. A rollback takes
// back what it says; one to a moment has what stood then.
func (p *standing) add(d model.Deployment, name string, about *Back) {
	now := p.at(-1)
	var by *Back
	if d.Kind == "rollback" {
		if ask, err := Read(d.Ask); err == nil {
			by = ask.Back
		}
	}
	switch {
	case by == nil:
		now = append(now, name)
	case by.To != nil:
		now = p.at(*by.To)
	case by.Deployment != 0:
		i := slices.IndexFunc(now, func(n string) bool { return strings.HasSuffix(n, fmt.Sprintf("#%d", by.Deployment)) })
		if i < 0 { // a rollback is taken back: what stood before that stands again
			now = p.at(by.Deployment - 1)
			break
		}
		now = slices.Delete(now, i, i+1)
	case len(now) > 0 && (by.Addon == "" || about.Addon == "" || layout.Key(by.Addon) == layout.Key(about.Addon)):
		now = now[:len(now)-1]
	}
	*p = append(*p, struct {
		number int
		names  []string
	}{d.Number, now})
}
