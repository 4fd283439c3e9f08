package httpapi

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/hosts"
	"restlesscrate/internal/service/requests"
)

func (s controlling) controlOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/servers/{server}/control", "get-control", "How a server is stopped, started and spoken to", "control"), func(ctx context.Context, in *OnServer) (*body[power.Control], error) {
		spec, err := s.Hosts.Control(ctx, in.Server)
		if err != nil || spec == nil {
			return &body[power.Control]{}, s.fail(ctx, err)
		}
		return &body[power.Control]{*spec}, nil
	})
	huma.Register(h, op(http.MethodPut, "/servers/{server}/control", "set-control", "Say how a server is stopped, started and spoken to", "control"), func(ctx context.Context, in *struct {
		OnServer
		Body api.SetControl
	}) (*done, error) {
		_, err := s.Hosts.SetControl(ctx, in.Server, in.Body.Control, in.Body.Secrets)
		return nil, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/standing", "get-standing", "Ask the probes whether a server runs", "control"), func(ctx context.Context, in *struct {
		OnServer
		Within int `query:"within" minimum:"0" maximum:"60" doc:"How old an answer may be, in seconds, so that all who watch share one; 0: the probes are asked now"`
	}) (*body[api.Standing], error) {
		st, err := s.Hosts.State(ctx, in.Server, time.Duration(in.Within)*time.Second)
		w := wireStanding(st)
		now := s.acts.on(in.Server)
		w.Act, w.Job = now.act, now.job
		return &body[api.Standing]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/acts", "do-act", "Stop, start, restart, reload or speak to a server; a job", "control"), func(ctx context.Context, in *struct {
		OnServer
		Body api.DoAct
	}) (*accepted, error) {
		if _, err := s.Hosts.Find(ctx, in.Server); err != nil {
			return nil, s.fail(ctx, err)
		}
		if !in.Body.Wait || !waitedFor(in.Body.Act) {
			return s.jobs().job(ctx, "act", in.Server, func(ctx context.Context, tell progress.Tell) (any, error) {
				return s.doAct(ctx, in.Server, in.Body, tell)
			})
		}
		what := jobs.What{Kind: "act", Subject: in.Server, Actor: actorOf(ctx), Cancellable: true}
		j, err := s.acts.begin(ctx, s.Jobs, in.Server, in.Body.Act, func() (model.Job, error) {
			return s.Jobs.Start(ctx, what, func(ctx context.Context, tell progress.Tell) (any, error) {
				defer s.acts.ended(in.Server)
				return s.doAct(ctx, in.Server, in.Body, tell)
			})
		})
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return &accepted{http.StatusAccepted, s.jobs().wireJob(ctx, j)}, nil
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/roll-calls", "call-roll", "Find out what has loaded on a server; a job", "control"), func(ctx context.Context, in *OnServer) (*accepted, error) {
		srv, err := s.Hosts.Find(ctx, in.Server)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		actor := actorOf(ctx)
		return s.jobs().cancellable(ctx, "roll call", in.Server, func(ctx context.Context, _ progress.Tell) (any, error) {
			call, found, err := s.Witness.RollCall(ctx, in.Server, actor)
			if err != nil {
				return nil, err
			}
			return s.rollCall(ctx, srv, call, found)
		})
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/roll-calls/last", "last-roll-call", "What the last roll call found; 404 where there was none", "control"), func(ctx context.Context, in *OnServer) (*body[api.RollCall], error) {
		w, err := s.lastRollCall(ctx, in.Server)
		return &body[api.RollCall]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/written", "list-written", "What a server writes itself, as its rulebook says", "control"), func(ctx context.Context, in *OnServer) (*body[api.Page[api.Written]], error) {
		list, err := s.Changes.Writes(ctx, in.Server)
		return &body[api.Page[api.Written]]{page(list, -1, func(requests.Written) int64 { return 0 }, func(w requests.Written) api.Written { return api.Written(w) })}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/servers/{server}/log", "get-log", "A server's log, piece by piece", "control"), func(ctx context.Context, in *struct {
		OnServer
		From string `query:"from" doc:"The next of an earlier piece"`
	}) (*body[api.LogPiece], error) {
		lines, next, err := s.Hosts.Log(ctx, in.Server, in.From)
		w := api.LogPiece{Lines: []api.LogLine{}, Next: next}
		for _, l := range lines {
			w.Lines = append(w.Lines, api.LogLine(l))
		}
		return &body[api.LogPiece]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPut, "/servers/{server}/addons/{addon}/confirmation", "confirm-addon", "Say that an add-on was seen to work in the game", "control"), func(ctx context.Context, in *struct {
		OnServer
		Addon string `path:"addon"`
		Body  api.Confirm
	}) (*done, error) {
		return nil, s.fail(ctx, s.Witness.Confirm(ctx, in.Server, in.Addon, in.Body.Note, actorOf(ctx)))
	})
	huma.Register(h, op(http.MethodPost, "/servers/{server}/addons/{addon}/oddities", "note-oddity", "Note something harmless that looks wrong in an add-on, or forget it; for every server of the same rulebook", "control"), func(ctx context.Context, in *struct {
		OnServer
		Addon string `path:"addon"`
		Body  api.Oddity
	}) (*done, error) {
		if in.Body.Forget {
			return nil, s.fail(ctx, s.Witness.ForgetOddity(ctx, in.Server, in.Addon, in.Body.Text))
		}
		return nil, s.fail(ctx, s.Witness.NoteOddity(ctx, in.Server, in.Addon, in.Body.Text, actorOf(ctx)))
	})
}

