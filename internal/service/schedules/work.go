package schedules

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/words"
)

// Work is what schedules do on servers.
type Work interface {
	Do(ctx context.Context, c model.Schedule, actor string, tell progress.Tell) (Done, error)
	Say(ctx context.Context, server, line string) error
	// Players tells how many are on; an error where that is not known.
	Players(ctx context.Context, server string) (int, error)
}

// Done is what was done.
type Done struct {
	Nothing    bool // there was nothing to do
	Words      string
	Deployment string
}

// byTime gives warnings in the order in which they are sent.
func byTime(list []model.Warning) []model.Warning {
	return slices.SortedFunc(slices.Values(list), func(a, b model.Warning) int { return cmp.Compare(b.Before, a.Before) })
}

// Worker does the work by the other use cases.
type Worker struct {
	Changes interface {
		Draft(ctx context.Context, server string, ask requests.Ask, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error)
		Run(ctx context.Context, d model.Deployment, digest string, accepts []finding.Accept, actor string, tell progress.Tell) (model.Deployment, error)
		Discard(ctx context.Context, d model.Deployment) error
	}
	// Newest gives the crates to which the add-ons of a server can be updated, as people write
	// them, without those that are held.
	Newest func(ctx context.Context, server string) (crates []string, err error)
	Survey func(ctx context.Context, server, actor string, tell progress.Tell) (differ int, err error)
	// Act tells a server to do something, and waits for it where there is something to wait for.
	Act  func(ctx context.Context, server string, act power.Act, subject string, tell func(string)) (answer string, err error)
	Book func(ctx context.Context, server string) (*rulebook.Book, error)
}

// Do implements [Work].
func (w *Worker) Do(ctx context.Context, c model.Schedule, actor string, tell progress.Tell) (Done, error) {
	var ask requests.Ask
	if err := json.Unmarshal(c.Ask, &ask); err != nil {
		return Done{}, err
	}
	switch c.Does {
	case model.DoSurvey:
		n, err := w.Survey(ctx, c.Server, actor, tell)
		if n == 0 {
			return Done{Words: "nothing on " + c.Server + " differs from what is recorded"}, err
		}
		return Done{Words: fmt.Sprintf("%s on %s changed, missing or unknown", words.Count(n, "thing"), c.Server)}, err
	case model.DoRestart:
		_, err := w.Act(ctx, c.Server, power.Restart, "", tell.Note)
		return Done{Words: c.Server + " was started anew"}, err
	case model.DoUpdate:
		crates, err := w.Newest(ctx, c.Server)
		if err != nil || len(crates) == 0 {
			return Done{Nothing: true, Words: "nothing newer is staged that fits and is not held"}, err
		}
		ask.Crates = crates
	}
	return w.deploy(ctx, c, ask, actor, tell)
}

// deploy drafts and runs. What a draft blocks on waits for a person.
func (w *Worker) deploy(ctx context.Context, c model.Schedule, ask requests.Ask, actor string, tell progress.Tell) (Done, error) {
	d, err := w.Changes.Draft(ctx, c.Server, ask, nil, actor, tell)
	if err != nil {
		return Done{}, err
	}
	if len(d.Draft.Steps) == 0 {
		return Done{Nothing: true, Words: "all of it is so already"}, w.Changes.Discard(ctx, d)
	}
	done := Done{Deployment: d.Name()}
	r, err := w.Changes.Run(ctx, d, d.Digest.String(), nil, actor, tell)
	if err != nil {
		return done, fmt.Errorf("%s: %w", d.Name(), err)
	}
	done.Words = fmt.Sprintf("%s is %s", r.Name(), r.State)
	if r.State != model.Done {
		return done, fmt.Errorf("%s is %s%s", r.Name(), r.State, because(r.Trouble))
	}
	return done, nil
}

func because(trouble string) string {
	if trouble == "" {
		return ""
	}
	return ": " + trouble
}

// Say implements [Work].
func (w *Worker) Say(ctx context.Context, server, line string) error {
	_, err := w.Act(ctx, server, power.Say, line, func(string) {})
	return err
}

// Players implements [Work].
func (w *Worker) Players(ctx context.Context, server string) (int, error) {
	b, err := w.Book(ctx, server)
	if err != nil {
		return 0, err
	}
	if b.Players.Send == "" {
		return 0, fault.New(fault.Conflict, "no-players", "rulebook %s does not say how players are counted", b.Name).WithMend("Add players: {send: ..., count: ...} to it.")
	}
	answer, err := w.Act(ctx, server, power.Say, b.Players.Send, func(string) {})
	if err != nil {
		return 0, err
	}
	on, ok := b.Players.Read(answer)
	if !ok {
		return 0, fmt.Errorf("the console of %s answered %.80q, which tells no number of players", server, answer)
	}
	return on, nil
}
