package texts

import (
	"context"
	"errors"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// MarkSecret has a value of a text, or all values of a group, be masked wherever the text is
// shown; off takes that back. What a rulebook or a name such as password makes secret stays so.
func (s *Service) MarkSecret(ctx context.Context, server string, p tree.Path, at string, off bool, actor string) error {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return err
	}
	if at = "/" + strings.Trim(at, "/"); at == "/" || p == tree.Root {
		return fault.New(fault.Usage, "bad-request", "say which value of which text is secret, by its value path")
	}
	if !off {
		return s.Records.MarkSecret(ctx, srv.ID, p, at, actor)
	}
	err = s.Records.UnmarkSecret(ctx, srv.ID, p, at)
	if errors.Is(err, model.ErrConflict) {
		return fault.New(fault.Unknown, "not-marked", "%s of %s on %s is not marked by hand", at, p, server).
			WithMend("A value is also secret by its name, such as password, or by the rulebook; that is not taken back here.").By(finding.ShowText.With(string(p)))
	}
	return err
}
