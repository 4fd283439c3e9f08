package deploy_test

import (
	"errors"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/deploy"
)

// swapped goes as far as a deployment is recorded.
func (b *bench) swapped(r *deploy.Run) error {
	for {
		err := b.asFar(r)
		var w *deploy.WaitingError
		if !errors.As(err, &w) {
			return err
		}
		// A person does it and says so.
		require.NoError(b.t, b.db.Conclude(b.t.Context(), b.dep.ID, []deploy.Outcome{{Motion: w.Motion, Result: deploy.Result{Told: deploy.Told{Words: "ticked"}}}}))
	}
}

// takenBack takes all back, a person's part too.
func (b *bench) takenBack(r *deploy.Run) error {
	for {
		err := r.Backward(b.t.Context())
		var w *deploy.WaitingError
		if !errors.As(err, &w) {
			return err
		}
		require.NoError(b.t, b.db.Reverse(b.t.Context(), b.dep.ID, []deploy.Outcome{{Motion: w.Motion}}))
	}
}

// asFar goes as far as nobody has to be waited for.
func (b *bench) asFar(r *deploy.Run) error {
	ctx := b.t.Context()
	if err := r.Forward(ctx, draft.Prepare, draft.Swap); err != nil {
		return err
	}
	for leg := 1; leg <= max(1, b.dep.Draft.Legs); leg++ {
		if _, _, err := r.Look(ctx, leg, 0); err != nil {
			return err
		}
	}
	if err := r.Forward(ctx, draft.Proof); err != nil || !b.dep.Draft.More() {
		return err
	}
	b.nextLeg(r)
	if err := r.Forward(ctx, draft.Swap); err != nil {
		return err
	}
	if _, _, err := r.Look(ctx, 2, 0); err != nil {
		return err
	}
	return r.Forward(ctx, draft.Proof)
}
