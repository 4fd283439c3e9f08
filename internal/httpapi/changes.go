package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/changes"
	"restlesscrate/internal/service/mending"
	"restlesscrate/internal/service/requests"
)

// Numbered is the deployment that a call is about.
type Numbered struct {
	Server string `path:"server"`
	Number int    `path:"number"`
}

type act func(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (model.Deployment, error)

func (s changing) changeOps(h huma.API) {
	huma.Register(h, op(http.MethodPost, "/servers/{server}/deployments", "make-draft", "Look at the server and draft a deployment; a job", "deployments"), func(ctx context.Context, in *struct {
		OnServer
		Body api.NewDraft
	}) (*accepted, error) {
		ask, err := unwireAsk(in.Body)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		accepts, err := parseAccepts(in.Body.Accept)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		if _, err := s.Hosts.Find(ctx, in.Server); err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.jobs().cancellable(ctx, "draft", in.Server, func(ctx context.Context, tell progress.Tell) (any, error) {
			if len(in.Body.Adopt) > 0 {
				if err := s.adopted(ctx, in.Server, in.Body.Adopt, &ask, actor, tell); err != nil {
					return nil, err
				}
			}
			if err := s.renamed(ctx, in.Server, in.Body.Rewrite, &ask.Tweaks, &ask.Renamed, tell); err != nil {
				return nil, err
			}
			d, err := s.Changes.Draft(ctx, in.Server, ask, accepts, actor, tell)
			return deploymentRef{d.ID}, err
		})
	})
	list := func(ctx context.Context, server string, p Paged) (*body[api.Page[api.Deployment]], error) {
		before, err := p.before()
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		all, err := s.Changes.List(ctx, server, before, pageLimit)
		return &body[api.Page[api.Deployment]]{page(all, pageLimit, func(d model.Deployment) int64 { return d.ID }, wireDeployment)}, s.fail(ctx, err)
	}
	huma.Register(h, op(http.MethodGet, "/deployments", "list-all-deployments", "All deployments, the newest first", "deployments"), func(ctx context.Context, in *Paged) (*body[api.Page[api.Deployment]], error) {
		return list(ctx, "", *in)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/deployments", "list-deployments", "A server's deployments, the newest first", "deployments"), func(ctx context.Context, in *struct {
		OnServer
		Paged
		Addon string `query:"addon" doc:"Only those that touched this add-on"`
		Path  string `query:"path" doc:"Only those that touched a path in which these words stand"`
	}) (*body[api.Page[api.Deployment]], error) {
		before, err := in.before()
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		all, taken, err := s.Insight.Timeline(ctx, in.Server, model.TimelineFilter{Addon: in.Addon, Path: in.Path}, before, pageLimit)
		p := page(all, pageLimit, func(d model.Deployment) int64 { return d.ID }, wireDeployment)
		for i := range p.Items {
			p.Items[i].TakenBackBy = taken[p.Items[i].Number]
		}
		return &body[api.Page[api.Deployment]]{p}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/deployments/{number}", "get-deployment", "Show a deployment with its steps", "deployments"), func(ctx context.Context, in *struct {
		Numbered
		Known string `query:"known" doc:"The digest of the draft whose steps the caller has: only how far each has come is told then"`
	}) (*body[api.Deployment], error) {
		d, err := s.Changes.Find(ctx, in.Server, in.Number)
		w, err := s.withSteps(ctx, d.ID, in.Known, err)
		return &body[api.Deployment]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/servers/{server}/deployments/{number}", "discard-draft", "Give a draft up", "deployments"), func(ctx context.Context, in *Numbered) (*done, error) {
		d, err := s.Changes.Find(ctx, in.Server, in.Number)
		if err == nil {
			err = s.Changes.Discard(ctx, d)
		}
		return nil, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPut, "/servers/{server}/deployments/{number}/remark", "remark-on-deployment", "Say something of a deployment, or that the server was good after it", "deployments"), func(ctx context.Context, in *struct {
		Numbered
		Body api.Remark
	}) (*done, error) {
		d, err := s.Changes.Find(ctx, in.Server, in.Number)
		if err == nil {
			err = s.Changes.Remark(ctx, d, model.Remark{Text: in.Body.Text, Good: in.Body.Good, Actor: actorOf(ctx)})
		}
		return nil, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/deployments/{number}/run", "run-draft", "Run a draft that was read; a job", "deployments"), func(ctx context.Context, in *struct {
		Numbered
		Body api.RunDraft
	}) (*accepted, error) {
		accepts, err := parseAccepts(in.Body.Accept)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		d, err := s.Changes.Find(ctx, in.Server, in.Number)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		if d.State != model.Draft { // said at once: a job that fails for that would be taken for the one that runs it
			return nil, s.fail(ctx, changes.WrongState(d, "run"))
		}
		return s.begin(ctx, d, func(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (model.Deployment, error) {
			return s.Changes.Run(ctx, d, in.Body.Digest, accepts, actor, tell)
		})
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/deployments/{number}/decide", "decide-draft", "Decide on what a draft leaves open, and draft it anew in its place; a job", "deployments"), func(ctx context.Context, in *struct {
		Numbered
		Body api.Decision
	}) (*accepted, error) {
		d, err := s.Changes.Find(ctx, in.Server, in.Number)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.jobs().cancellable(ctx, "draft", in.Server, func(ctx context.Context, tell progress.Tell) (any, error) {
			b := in.Body
			by := changes.Decision{Keep: b.Keep, TakeNeeds: b.TakeNeeds, InsteadOf: b.InsteadOf, Replace: b.Replace, LeaveOut: b.LeaveOut}
			if err := s.renamed(ctx, in.Server, b.Rewrite, &by.Tweaks, &by.Renamed, tell); err != nil {
				return nil, err
			}
			d, err := s.Changes.Decide(ctx, d, by, actor, tell)
			return deploymentRef{d.ID}, err
		})
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/deployments/{number}/halt", "halt-deployment", "Stop a running deployment between two motions, to resume or undo it", "deployments"), func(ctx context.Context, in *Numbered) (*body[api.Deployment], error) {
		d, err := s.Changes.Find(ctx, in.Server, in.Number)
		if err == nil {
			err = s.Changes.Halt(d, actorOf(ctx))
		}
		w, err := s.withSteps(ctx, d.ID, "", err)
		return &body[api.Deployment]{w}, s.fail(ctx, err)
	})
	for verb, does := range map[string]struct {
		summary string
		do      act
	}{
		"resume": {"Finish a halted deployment; a job", func(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (model.Deployment, error) {
			return s.Changes.Resume(ctx, d, actor, tell)
		}},
		"tidy": {"Clear what a done deployment could not clear on its server; a job", func(ctx context.Context, d model.Deployment, _ string, tell progress.Tell) (model.Deployment, error) {
			return s.Changes.Tidy(ctx, d, tell)
		}},
	} {
		huma.Register(h, op(http.MethodPost, "/servers/{server}/deployments/{number}/"+verb, verb+"-deployment", does.summary, "deployments"), func(ctx context.Context, in *Numbered) (*accepted, error) {
			return s.act(ctx, *in, does.do)
		})
	}
	huma.Register(h, op(http.MethodPost, "/servers/{server}/deployments/{number}/tick", "tick-deployment", "Say that what a waiting deployment waits for is done; a job", "deployments"), func(ctx context.Context, in *struct {
		Numbered
		Unchecked bool `query:"unchecked" doc:"Without looking whether it shows on the server"`
	}) (*accepted, error) {
		return s.act(ctx, in.Numbered, func(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (model.Deployment, error) {
			return s.Changes.Tick(ctx, d, in.Unchecked, actor, tell)
		})
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/deployments/{number}/undo", "undo-deployment", "Take a halted deployment back; a job", "deployments"), func(ctx context.Context, in *struct {
		Numbered
		Data bool `query:"data" doc:"Put the data folders that it copied back too"`
	}) (*accepted, error) {
		d, err := s.Changes.Find(ctx, in.Server, in.Number)
		if err = errors.Join(err, s.Changes.MakeRoom(d)); err != nil {
			return nil, s.fail(ctx, err)
		}
		return s.begin(ctx, d, func(ctx context.Context, d model.Deployment, actor string, tell progress.Tell) (model.Deployment, error) {
			return s.Changes.Undo(ctx, d, in.Data, actor, tell)
		})
	})
}

