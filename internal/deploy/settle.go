package deploy

import (
	"context"
	"errors"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// settle looks at what a batch has left, at temporary names all at once instead of one by
// one: what was sent must be there in its whole size and gets its permission bits; what
// was set aside is compared with what the draft saw. An outcome that cannot be looked at
// is taken out: its result is unknown. began is the host's time before the batch.
func (r *Run) settle(ctx context.Context, f *flight, outcomes []*Outcome, began int64) error {
	var alone, together []int
	var paths []tree.Path
	for i, o := range outcomes {
		if o == nil {
			continue
		}
		x := r.executor(o.Motion.Kind)
		switch x.settles(o.Motion) {
		case byMemory:
			if err := x.settle(ctx, o.Motion, remote.Info{}, began, &o.Result); err != nil {
				return err
			}
		case byItself:
			alone = append(alone, i)
		case byTemp:
			together, paths = append(together, i), append(paths, r.Names.Temp(o.Motion))
		}
	}
	unseen := r.settleEach(ctx, f, outcomes, alone, make([]remote.Info, len(alone)), began)
	if len(together) == 0 {
		return unseen
	}
	infos, err := r.Host.StatAll(ctx, paths)
	if err != nil {
		for _, i := range together {
			outcomes[i] = nil
		}
		return errors.Join(unseen, fmt.Errorf("look at what was done: %w", err))
	}
	return errors.Join(unseen, r.settleEach(ctx, f, outcomes, together, infos, began))
}

// settleEach settles some outcomes side by side. A failure elsewhere is no reason not to
// look.
func (r *Run) settleEach(ctx context.Context, f *flight, outcomes []*Outcome, which []int, found []remote.Info, began int64) error {
	motions := make([]draft.Motion, len(which))
	for n, i := range which {
		motions[n] = outcomes[i].Motion
	}
	return (&flight{calls: f.calls}).each(ctx, motions, func(ctx context.Context, n int, m draft.Motion) error {
		err := r.executor(m.Kind).settle(ctx, m, found[n], began, &outcomes[which[n]].Result)
		if err != nil {
			outcomes[which[n]] = nil
		}
		return err
	})
}
