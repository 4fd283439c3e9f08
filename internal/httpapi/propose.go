package httpapi

import (
	"context"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/service/catalog"
)

// propose looks at the server, if one is named, and makes a rulebook.
func (s *Server) propose(ctx context.Context, in api.Propose) (api.Proposed, error) {
	p := catalog.Proposal{Name: in.Name, Title: in.Title, Answers: propose.Answers(in.Answers)}
	for _, text := range in.Archives {
		d, err := tree.ParseDigest(text)
		if err != nil {
			return api.Proposed{}, fault.New(fault.Usage, "bad-digest", "%v", err)
		}
		p.Archives = append(p.Archives, d)
	}
	if in.Server != "" {
		var err error
		if p.Tree, err = s.Hosts.Look(ctx, in.Server); err != nil {
			return api.Proposed{}, err
		}
	}
	questions, text, missing, err := s.Catalog.Propose(ctx, p)
	out := api.Proposed{Questions: []api.Question{}, Text: text, Missing: missing}
	for _, q := range questions {
		w := api.Question{Key: q.Key, Ask: q.Ask, Free: q.Free, Options: []api.Option{}}
		for _, o := range q.Options {
			w.Options = append(w.Options, api.Option(o))
		}
		out.Questions = append(out.Questions, w)
	}
	return out, err
}
