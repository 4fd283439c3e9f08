package httpapi

import (
	"context"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/service/catalog"
)

// propose looks at the server, if one is named, and makes a rulebook.
func (s *Server) propose(ctx context.Context, in api.Propose) (api.Proposed, error) {
	if in.Starter != "" {
		return begun(in)
	}
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
		if p.Texts, err = s.Hosts.Texts(ctx, in.Server, p.Tree); err != nil {
			return api.Proposed{}, err
		}
	}
	questions, text, missing, err := s.Catalog.Propose(ctx, p)
	out := api.Proposed{Questions: wireQuestions(questions), Text: text, Missing: missing}
	return out, err
}

// begun is the rulebook of a shape, for a game.
func begun(in api.Propose) (api.Proposed, error) {
	if in.Server != "" || len(in.Archives)+len(in.Answers) > 0 {
		return api.Proposed{}, fault.New(fault.Usage, "bad-request", "the rulebook of a shape is made from no server, download or answer")
	}
	text, err := rulebook.Start(in.Starter, in.Name, in.Title)
	if err != nil {
		return api.Proposed{}, fault.New(fault.Usage, "starter-unknown", "%v", err)
	}
	return api.Proposed{Questions: []api.Question{}, Text: string(text)}, nil
}

// readTree looks at a server and reads its tree by a rulebook.
func (s *Server) readTree(ctx context.Context, in api.ReadTree) (api.OnTree, error) {
	w := api.OnTree{Places: []api.PlaceThere{}, Addons: []api.AddonThere{}, Protected: []string{}}
	srv, err := s.Hosts.Find(ctx, in.Server)
	if err != nil {
		return w, err
	}
	entries, err := s.Hosts.Look(ctx, in.Server)
	if err != nil {
		return w, err
	}
	read, err := catalog.ReadTree([]byte(in.Text), srv.Variables, entries)
	for _, p := range read.Places {
		w.Places = append(w.Places, api.PlaceThere{Name: p.Name, Path: p.Path.String(), Holds: p.Holds})
	}
	for _, a := range read.Addons {
		w.Addons = append(w.Addons, api.AddonThere{Kind: a.Kind, Place: a.Place, Path: string(a.Path), Name: a.Name, Version: a.Version})
	}
	for _, p := range read.Protected {
		w.Protected = append(w.Protected, string(p))
	}
	return w, err
}
