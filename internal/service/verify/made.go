package verify

import (
	"context"
	"fmt"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// Before is done before a deployment begins that starts its server: it notes which settings
// texts are there, so that those are told apart that the start brings.
func (s *Verifier) Before(ctx context.Context, srv model.Server, h remote.Host, d draft.Draft) error {
	if !starts(d) {
		return nil
	}
	_, err := s.see(ctx, srv, h, func(tree.Path) string { return "" })
	return err
}

func (s *Verifier) see(ctx context.Context, srv model.Server, h remote.Host, made func(tree.Path) string) ([]tree.Path, error) {
	b, _, err := s.Catalog.Book(ctx, srv.Rulebook)
	if err != nil || len(b.Texts) == 0 {
		return nil, err
	}
	there, err := deploy.RuledTexts(ctx, h, b)
	if err != nil {
		return nil, fmt.Errorf("look which settings are there: %w", err)
	}
	texts := map[tree.Path]string{}
	for _, p := range there {
		texts[p] = made(p)
	}
	return s.Records.SeeTexts(ctx, srv.ID, texts)
}

// made tells of the settings texts that came with a start.
func (s *Verifier) made(ctx context.Context, srv model.Server, h remote.Host, d *model.Deployment, changes []draft.Change) (out []finding.Finding, err error) {
	if !starts(d.Draft) {
		return nil, nil
	}
	made := func(p tree.Path) string {
		if slices.ContainsFunc(changes, func(c draft.Change) bool { return c.Path == p && c.Before.Being == tree.Absent }) {
			return "" // it was put
		}
		return d.Name()
	}
	fresh, err := s.see(ctx, srv, h, made)
	for _, p := range fresh {
		if made(p) == "" {
			continue
		}
		f := finding.Finding{Level: finding.Note, Code: "text-made", Path: p, Mend: "It can be read and changed now.",
			What: fmt.Sprintf("%s came with the start: it was not there before, and no deployment put it.", p)}
		f.By(finding.ShowText.With(string(p)))
		out = append(out, f)
	}
	return out, err
}
