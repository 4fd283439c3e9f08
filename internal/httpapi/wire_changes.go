package httpapi

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/words"
)

// wireDeployment leaves the steps out; lists need none.
func wireDeployment(d model.Deployment) api.Deployment {
	w := api.Deployment{Name: d.Name(), Server: d.Server, Number: d.Number, Kind: d.Kind, Title: d.Title, State: string(d.State), Digest: d.Digest.String(),
		Counts: api.Counts(d.Draft.Counts), WayBack: d.Draft.WayBack, Findings: findings(d.Draft.Findings), Blocks: len(finding.Open(d.Draft.Findings, d.Accepts)),
		Accepted: []api.Accepted{}, Motions: d.Motions, Trouble: d.Trouble, GoesBack: d.GoesBack && d.State == model.Waiting, Notes: append([]string{}, d.Notes...), Figures: api.Figures(d.Figures),
		Aftermath: findings(d.Aftermath), Untidy: d.Untidy, Actor: d.Actor, Runner: d.Runner, CreatedAt: d.CreatedAt, StartedAt: when(d.StartedAt), EndedAt: when(d.EndedAt)}
	if !d.Remark.At.IsZero() && (d.Remark.Text != "" || d.Remark.Good) {
		w.Remark = &api.Remark{Text: d.Remark.Text, Good: d.Remark.Good, By: d.Remark.Actor, At: when(d.Remark.At)}
	}
	for _, a := range d.Accepts {
		w.Accepted = append(w.Accepted, api.Accepted{Code: a.Code, Path: string(a.Path), By: a.By})
	}
	return w
}

// wireStepsDone adds how many motions of each step are done, for a caller who has the steps.
func wireStepsDone(w *api.Deployment, d model.Deployment, done map[int]int) {
	for _, s := range d.Draft.Steps {
		w.StepsDone = append(w.StepsDone, done[s.ID])
	}
}

// wireSteps adds the steps with how many motions of each are done.
func wireSteps(w *api.Deployment, d model.Deployment, done map[int]int) {
	for _, s := range d.Draft.Steps {
		w.Steps = append(w.Steps, api.Step{ID: s.ID, Leg: max(1, s.Leg), Phase: s.Phase.String(), Verb: string(s.Verb), Path: string(s.Path), What: s.What,
			Reason: s.Reason, Bytes: s.Bytes, Diff: s.Diff, Motions: len(s.Motions), Done: done[s.ID]})
	}
}

func parseAccepts(texts []string) ([]finding.Accept, error) {
	var out []finding.Accept
	for _, t := range texts {
		a, err := finding.ParseAccept(t)
		if err != nil {
			return nil, fault.New(fault.Usage, "bad-request", "%v", err)
		}
		if !slices.Contains(draft.Acceptable, a.Code) {
			return nil, fault.New(fault.Usage, "bad-accept", "%q is nothing that can be accepted%s", a.Code, meant(a.Code)).
				WithMend("These can: %s.", strings.Join(draft.Acceptable, ", "))
		}
		out = append(out, a)
	}
	return out, nil
}

// meant asks after the code that a person may have meant.
func meant(code string) string {
	if near := words.Nearest(code, draft.Acceptable); near != "" {
		return fmt.Sprintf("; did you mean %q?", near)
	}
	return ""
}

func parsePath(text string) (tree.Path, error) {
	if text == "" || text == "." {
		return tree.Root, nil
	}
	p, err := tree.ParsePath(text)
	if err != nil {
		return p, fault.New(fault.Usage, "bad-path", "%v", err).WithMend("Give it as files shows it, below the server's root.")
	}
	return p, nil
}

// wireAsk tells what a deployment of add-ons was asked with, so that it can be asked for again
// otherwise; nil for what is about something else, such as a way back.
func wireAsk(d model.Deployment) *api.NewDraft {
	var ask requests.Ask
	if json.Unmarshal(d.Ask, &ask) != nil || len(ask.Crates) == 0 || ask.Adopt || len(ask.Tweaks)+len(ask.Texts)+len(ask.Swaps)+len(ask.Moves) > 0 {
		return nil
	}
	along := map[string]bool{}
	for _, key := range ask.Along {
		along[key] = true
	}
	w := &api.NewDraft{With: ask.With, Without: ask.Without, Remove: ask.Remove, InsteadOf: ask.InsteadOf, TakeNeeds: ask.TakeNeeds, Thorough: ask.Thorough,
		Data: ask.Data, NoData: ask.NoData, Renew: ask.Renew, Leave: ask.Leave, Restart: ask.Restart, OrUndo: ask.OrUndo, OrUndoEach: ask.OrUndoEach}
	w.With = append(w.With, ask.Set...)
	for _, c := range ask.Crates {
		if name, _, _ := strings.Cut(c, "@"); !along[layout.Key(name)] {
			w.Crates = append(w.Crates, c)
		}
	}
	return w
}

func unwireAsk(in api.NewDraft) (requests.Ask, error) {
	ask := requests.Ask{Crates: in.Crates, Remove: in.Remove, InsteadOf: in.InsteadOf, TakeNeeds: in.TakeNeeds, Enable: in.Enable, Disable: in.Disable, With: in.With, Without: in.Without, Thorough: in.Thorough, Data: in.Data, NoData: in.NoData, Renew: in.Renew, Leave: in.Leave, Restart: in.Restart, OrUndo: in.OrUndo, OrUndoEach: in.OrUndoEach}
	if err := unwireTexts(in, &ask); err != nil {
		return ask, err
	}
	for _, x := range in.Settle {
		p, err := parsePath(x.Path)
		if err != nil {
			return ask, err
		}
		ask.Settle = append(ask.Settle, requests.Settling{Path: p, Do: draft.Settling(x.Do)})
	}
	r := in.Rollback
	if r == nil {
		return ask, nil
	}
	ask.Back = &requests.Back{Deployment: r.Deployment, Addon: r.Addon, To: r.To, Good: r.KnownGood, Data: r.Data}
	if r.AsOf != nil {
		ask.Back.AsOf = *r.AsOf
	}
	var err error
	if ask.Back.Path, err = parsePath(r.Path); err != nil {
		return ask, err
	}
	for _, l := range r.Leave {
		p, err := parsePath(l)
		if err != nil {
			return ask, err
		}
		ask.Back.Leave = append(ask.Back.Leave, p)
	}
	return ask, nil
}
