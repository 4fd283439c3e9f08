package drafts

import (
	"context"
	"io"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/remote"
)

// movedHost is a host as it will be once moves are done: what is looked at is told under the
// names that it gets. Only what a look needs is translated.
type movedHost struct {
	remote.Host
	moves draft.Moves
}

// Moved gives a host as moves will leave it. It refuses where one of them cannot be done.
func Moved(ctx context.Context, h remote.Host, moves draft.Moves) (remote.Host, error) {
	for i, m := range moves {
		done := moves[:i] // what is there already as it will be by then
		now := movedHost{h, done}
		from, err := now.Stat(ctx, m.From)
		if err != nil {
			return nil, err
		}
		if from.Being == tree.Absent {
			return nil, fault.New(fault.Conflict, "move-gone", "%s is not there, so it cannot be renamed", done.Old(m.From)).By(finding.ShowFiles.With())
		}
		to, err := now.Stat(ctx, m.To)
		if err != nil {
			return nil, err
		}
		if to.Being != tree.Absent {
			return nil, fault.New(fault.Conflict, "move-taken", "%s cannot be renamed to %s: that is there already", m.From, m.To).WithMend("Take it away, or leave the one as it is called.")
		}
	}
	if len(moves) == 0 {
		return h, nil
	}
	return movedHost{h, moves}, nil
}

func (h movedHost) List(ctx context.Context, folder tree.Path) ([]remote.Info, error) {
	list, err := h.Host.List(ctx, h.moves.Old(folder))
	for i := range list {
		list[i].Name = h.moves.New(h.moves.Old(folder).Join(tree.Path(list[i].Name))).Base()
	}
	return list, err
}

func (h movedHost) Stat(ctx context.Context, p tree.Path) (remote.Info, error) {
	if h.left(p) {
		return remote.Info{Name: p.Base(), Being: tree.Absent}, nil
	}
	return h.Host.Stat(ctx, h.moves.Old(p))
}

func (h movedHost) StatAll(ctx context.Context, paths []tree.Path) ([]remote.Info, error) {
	old := make([]tree.Path, len(paths))
	for i, p := range paths {
		old[i] = h.moves.Old(p)
	}
	infos, err := h.Host.StatAll(ctx, old)
	for i := range infos {
		if h.left(paths[i]) {
			infos[i] = remote.Info{Name: paths[i].Base(), Being: tree.Absent}
		}
	}
	return infos, err
}

func (h movedHost) Open(ctx context.Context, p tree.Path) (io.ReadCloser, error) {
	return h.Host.Open(ctx, h.moves.Old(p))
}

func (h movedHost) OpenFrom(ctx context.Context, p tree.Path, from int64) (io.ReadCloser, error) {
	return h.Host.OpenFrom(ctx, h.moves.Old(p), from)
}

// left tells whether a path is one from which something moves away.
func (h movedHost) left(p tree.Path) bool { return h.moves.Old(p) == p && h.moves.New(p) != p }
