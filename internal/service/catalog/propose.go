package catalog

import (
	"context"
	"errors"

	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// Proposal is what a rulebook is to be made from.
type Proposal struct {
	Name, Title string
	Tree        []tree.Entry         // of a server; may be empty
	Texts       map[tree.Path]string // of the server
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
	e := propose.Evidence{Tree: p.Tree, Texts: p.Texts}
	for _, d := range p.Archives {
		down, err := s.Download(ctx, d)
		if err != nil {
			return nil, "", "", err
		}
		e.Downloads = append(e.Downloads, down)
	}
	questions = propose.Questions(e, p.Answers)
	raw, err := propose.Write(p.Name, p.Title, e, p.Answers)
	if err != nil {
		return questions, "", err.Error(), nil
	}
	return questions, string(raw), "", nil
}

// Download is a kept archive as something to learn from.
func (s *Service) Download(ctx context.Context, d tree.Digest) (down propose.Download, err error) {
	a, err := s.Records.Archive(ctx, d)
	if errors.Is(err, model.ErrNotFound) {
		return down, fault.New(fault.Unknown, "archive-unknown", "no archive with the digest %s is kept", d)
	}
	if err != nil {
		return down, err
	}
	entries, err := s.Records.Entries(ctx, a.ID)
	if err != nil {
		return down, err
	}
	texts, err := manifests(ctx, s.Room, entries)
	return propose.Download{Filename: a.Filename, Entries: entries, Texts: texts}, err
}

// How much of a download's texts is read for a proposal.
const (
	manifestsMost    = 200
	longestManifest  = 64 << 10 // bytes
	manifestsDeepest = 6
)

// manifests reads the small texts of a download that may tell something about it.
func manifests(ctx context.Context, room *stockroom.Room, entries []tree.Entry) (map[tree.Path]string, error) {
	out := map[tree.Path]string{}
	read := reader(ctx, room)
	for _, x := range entries {
		if x.Dir || x.Size > longestManifest || x.Path.Depth() > manifestsDeepest || manifest.FormatOf(x.Path.Base()) == "" {
			continue
		}
		if len(out) == manifestsMost {
			break
		}
		raw, err := read(x, longestManifest)
		if err != nil {
			return nil, err
		}
		out[x.Path] = string(raw)
	}
	return out, nil
}
