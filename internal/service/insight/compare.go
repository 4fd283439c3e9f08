package insight

import (
	"context"
	"errors"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Compared is what differs between two moments of a server, by its ledger.
type Compared struct {
	From, To string // the moments, in words
	draft.Between
}

// Compare tells what differs between how a server stood after one deployment and after another; 0 is
// before the first, and no second one is now. It does not look at the server.
func (s *Service) Compare(ctx context.Context, name string, from int, to *int) (c Compared, err error) {
	srv, err := s.server(ctx, name)
	if err != nil {
		return c, err
	}
	recorded, err := s.Records.Events(ctx, srv.ID)
	if err != nil {
		return c, err
	}
	events := model.DraftEvents(recorded)
	was, err := s.moment(ctx, srv, recorded, from)
	if err != nil {
		return c, err
	}
	c.From, c.To = momentWords(name, from), "now, by the ledger"
	is := int64(1<<63 - 1)
	if to != nil {
		if is, err = s.moment(ctx, srv, recorded, *to); err != nil {
			return c, err
		}
		c.To = momentWords(name, *to)
	}
	c.Between = draft.Compare(draft.MomentAfter(events, was), draft.MomentAfter(events, is))
	return c, nil
}

// moment is the last event of a deployment. One that was done and has changed nothing stands as the
// one that was done before it.
func (s *Service) moment(ctx context.Context, srv model.Server, events []model.Event, number int) (int64, error) {
	if number == 0 {
		return 0, nil
	}
	d, err := s.Records.Deployment(ctx, srv.Name, number)
	switch {
	case errors.Is(err, model.ErrNotFound):
		return 0, fault.New(fault.Unknown, "deployment-unknown", "there is no deployment %s#%d", srv.Name, number).By(finding.ShowDeployments.On(srv.Name))
	case err != nil:
		return 0, err
	case d.State != model.Done:
		return 0, fault.New(fault.Conflict, "not-done", "%s is %s; nothing stood as it would have it", d.Name(), d.State)
	}
	last := map[int]int64{}
	for _, e := range events {
		last[e.Number] = e.Seq
	}
	for n := number; n > 0; n-- {
		if seq := last[n]; seq > 0 {
			return seq, nil
		}
	}
	return 0, nil
}

func momentWords(server string, number int) string {
	if number == 0 {
		return "before the first deployment"
	}
	return fmt.Sprintf("after %s#%d", server, number)
}
