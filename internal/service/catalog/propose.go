package catalog

import (
	"context"
	"errors"

	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Proposal is what a rulebook is to be made from.
type Proposal struct {
	Name, Title string
	Tree        []tree.Entry // of a server; may be empty
	Archives    []tree.Digest
	Answers     propose.Answers
}

// Propose gives the questions with what is believed, and the rulebook that the
// answers make. missing says what has to be answered first, where there is no
// text yet. Nothing is kept.
func (s *Service) Propose(ctx context.Context, p Proposal) (questions []propose.Question, text, missing string, err error) {
	if err := propose.Check(p.Answers); err != nil {
		return nil, "", "", fault.New(fault.Usage, "bad-answer", "%v", err)
	}
	e := propose.Evidence{Tree: p.Tree}
	for _, d := range p.Archives {
		a, err := s.Records.Archive(ctx, d)
		if errors.Is(err, model.ErrNotFound) {
			return nil, "", "", fault.New(fault.Unknown, "archive-unknown", "no archive with the digest %s is kept", d)
		}
		if err != nil {
			return nil, "", "", err
		}
		entries, err := s.Records.Entries(ctx, a.ID)
		if err != nil {
			return nil, "", "", err
		}
		e.Downloads = append(e.Downloads, propose.Download{Filename: a.Filename, Entries: entries})
	}
	questions = propose.Questions(e, p.Answers)
	raw, err := propose.Write(p.Name, p.Title, e, p.Answers)
	if err != nil {
		return questions, "", err.Error(), nil
	}
	return questions, string(raw), "", nil
}
