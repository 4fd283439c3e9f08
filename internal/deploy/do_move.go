package deploy

import (
	"context"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// mover gives a file or a folder another name.
type mover struct{ site }

func (r mover) forward(ctx context.Context, m draft.Motion, _ bool) (Result, error) {
	return r.move(ctx, m.Path, tree.Path(m.Subject))
}

func (r mover) backward(ctx context.Context, m draft.Motion, _ Marks) (Result, error) {
	return r.move(ctx, tree.Path(m.Subject), m.Path)
}

// move renames, unless that is done already: one of the two names stands there, and tells.
func (r mover) move(ctx context.Context, from, to tree.Path) (Result, error) {
	infos, err := r.Host.StatAll(ctx, []tree.Path{from, to})
	if err != nil {
		return Result{}, err
	}
	there, taken := infos[0].Being != tree.Absent, infos[1].Being != tree.Absent
	switch {
	case there && taken:
		return Result{}, fmt.Errorf("rename %s to %s: both are there, and neither is written over", from, to)
	case there:
		return Result{}, r.Host.Rename(ctx, from, to)
	case taken:
		return Result{}, nil
	}
	return Result{}, fmt.Errorf("rename %s to %s: neither is there", from, to)
}
