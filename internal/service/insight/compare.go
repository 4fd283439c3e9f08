package insight

import (
	"context"
	"errors"
	"fmt"
	"time"

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

// Stand is a server at a moment: now where nothing else is given.
type Stand struct {
	Server string
	After  *int      // a deployment, or 0 for before the first
	At     time.Time // else a time
}

// words says which moment it is.
func (t Stand) words() string {
	switch {
	case t.After != nil:
		return t.Server + " " + momentWords(t.Server, *t.After)
	case !t.At.IsZero():
		return t.Server + " at " + t.At.UTC().Format("2006-01-02 15:04 MST")
	}
	return t.Server + " now, by the ledger"
}

// CompareServers tells what differs between two servers of one rulebook, each at a moment, by their
// ledgers. It looks at neither.
func (s *Service) CompareServers(ctx context.Context, a, b Stand) (c Compared, err error) {
	was, book, err := s.stood(ctx, a)
	if err != nil {
		return c, err
	}
	is, other, err := s.stood(ctx, b)
	if err != nil {
		return c, err
	}
	if book != other {
		return c, fault.New(fault.Usage, "other-rulebook", "%s is a server of %s, and %s one of %s: their trees have nothing in common", a.Server, book, b.Server, other)
	}
	return Compared{From: a.words(), To: b.words(), Between: draft.Compare(was, is)}, nil
}

// stood is how a server stood.
func (s *Service) stood(ctx context.Context, t Stand) (draft.Moment, string, error) {
	srv, err := s.server(ctx, t.Server)
	if err != nil {
		return nil, "", err
	}
	recorded, err := s.Records.Events(ctx, srv.ID)
	if err != nil {
		return nil, "", err
	}
	seq := int64(1<<63 - 1)
	switch {
	case t.After != nil:
		if seq, err = s.moment(ctx, srv, recorded, *t.After); err != nil {
			return nil, "", err
		}
	case !t.At.IsZero():
		seq = 0
		for _, e := range recorded {
			if !e.At.After(t.At) {
				seq = max(seq, e.Seq)
			}
		}
	}
	return draft.MomentAfter(model.DraftEvents(recorded), seq), srv.Rulebook, nil
}
