package changes

import (
	"context"
	"time"

	"restlesscrate/internal/model"
)

// anew is the pause before the records are written again.
const anew = time.Second

// insist writes to the records until that works: what cannot be written down
// now, because the disk is full or somebody holds the database, is still to be
// written down. It gives up when the service stops; the next start finds the
// deployment half-way then.
func (s driver) insist(ctx context.Context, d model.Deployment, write func(context.Context) error) error {
	for {
		err := write(context.WithoutCancel(ctx))
		if err == nil {
			return nil
		}
		s.Log.Error("the records cannot be written; trying again", "deployment", d.Name(), "err", err)
		select {
		case <-ctx.Done():
			return err
		case <-time.After(anew):
		}
	}
}

// unstart turns a deployment that has done nothing back into a draft.
func (s driver) unstart(ctx context.Context, d model.Deployment) error {
	return s.insist(ctx, d, func(ctx context.Context) error {
		return s.Records.Advance(ctx, d.ID, model.Draft, model.Queued)
	})
}
