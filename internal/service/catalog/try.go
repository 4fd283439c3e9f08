package catalog

import (
	"context"
	"errors"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// TryRulebook shows what a rulebook that is not kept would make of an archive that is.
// Corrections do not count: they belong to rulebooks that are in use.
func (s *Service) TryRulebook(ctx context.Context, text []byte, archive tree.Digest) (BookResult, error) {
	b, err := CheckRulebook(text)
	if err != nil {
		return BookResult{}, err
	}
	br := BookResult{Rulebook: b.Name}
	a, err := s.Records.Archive(ctx, archive)
	if errors.Is(err, model.ErrNotFound) {
		return br, fault.New(fault.Unknown, "archive-unknown", "no archive with the digest %s is kept", archive)
	}
	if err != nil {
		return br, err
	}
	res, told, err := s.laying().lay(ctx, b, a, a.Filename, nil)
	if err != nil {
		return br, err
	}
	br.Findings, br.Choices = append(res.Findings, told...), res.Choices
	if res.Pallet != nil {
		br.Pallet = res.Pallet.Label()
	}
	for _, c := range res.Crates {
		br.Crates = append(br.Crates, model.Crate{Digest: c.Digest(), Key: c.Key(), Body: *c, Findings: c.Findings, Archives: []model.Archive{a}})
	}
	return br, nil
}

// ReadTree shows what a rulebook that is not kept makes of a server's tree. said
// are the server's variables; those that the rulebook does not ask for do not
// matter here.
func ReadTree(text []byte, said map[string]string, entries []tree.Entry) (layout.OnTree, error) {
	b, err := CheckRulebook(text)
	if err != nil {
		return layout.OnTree{}, err
	}
	asked := map[string]string{}
	for _, v := range b.Variables {
		asked[v.Name] = said[v.Name]
	}
	values, err := b.Values(asked)
	if err != nil {
		return layout.OnTree{}, fault.From(fault.Usage, "bad-variables", err)
	}
	return layout.Read(b, values, entries)
}
