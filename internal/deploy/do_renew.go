package deploy

import (
	"context"
	"fmt"
	"slices"

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
// it stays: the server makes a new one at its next start, or one that was set aside
// earlier comes back.
func (r renewer) renew(ctx context.Context, m draft.Motion) (Result, error) {
	old, from := r.Names.Before(m.Path), tree.Path(m.Subject)
	there, err := r.there(ctx, m.Path, old, from)
	switch {
	case err != nil:
		return Result{}, err
	case from != tree.Root && !there[from]: // it is back already
		return Result{}, nil
	case !there[old] && there[m.Path]:
		if err := r.Host.Rename(ctx, m.Path, old); err != nil {
			return Result{}, err
		}
		r.note("%s was set aside as %s, where it stays", m.Path, old)
	case from != tree.Root:
	case there[old]: // it was done, and the server may have made a new one since
	default:
		r.note("there is no %s yet, so there is nothing to renew", m.Path)
	}
	if from == tree.Root {
		return Result{}, nil
	}
	return Result{}, r.Host.Rename(ctx, from, m.Path)
}

// unrenew puts the old folder back. The one that the server has made meanwhile
// stays beside it, and one that had come back goes where it was.
func (r renewer) unrenew(ctx context.Context, m draft.Motion) (Result, error) {
	old, from := r.Names.Before(m.Path), tree.Path(m.Subject)
	there, err := r.there(ctx, m.Path, old, from)
	if err != nil {
		return Result{}, err
	}
	if from != tree.Root && !there[from] && there[m.Path] {
		if err := r.Host.Rename(ctx, m.Path, from); err != nil {
			return Result{}, err
		}
		there[m.Path] = false
	}
	if !there[old] {
		return Result{}, nil
	}
	if there[m.Path] {
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

// there tells which of the paths exist.
func (r renewer) there(ctx context.Context, paths ...tree.Path) (map[tree.Path]bool, error) {
	paths = slices.DeleteFunc(paths, func(p tree.Path) bool { return p == tree.Root })
	infos, err := r.Host.StatAll(ctx, paths)
	if err != nil {
		return nil, err
	}
	out := map[tree.Path]bool{}
	for i, p := range paths {
		out[p] = infos[i].Being != tree.Absent
	}
	return out, nil
}

// vacantBeside gives an unused name beside a path.
func (r renewer) vacantBeside(ctx context.Context, p tree.Path) (tree.Path, error) {
	return r.free(ctx, func(n int) tree.Path {
		return p.Dir().Join(tree.Path(fmt.Sprintf("%s.made-%d-%d", p.Base(), r.Names.Number, n)))
	})
}
