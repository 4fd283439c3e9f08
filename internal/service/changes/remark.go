package changes

import (
	"context"
	"errors"
	"strings"
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

// lastGood gives an ask for the last known good the number of that deployment, so that the draft
// stays what it is when another one is called good.
func (s *Service) lastGood(ctx context.Context, srv model.Server, ask *requests.Ask) error {
	if ask.Back == nil || !ask.Back.Good {
		return nil
	}
	if ask.Back.To != nil || ask.Back.Deployment != 0 {
		return fault.New(fault.Usage, "bad-request", "the last known good is a moment of its own; it does not go with another one or with a deployment")
	}
	d, err := s.Records.LastGood(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return fault.New(fault.Unknown, "none-good", "nobody has called a deployment to %s good", srv.Name).
			WithMend("Say so of one when the server runs well.").By(finding.CallGood.On(srv.Name))
	}
	if err != nil {
		return err
	}
	back := *ask.Back
	back.To, back.Good = &d.Number, false
	ask.Back = &back
	return nil
}
