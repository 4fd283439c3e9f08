package changes

import (
	"context"
	"maps"
	"strings"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
)

// carry is a deployment on its way through its phases and legs, up to where it can
// be recorded.
type carry struct {
	*Service
	srv   model.Server
	run   *deploy.Run
	d     *model.Deployment
	clock func() int64 // the host's time
	tell  progress.Tell

	power    Powered
	begun    time.Time // of what is being measured
	reported map[tree.Path]draft.Reported
	changes  []draft.Change
	call     *model.RollCall
}

// mark adds what has passed since the last mark to a figure.
func (c *carry) mark(ms *int64) {
	now := c.Now()
	*ms += now.Sub(c.begun).Milliseconds()
	c.begun = now
}

// ridden does a part over lost lines.
func (c *carry) ridden(ctx context.Context, part func() error) error {
	return c.drive().rideOut(ctx, c.srv, c.run, c.tell, &c.d.Figures.LostLines, part)
}

func (c *carry) phase(ctx context.Context, p draft.Phase) error {
	return c.ridden(ctx, func() error { return c.run.Forward(ctx, p) })
}

// look looks again at what a leg has changed.
func (c *carry) look(ctx context.Context, leg int) error {
	return c.ridden(ctx, func() error {
		seen, made, err := c.run.Look(ctx, leg, c.clock())
		if err != nil {
			return err
		}
		if len(c.changes) == 0 {
			c.reported, c.changes = seen, made
			return nil
		}
		maps.Copy(c.reported, seen)
		c.changes = append(c.changes, made...)
		return nil
	})
}

// through does everything up to the record. What was done before is passed over,
// so that it can be gone through again after a stop anywhere.
func (c *carry) through(ctx context.Context) error {
	c.begun, c.reported = c.Now(), map[tree.Path]draft.Reported{}
	f := &c.d.Figures
	if err := c.phase(ctx, draft.Prepare); err != nil {
		return err
	}
	c.mark(&f.PrepareMS)
	if err := c.ridden(ctx, func() error { return c.run.MarkLog(ctx) }); err != nil {
		return err
	}
	if err := c.phase(ctx, draft.Swap); err != nil {
		return err
	}
	c.mark(&f.SwapMS)
	for leg := 1; leg <= max(1, c.d.Draft.Legs); leg++ {
		if err := c.look(ctx, leg); err != nil {
			return err
		}
	}
	c.mark(&f.ProofMS)
	if err := c.started(ctx); err != nil {
		return err
	}
	for c.d.Draft.More() {
		if err := c.next(ctx); err != nil {
			return err
		}
	}
	if err := c.proved(ctx); err != nil {
		return err
	}
	c.mark(&f.ProofMS)
	return c.drive().awake(ctx, c.d)
}

// started does what a leg ends with: the start and the wait. How long that takes
// is the server's own, and is measured by the journal.
func (c *carry) started(ctx context.Context) error {
	if !c.d.Draft.Powered() {
		return nil
	}
	err := c.phase(ctx, draft.Proof)
	c.begun = c.Now()
	if err == nil {
		err = c.Records.SaveStarted(ctx, c.d.ServerID)
	}
	return err
}

// next drafts the next leg and does it.
func (c *carry) next(ctx context.Context) error {
	if err := c.drive().nextLeg(ctx, c.srv, c.run, c.d, c.tell); err != nil {
		return err
	}
	if err := c.phase(ctx, draft.Swap); err != nil {
		return err
	}
	c.mark(&c.d.Figures.SwapMS)
	if err := c.look(ctx, c.d.Draft.Legs); err != nil {
		return err
	}
	return c.started(ctx)
}

// proved calls the roll and looks at what was edited.
func (c *carry) proved(ctx context.Context) error {
	if c.run.Power != nil { // the one of now: the line may be another one
		c.power = c.run.Power.(Powered)
	}
	var failed []string
	err := c.ridden(ctx, func() (err error) {
		c.call, failed, err = c.verifier().After(ctx, c.srv, c.run, c.power, c.d, c.changes)
		return err
	})
	if err != nil || len(failed) == 0 {
		return err
	}
	switch ask := asked(*c.d); {
	case ask.OrUndoEach && len(failed) < len(ask.Crates):
		c.d.Fell = failing(c.call.Roll, failed)
		c.d.Notes = append(c.d.Notes, strings.Join(c.d.Fell, ", ")+" did not load, and is to go back alone")
	case ask.OrUndo || ask.OrUndoEach:
		return &notLoadedError{failed}
	}
	return nil
}
