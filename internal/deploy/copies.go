package deploy

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strconv"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// errNoCopier is returned where a draft counts on a host that copies folders and
// the host no longer does.
var errNoCopier = errors.New("the host copies no folders any more, as it did when it was tested; test it again and draft anew: server test")

// copier is the host as one that copies folders itself.
func (r *Run) copier() (remote.Copier, error) {
	c, ok := remote.Unwrapped[remote.Copier](r.Host)
	if !ok {
		return nil, errNoCopier
	}
	return c, nil
}

// copyFolder has the host copy a folder itself. The server is stopped, so both hold
// the same; if they do not, that is an error.
func (r *Run) copyFolder(ctx context.Context, m draft.Motion) (Result, error) {
	to := r.Names.Copy(m)
	from, _, err := treeAt(ctx, r.Host, m.Path)
	if err != nil || len(from) == 0 {
		return Result{}, err // there is none, so nothing was held
	}
	if err := r.copied(ctx, m.Path, to); err != nil {
		return Result{}, err
	}
	copy, _, err := treeAt(ctx, r.Host, to)
	if err != nil {
		return Result{}, err
	}
	res := Result{Copy: to, Inside: map[tree.Path]Result{}}
	for rel, s := range from {
		if rel == tree.Root {
			continue
		}
		if c, ok := copy[rel]; !ok || c.Being != s.Being || c.Size != s.Size && s.Being == tree.Content {
			return Result{}, fmt.Errorf("%s changed while it was copied; is the server really stopped?", m.Path.Join(rel))
		}
		if s.Being == tree.Folder || s.Being == tree.Content {
			res.Inside[rel] = Result{Folder: s.Being == tree.Folder, Size: s.Size, Mode: s.Mode}
		}
	}
	return res, nil
}

// copied makes a copy, unless it is there already.
func (r *Run) copied(ctx context.Context, from, to tree.Path) error {
	c, err := r.copier()
	if err != nil {
		return err
	}
	i, err := r.Host.Stat(ctx, to)
	if err != nil || i.Being != tree.Absent {
		return err
	}
	for _, up := range []tree.Path{draft.Work, draft.Copies} {
		if err := r.makeFolder(ctx, up, 0o755); err != nil {
			return err
		}
	}
	return c.CopyFolder(ctx, from, to)
}

// returnCopy makes a folder hold what a copy on the host holds. What it held stays
// beside the copies. It can be done again after a stop anywhere: doing it twice
// makes the same of it.
func (r *Run) returnCopy(ctx context.Context, m draft.Motion, copy tree.Path) (Result, error) {
	back := r.Names.Copy(m) + ".back"
	if err := r.copied(ctx, copy, back); err != nil {
		return Result{}, err
	}
	now, err := r.Host.Stat(ctx, m.Path)
	if err != nil {
		return Result{}, err
	}
	if now.Being != tree.Absent {
		was, err := r.free(ctx, func(n int) tree.Path { return r.Names.Copy(m) + tree.Path(fmt.Sprintf(".was-%d", n)) })
		if err != nil {
			return Result{}, err
		}
		if err := r.Host.Rename(ctx, m.Path, was); err != nil {
			return Result{}, err
		}
		r.note("what %s held is kept on the host, as %s", m.Path, was)
	}
	for _, up := range m.Path.Ancestors() {
		if err := r.makeFolder(ctx, up, 0o755); err != nil {
			return Result{}, err
		}
	}
	return Result{}, r.Host.Rename(ctx, back, m.Path)
}

// keptCopies is of how many deployments the copies stay on a host.
const keptCopies = 2

// tidyCopies removes the copies on the host but those of the newest deployments
// that made some.
func (r *Run) tidyCopies(ctx context.Context) error {
	if !r.Draft.Motions.Contains(func(m draft.Motion) bool { return m.OnHost }) {
		return nil
	}
	list, err := r.Host.List(ctx, draft.Copies)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	byNumber := map[int][]tree.Path{}
	for _, i := range list {
		number, _, _ := strings.Cut(i.Name, "-")
		if n, err := strconv.Atoi(number); err == nil {
			byNumber[n] = append(byNumber[n], draft.Copies.Join(tree.Path(i.Name)))
		}
	}
	numbers := slices.Sorted(maps.Keys(byNumber))
	if len(numbers) <= keptCopies {
		return nil
	}
	c, err := r.copier()
	if err != nil {
		return err
	}
	for _, n := range numbers[:len(numbers)-keptCopies] {
		for _, p := range byNumber[n] {
			if err := c.RemoveTree(ctx, p); err != nil {
				return fmt.Errorf("remove an old copy: %w", err)
			}
		}
	}
	return nil
}
