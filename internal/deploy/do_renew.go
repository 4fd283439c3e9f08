package deploy

import (
	"context"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// renewer sets a folder that the server writes aside for good.
type renewer struct{ site }

func (r renewer) forward(ctx context.Context, m draft.Motion, _ bool) (Result, error) {
	return r.renew(ctx, m)
}

func (r renewer) backward(ctx context.Context, m draft.Motion, _ Marks) (Result, error) {
	return r.unrenew(ctx, m)
}

// renew sets a folder that the server writes aside under a name of its own, where
// it stays: the server makes a new one at its next start.
func (r renewer) renew(ctx context.Context, m draft.Motion) (Result, error) {
	old := r.Names.Before(m.Path)
	infos, err := r.Host.StatAll(ctx, []tree.Path{m.Path, old})
	switch {
	case err != nil:
		return Result{}, err
	case infos[1].Being != tree.Absent: // it was done, and the server may have made a new one since
		return Result{}, nil
	case infos[0].Being == tree.Absent:
		r.note("there is no %s yet, so there is nothing to renew", m.Path)
		return Result{}, nil
	}
	if err := r.Host.Rename(ctx, m.Path, old); err != nil {
		return Result{}, err
	}
	r.note("%s was set aside as %s, where it stays", m.Path, old)
	return Result{}, nil
}

// unrenew puts the old folder back. The one that the server has made meanwhile
// stays beside it.
func (r renewer) unrenew(ctx context.Context, m draft.Motion) (Result, error) {
	old := r.Names.Before(m.Path)
	infos, err := r.Host.StatAll(ctx, []tree.Path{m.Path, old})
	if err != nil || infos[1].Being == tree.Absent {
		return Result{}, err
	}
	if infos[0].Being != tree.Absent {
		made, err := r.vacantBeside(ctx, m.Path)
		if err != nil {
			return Result{}, err
		}
		if err := r.Host.Rename(ctx, m.Path, made); err != nil {
			return Result{}, err
		}
		r.note("the new %s that the server had made is %s now", m.Path, made)
	}
	return Result{}, r.Host.Rename(ctx, old, m.Path)
}

// vacantBeside is a name beside a path that nothing has.
func (r renewer) vacantBeside(ctx context.Context, p tree.Path) (tree.Path, error) {
	return r.free(ctx, func(n int) tree.Path {
		return p.Dir().Join(tree.Path(fmt.Sprintf("%s.made-%d-%d", p.Base(), r.Names.Number, n)))
	})
}
