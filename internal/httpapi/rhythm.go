package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
)

// rhythmOps are about how often servers are looked at.
func (s looking) rhythmOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/rhythm", "get-rhythm", "How often a server is looked at", "surveys"), func(ctx context.Context, in *OnServer) (*body[api.Rhythm], error) {
		r, err := s.Surveys.Rhythm(ctx, in.Server)
		return &body[api.Rhythm]{s.wireRhythm(r)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPut, "/servers/{server}/rhythm", "set-rhythm", "Say how often a server is looked at", "surveys"), func(ctx context.Context, in *struct {
		OnServer
		Body api.SetRhythm
	}) (*body[api.Rhythm], error) {
		r, err := s.Surveys.SetRhythm(ctx, in.Server, seconds(in.Body.SurveyEvery), seconds(in.Body.UpdatesEvery))
		return &body[api.Rhythm]{s.wireRhythm(r)}, s.fail(ctx, err)
	})
}

func seconds(n *int64) *time.Duration {
	if n == nil {
		return nil
	}
	d := time.Duration(*n) * time.Second
	return &d
}

func (s looking) wireRhythm(r model.Rhythm) api.Rhythm {
	return api.Rhythm{SurveyEvery: int64(r.Survey.Seconds()), UpdatesEvery: int64(r.Updates.Seconds()), UpdatesAt: when(r.UpdatesAt), UpdatesBy: r.UpdatesBy, Overdue: r.Overdue(s.Now())}
}

// SurveyByItself begins a survey that nobody asked for just now.
func (s *Server) SurveyByItself(ctx context.Context, server string) error {
	_, err := s.Jobs.Start(ctx, jobs.What{Kind: "survey", Subject: server, Actor: "service", Cancellable: true}, func(ctx context.Context, tell progress.Tell) (any, error) {
		found, err := s.Surveys.Look(ctx, server, false, "service", tell)
		return wireSurvey(found), err
	})
	return err
}