// checkOps are about the service's own keeping.
func (s changing) checkOps(h huma.API) {
	huma.Register(h, op(http.MethodPost, "/checkups", "check-up", "Look over the database and read everything in the stockroom; a job", "service"), func(ctx context.Context, in *struct {
		Mend bool `query:"mend" doc:"Read what is damaged again on the servers on which it lies"`
	}) (*accepted, error) {
		return s.jobs().cancellable(ctx, "checkup", "", func(ctx context.Context, tell progress.Tell) (any, error) {
			tell.Look("checking the database")
			if err := s.Integrity(ctx); err != nil {
				return nil, err
			}
			read, damaged, err := s.Catalog.Unsound(ctx, tell.Look)
			if err != nil {
				return nil, err
			}
			var mended mending.Mended
			if in.Mend {
				var list []tree.Digest
				for _, d := range damaged {
					list = append(list, d.Digest)
				}
				if mended, err = s.Mending.Mend(ctx, list, tell.Look); err != nil {
					return nil, err
				}
			}
			w := api.Checkup{Database: "ok", Read: read, Damaged: []api.Damaged{}, Notes: append([]string{}, mended.Notes...)}
			for _, d := range damaged {
				w.Damaged = append(w.Damaged, api.Damaged{Digest: d.Digest.String(), Archives: append([]string{}, d.Archives...), Mended: mended.From[d.Digest]})
			}
			return w, nil
		})
	})
}

