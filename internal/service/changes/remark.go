package changes

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// longestRemark is how much a person may say of a deployment, in bytes.
const longestRemark = 2000

// Remark writes down what a person says of a deployment, and whether they found the server good
// as it stood after it. What was said before is replaced.
func (s *Service) Remark(ctx context.Context, d model.Deployment, r model.Remark) error {
	r.Text = strings.TrimSpace(r.Text)
	if len(r.Text) > longestRemark || !utf8.ValidString(r.Text) {
		return fault.New(fault.Usage, "bad-remark", "a remark is text of at most %d bytes", longestRemark)
	}
	err := s.Records.Remark(ctx, d.ID, r)
	if errors.Is(err, model.ErrConflict) {
		return fault.New(fault.Conflict, "not-done", "%s is %s; only what is done can be called good", d.Name(), d.State)
	}
	return err
}

// moment makes the moment that a way back names by its goodness or its time one by its number:
// what is drafted again later goes back to the same.
func (s *Service) moment(ctx context.Context, srv model.Server, ask *requests.Ask) error {
	b := ask.Back
	if b == nil || !b.Good && b.AsOf.IsZero() {
		return nil
	}
	if b.To != nil || b.Deployment != 0 || b.Good && !b.AsOf.IsZero() {
		return fault.New(fault.Usage, "bad-request", "%s is a moment of its own; it does not go with another one or with a deployment", map[bool]string{true: "the last known good", false: "how things stood at a time"}[b.Good])
	}
	number := 0
	var err error
	if b.Good {
		number, err = s.lastGood(ctx, srv)
	} else {
		number, err = s.lastDone(ctx, srv, b.AsOf)
	}
	if err != nil {
		return err
	}
	back := *b
	back.To, back.Good, back.AsOf = &number, false, time.Time{}
	ask.Back = &back
	return nil
}

// lastGood is the number of the last deployment that is called good.
func (s *Service) lastGood(ctx context.Context, srv model.Server) (int, error) {
	d, err := s.Records.LastGood(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return 0, fault.New(fault.Unknown, "none-good", "nobody has called a deployment to %s good", srv.Name).
			WithMend("Say so of one when the server runs well.").By(finding.CallGood.On(srv.Name))
	}
	return d.Number, err
}

// lastDone is the number of the last deployment that was done by a time; 0 where none was.
func (s *Service) lastDone(ctx context.Context, srv model.Server, at time.Time) (int, error) {
	if at.After(s.Now()) {
		return 0, fault.New(fault.Usage, "bad-request", "%s is yet to come", at.Format(time.RFC3339))
	}
	for before := int64(0); ; {
		list, err := s.Records.Deployments(ctx, srv.Name, before, 100)
		if err != nil || len(list) == 0 {
			return 0, err
		}
		for _, d := range list {
			if d.State == model.Done && !d.EndedAt.After(at) {
				return d.Number, nil
			}
			before = d.ID
		}
	}
}