func (s controlling) doAct(ctx context.Context, server string, in api.DoAct, tell progress.Tell) (api.Acted, error) {
	act := power.Act(in.Act)
	if in.Wait && waitedFor(in.Act) {
		done, err := s.Hosts.ActAndWait(ctx, server, act, tell.Note)
		return api.Acted{Answer: done.Text, Words: done.Words, Already: done.Already}, err
	}
	if act == power.Reload {
		line, err := s.Changes.ReloadLine(ctx, server, in.Subject)
		if err != nil {
			return api.Acted{}, err
		}
		in.Subject = line
	}
	ans, err := s.Hosts.Act(ctx, server, act, in.Subject)
	return api.Acted{Answer: ans.Text}, err
}

// waitedFor tells whether an act has an effect that can be waited for.
func waitedFor(act string) bool {
	return slices.Contains([]power.Act{power.Stop, power.Start, power.Restart}, power.Act(act))
}

func wireStanding(st hosts.Standing) api.Standing {
	w := api.Standing{Condition: string(st.Condition), Probes: []api.ProbeFound{}}
	for _, f := range st.Found {
		w.Probes = append(w.Probes, api.ProbeFound{By: f.By, Condition: string(f.Condition), Words: f.Words})
	}
	return w
}

func (s controlling) lastRollCall(ctx context.Context, server string) (api.RollCall, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return api.RollCall{}, err
	}
	call, err := s.Insight.LastRollCall(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		err = fault.New(fault.Unknown, "no-roll-call", "no roll was called on %s yet", server).WithMend("Call it.").By(finding.CallRoll.On(server))
	}
	if err == nil {
		err = s.Insight.OdditiesNow(ctx, server, &call)
	}
	if err != nil {
		return api.RollCall{}, err
	}
	found, err := s.Witness.FindingsOf(ctx, srv, call.Roll)
	if err != nil {
		return api.RollCall{}, err
	}
	return s.rollCall(ctx, srv, call, found)
}

// calledBy tells the roll call of a deployment. What would put it right is told only
// while nothing newer is known.
func (s controlling) calledBy(ctx context.Context, d model.Deployment, call model.RollCall) (api.RollCall, error) {
	last, err := s.Insight.LastRollCall(ctx, d.ServerID)
	if err != nil || last.Deployment != d.Name() {
		return wireRollCall(call, nil), err
	}
	srv, err := s.Hosts.Find(ctx, d.Server)
	if err != nil {
		return api.RollCall{}, err
	}
	return s.rollCall(ctx, srv, call, nil)
}

// rollCall tells a roll call with what would put the failed right as things are now.
func (s controlling) rollCall(ctx context.Context, srv model.Server, call model.RollCall, found []finding.Finding) (api.RollCall, error) {
	offers, err := s.Witness.Offers(ctx, srv, call.Roll)
	w := wireRollCall(call, found)
	for i := range w.Entries {
		e := &w.Entries[i]
		o := offers[e.Addon]
		e.Bring, e.Stage = append(e.Bring, o.Crates...), append(e.Stage, o.Stage...)
	}
	return w, err
}

func wireRollCall(c model.RollCall, found []finding.Finding) api.RollCall {
	w := api.RollCall{Ready: c.Roll.Ready, Asked: c.Roll.Asked, LogRead: c.Roll.LogRead, Entries: []api.RollEntry{}, Errors: logLines(c.Roll.Errors), Findings: findings(found), Deployment: c.Deployment, Actor: c.Actor, At: c.At}
	for _, e := range c.Roll.Entries {
		w.Entries = append(w.Entries, api.RollEntry{Addon: e.Addon, Standing: string(e.Standing), Version: e.Version, Why: e.Why, Listed: e.Listed,
			Needs: append([]string{}, e.Needs...), Lines: logLines(e.Lines), From: append([]string{}, e.From...), Oddities: append([]string{}, e.Oddities...), Bring: []string{}, Stage: []string{}})
	}
	return w
}

func logLines(lines []rollcall.Line) []api.LogLine {
	out := []api.LogLine{}
	for _, l := range lines {
		out = append(out, api.LogLine{Number: l.Number, Text: l.Text})
	}
	return out
}