// deploymentRef is what is kept as the result of a job that made or ran a deployment:
// the deployment is in the records already, and can be long.
type deploymentRef struct {
	Deployment int64 `json:"deploymentRef"`
}

// deploymentOf gives the deployment that a job's result refers to; nil where it refers
// to none.
func (s changing) deploymentOf(ctx context.Context, result json.RawMessage) (json.RawMessage, error) {
	var ref deploymentRef
	if json.Unmarshal(result, &ref) != nil || ref.Deployment == 0 {
		return nil, nil
	}
	w, err := s.withSteps(ctx, ref.Deployment, "", nil)
	if err != nil {
		return nil, err
	}
	return json.Marshal(w)
}

// act starts the job that runs, resumes or undoes a deployment.
func (s changing) act(ctx context.Context, in Numbered, do act) (*accepted, error) {
	d, err := s.Changes.Find(ctx, in.Server, in.Number)
	if err != nil {
		return nil, s.fail(ctx, err)
	}
	return s.begin(ctx, d, do)
}

// begin is act for a deployment that has been read: a long one takes its time.
func (s changing) begin(ctx context.Context, d model.Deployment, do act) (*accepted, error) {
	actor := actorOf(ctx)
	return s.jobs().job(ctx, "run", d.Name(), func(ctx context.Context, tell progress.Tell) (any, error) {
		d, err := do(ctx, d, actor, tell)
		return deploymentRef{d.ID}, err
	})
}

// withSteps gives a deployment with its steps and the job that ran it last. Of a draft
// that the caller knows by its digest, only how far each step has come is told.
func (s changing) withSteps(ctx context.Context, id int64, known string, err error) (api.Deployment, error) {
	if err != nil {
		return api.Deployment{}, err
	}
	d, steps, err := s.Changes.WithSteps(ctx, id)
	if err != nil {
		return api.Deployment{}, err
	}
	w := wireDeployment(d)
	if known != "" && known == w.Digest {
		wireStepsDone(&w, d, steps)
	} else {
		wireSteps(&w, d, steps)
		w.Asked = wireAsk(d)
	}
	if w.TakenBackBy, err = s.Insight.TakenBackBy(ctx, d); err != nil {
		return w, err
	}
	if c, err := s.Insight.RollCall(ctx, d.ID); err == nil {
		call, err := s.controlling().calledBy(ctx, d, c)
		if err != nil {
			return w, err
		}
		w.RollCall = &call
	}
	if j, err := s.Insight.LastRun(ctx, d.Name()); err == nil {
		w.Job = j.ID
	}
	return w, nil
}

// renamed finds what changes names in a server's texts, for a draft that does so along with the rest.
func (s changing) renamed(ctx context.Context, server string, names []api.NameChange, tweaks *[]requests.AskTweak, renamed *[]draft.Renamed, tell progress.Tell) error {
	for _, n := range names {
		tell.Note("looking for " + n.From + " in the texts of " + server)
		found, searched, err := s.Texts.Rewrite(ctx, server, n.From, n.To)
		if err != nil {
			return err
		}
		r := draft.Renamed{From: n.From, To: n.To, Texts: len(found), Searched: searched}
		for _, f := range found {
			r.Places += f.Tweak.Count - len(f.Tweak.Skip)
			*tweaks = append(*tweaks, requests.AskTweak{Path: f.Path, Tweak: f.Tweak, Note: renamedNote(n.From, n.To)})
		}
		*renamed = append(*renamed, r)
	}
	return nil
}
