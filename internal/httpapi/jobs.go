package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
)

// cancelWait is how long a call that cancels a job waits for its end.
const cancelWait = 20 * time.Second

func (s jobbing) jobOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/jobs", "list-jobs", "The jobs that run now, the newest first", "jobs"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Job]], error) {
		list, err := s.Jobs.Running(ctx)
		return &body[api.Page[api.Job]]{page(list, -1, func(model.Job) int64 { return 0 }, func(j model.Job) api.Job { return s.wireJob(ctx, j) })}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/ended-jobs", "list-ended-jobs", "The jobs that have ended, the newest first, without their results", "jobs"), func(ctx context.Context, in *struct {
		Paged
		Failed bool   `query:"failed" doc:"Only those that failed"`
		Find   string `query:"find" doc:"Words that all stand in what it was, what it was about, who asked for it or how it ended"`
	}) (*body[api.Page[api.Job]], error) {
		before, err := in.before()
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		list, err := s.Jobs.Ended(ctx, model.JobFilter{Failed: in.Failed, Words: in.Find}, before, pageLimit)
		return &body[api.Page[api.Job]]{page(list, pageLimit, func(j model.Job) int64 { return j.Row }, func(j model.Job) api.Job { return s.wireJob(ctx, j) })}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/jobs/{id}", "get-job", "Show a job", "jobs"), func(ctx context.Context, in *struct {
		ID string `path:"id"`
	}) (*body[api.Job], error) {
		j, err := s.findJob(ctx, in.ID)
		return &body[api.Job]{s.wireJob(ctx, j)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/jobs/{id}/cancel", "cancel-job", "End a job that changes nothing, such as the making of a draft", "jobs"), func(ctx context.Context, in *struct {
		ID string `path:"id"`
	}) (*body[api.Job], error) {
		j, err := s.cancelJob(ctx, in.ID)
		return &body[api.Job]{s.wireJob(ctx, j)}, s.fail(ctx, err)
	})
}

// cancelJob ends a job, and gives it as it then is.
func (s jobbing) cancelJob(ctx context.Context, id string) (model.Job, error) {
	j, err := s.findJob(ctx, id)
	if err != nil {
		return j, err
	}
	about := j.Kind
	if j.Subject != "" {
		about += " of " + j.Subject
	}
	brief, stop := context.WithTimeout(ctx, cancelWait)
	defer stop()
	left := "nothing was changed on the server"
	switch j.Kind {
	case "again":
		left = "what it had laid out stays"
	case "checkup":
		left = "the rest was not looked at"
	case "act":
		left = "what the server was told stays told"
	}
	why := fault.New(fault.Conflict, "cancelled", "%s cancelled the %s; %s", actorOf(ctx), about, left)
	switch err := s.Jobs.Cancel(brief, id, why); {
	case errors.Is(err, jobs.ErrEnded):
		return j, fault.New(fault.Conflict, "job-ended", "the %s has ended already", about)
	case errors.Is(err, jobs.ErrHeld):
		held := fault.New(fault.Conflict, "job-held", "the %s cannot be cancelled: it changes things", about)
		if j.Kind == "run" {
			return j, held.WithMend("It can be halted between two motions, to be resumed or undone.").By(finding.HaltDeployment.On(j.Subject))
		}
		return j, held
	case err != nil && brief.Err() == nil:
		return j, err
	}
	return s.findJob(ctx, id)
}

func (s jobbing) job(ctx context.Context, kind, subject string, work jobs.Work) (*accepted, error) {
	return s.startJob(ctx, jobs.What{Kind: kind, Subject: subject, Actor: actorOf(ctx)}, work)
}

// cancellable is job for work that changes nothing until its last act.
func (s jobbing) cancellable(ctx context.Context, kind, subject string, work jobs.Work) (*accepted, error) {
	return s.startJob(ctx, jobs.What{Kind: kind, Subject: subject, Actor: actorOf(ctx), Cancellable: true}, work)
}

// alone is job for work that has the stockroom to itself.
func (s jobbing) alone(ctx context.Context, kind string, work jobs.Work) (*accepted, error) {
	return s.startJob(ctx, jobs.What{Kind: kind, Actor: actorOf(ctx), Alone: true}, work)
}

func (s jobbing) startJob(ctx context.Context, what jobs.What, work jobs.Work) (*accepted, error) {
	j, err := s.Jobs.Start(ctx, what, work)
	return &accepted{http.StatusAccepted, s.wireJob(ctx, j)}, s.fail(ctx, err)
}

func (s jobbing) findJob(ctx context.Context, id string) (model.Job, error) {
	j, err := s.Jobs.Find(ctx, id)
	if errors.Is(err, model.ErrNotFound) {
		return j, fault.New(fault.Unknown, "job-unknown", "there is no job %q", id).By(finding.ShowJobs.With())
	}
	return j, err
}

func (s jobbing) wireJob(ctx context.Context, j model.Job) api.Job {
	w := api.Job{ID: j.ID, Kind: j.Kind, Subject: j.Subject, State: j.State, Actor: j.Actor, CreatedAt: j.CreatedAt, EndedAt: when(j.EndedAt), Cancellable: s.Jobs.Cancellable(j.ID)}
	if string(j.Result) != "null" {
		w.Result = j.Result
	}
	if strings.HasPrefix(string(j.Result), `{"deploymentRef":`) {
		full, err := s.changing().deploymentOf(ctx, j.Result)
		if err != nil {
			w.Problem = ProblemOf(err)
		}
		w.Result = full
	}
	if len(j.Problem) > 0 && string(j.Problem) != "null" {
		w.Problem = &api.Problem{}
		if err := json.Unmarshal(j.Problem, w.Problem); err != nil {
			w.Problem = ProblemOf(err)
		}
	}
	return w
}
