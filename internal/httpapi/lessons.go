package httpapi

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/hosts"
	"restlesscrate/internal/service/learning"
)

// lessonOps are about servers that were added without a rulebook.
func (s lessons) lessonOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/lessons", "get-lessons", "What is known of a server whose rulebook grows, and what is asked; looks at the server", "servers"), func(ctx context.Context, in *OnServer) (*body[api.Lesson], error) {
		l, err := s.teach(ctx, in.Server, actorOf(ctx), api.Teach{})
		return &body[api.Lesson]{l}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/lessons", "teach", "Answer what is asked of a server whose rulebook grows, or have it learn from a download", "servers"), func(ctx context.Context, in *struct {
		OnServer
		Body api.Teach
	}) (*body[api.Lesson], error) {
		l, err := s.teach(ctx, in.Server, actorOf(ctx), in.Body)
		return &body[api.Lesson]{l}, s.fail(ctx, err)
	})
}

// add adds a server; one without a rulebook gets one that grows.
func (s lessons) add(ctx context.Context, srv model.Server, sec hosts.Secrets) (model.Server, error) {
	if srv.Rulebook != "" {
		return s.Hosts.Add(ctx, srv, sec)
	}
	name, made, err := s.Learning.Begin(ctx, srv.Name, actorOf(ctx))
	if err != nil {
		return srv, err
	}
	srv.Rulebook = name
	added, err := s.Hosts.Add(ctx, srv, sec)
	if err != nil {
		return added, errors.Join(err, s.Catalog.DropRulebook(ctx, name))
	}
	if err := s.Learning.Added(ctx, added, made); err != nil {
		return added, err
	}
	added.Learning = true
	return added, nil
}

// teach takes in what is said, and has downloads laid out by what was learnt.
func (s lessons) teach(ctx context.Context, server, actor string, in api.Teach) (api.Lesson, error) {
	said := learning.Said{Answers: in.Answers, About: in.About}
	for _, text := range in.Archives {
		d, err := tree.ParseDigest(text)
		if err != nil {
			return api.Lesson{}, fault.New(fault.Usage, "bad-digest", "%v", err)
		}
		said.Archives = append(said.Archives, d)
	}
	t, err := s.Learning.Teach(ctx, server, said, actor)
	if err != nil {
		return api.Lesson{}, err
	}
	w := api.Lesson{Rulebook: t.Rulebook.Name, Revision: t.Rulebook.Number, Fresh: t.Fresh, Text: string(t.Text), Beliefs: []api.Belief{}, Questions: wireQuestions(t.Open), About: t.Asked, Kept: t.Kept}
	for _, b := range t.Beliefs {
		w.Beliefs = append(w.Beliefs, api.Belief(b))
	}
	if !t.Fresh {
		return w, nil
	}
	again, err := s.archives().Grown(ctx, t.Rulebook.Name, t.From, actor)
	for _, br := range again {
		w.Laid = append(w.Laid, wireByBook(br, wireCrate))
	}
	return w, err
}

func wireQuestions(list []propose.Question) []api.Question {
	out := []api.Question{}
	for _, q := range list {
		w := api.Question{Key: q.Key, Ask: q.Ask, Free: q.Free, Like: q.Like, Options: []api.Option{}}
		for _, o := range q.Options {
			w.Options = append(w.Options, api.Option(o))
		}
		out = append(out, w)
	}
	return out
}
