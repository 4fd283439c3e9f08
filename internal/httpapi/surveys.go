package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/model"
)

// surveyOps are about what is on servers besides what was deployed.
func (s looking) surveyOps(h huma.API) {
	huma.Register(h, op(http.MethodPost, "/servers/{server}/surveys", "survey-server", "Compare a server's tree with its ledger; a job", "surveys"), func(ctx context.Context, in *struct {
		OnServer
		Body api.DoSurvey
	}) (*accepted, error) {
		if _, err := s.Hosts.Find(ctx, in.Server); err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.jobs().cancellable(ctx, "survey", in.Server, func(ctx context.Context, tell progress.Tell) (any, error) {
			found, err := s.Surveys.Look(ctx, in.Server, in.Body.Thorough, actor, tell)
			return wireSurvey(found), err
		})
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/surveys/last", "last-survey", "What the last survey found; 404 where there was none", "surveys"), func(ctx context.Context, in *OnServer) (*body[api.Survey], error) {
		found, err := s.Surveys.Last(ctx, in.Server)
		return &body[api.Survey]{wireSurvey(found)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/ignored", "list-ignored", "What surveys of a server do not tell of", "surveys"), func(ctx context.Context, in *OnServer) (*body[api.Page[api.Ignored]], error) {
		list, err := s.Surveys.Ignored(ctx, in.Server)
		return &body[api.Page[api.Ignored]]{page(list, -1, func(model.Ignored) int64 { return 0 }, func(i model.Ignored) api.Ignored {
			return api.Ignored{Pattern: i.Pattern, Note: i.Note, By: i.Actor, At: i.At}
		})}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPut, "/servers/{server}/ignored", "ignore", "Have surveys of a server not tell of what a glob names", "surveys"), func(ctx context.Context, in *struct {
		OnServer
		Body api.Ignored
	}) (*done, error) {
		return nil, s.fail(ctx, s.Surveys.Ignore(ctx, in.Server, model.Ignored{Pattern: in.Body.Pattern, Note: in.Body.Note, Actor: actorOf(ctx)}))
	})
	huma.Register(h, op(http.MethodDelete, "/servers/{server}/ignored", "unignore", "Take that back", "surveys"), func(ctx context.Context, in *struct {
		OnServer
		Pattern string `query:"pattern" required:"true"`
	}) (*done, error) {
		return nil, s.fail(ctx, s.Surveys.Unignore(ctx, in.Server, in.Pattern))
	})
}

func wireSurvey(s model.Survey) api.Survey {
	w := api.Survey{At: s.At, TookMS: s.Took.Milliseconds(), By: s.Actor, Thorough: s.Thorough, Counts: api.SurveyCounts(s.Counts)}
	for _, i := range s.Items {
		x := api.SurveyItem{Kind: string(i.Kind), Path: string(i.Path), Was: wireState(i.Was), Is: wireState(i.Is), Owner: i.Owner, In: i.In, Files: i.Files, Bytes: i.Bytes,
			Why: i.Why, Diff: i.Diff, Since: i.Since, New: !i.Since.Before(s.At)}
		if i.Modified != 0 {
			at := time.UnixMilli(i.Modified).UTC()
			x.Modified = &at
		}
		if x.New {
			w.New++
		}
		w.Items = append(w.Items, x)
	}
	return w
}
