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
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// keeper keeps the bytes of a file before it is replaced or goes, and of everything in a
// folder that the server writes.
type keeper struct{ dataFolders }

func (r keeper) forward(ctx context.Context, m draft.Motion, begun bool) (Result, error) {
	switch {
	case m.OnHost:
		return r.copyFolder(ctx, m)
	case m.KeepsFolder():
		return r.keepFolder(ctx, m)
	}
	if v, err := r.before(ctx, m, begun); err != nil || v == draft.Done {
		return Result{}, err
	}
	return r.keep(ctx, m)
}

func (r keeper) backward(ctx context.Context, m draft.Motion, marks Marks) (Result, error) {
	if m.KeepsFolder() {
		return r.backData(ctx, m, marks.At(KeyOf(m)))
	}
	_, res, err := r.back(ctx, m)
	return res, err
}

// ErrChanged is returned where a path no longer holds what the draft saw.
var ErrChanged = errors.New("it was changed on the server since the draft was made")

// keep fetches the old bytes. The copy is valid only if size and time were
// equal before and after reading, and the bytes are those the draft saw.
func (r keeper) keep(ctx context.Context, m draft.Motion) (Result, error) {
	before, err := r.Host.Stat(ctx, m.Path)
	if err != nil {
		return Result{}, err
	}
	if before.Being != tree.Content {
		return Result{}, ErrChanged
	}
	res := Result{Bytes: Bytes{Size: before.Size, Modified: before.Modified}}
	if err := r.fetch(ctx, m.Path, before.Size, &res); err != nil {
		return Result{}, err
	}
	after, err := r.Host.Stat(ctx, m.Path)
	if err != nil {
		return Result{}, err
	}
	if after.Size != before.Size || after.Modified != before.Modified || res.Digest != m.Before.Digest {
		return Result{}, ErrChanged
	}
	return res, nil
}

// keepFolder copies a folder and everything in it into the stockroom. The server
// is stopped, so what is listed is what is read; if it is not, that is an error.
func (r keeper) keepFolder(ctx context.Context, m draft.Motion) (Result, error) {
	states, _, err := treeAt(ctx, r.Host, m.Path)
	if err != nil {
		return Result{}, err
	}
	inside := map[tree.Path]Result{}
	var mu sync.Mutex
	var g errgroup.Group
	g.SetLimit(max(1, r.Host.InFlight()))
	for _, rel := range slices.Sorted(maps.Keys(states)) {
		switch s := states[rel]; {
		case rel == tree.Root:
		case s.Being == tree.Folder:
			mu.Lock()
			inside[rel] = Result{Held: Held{Folder: true, Mode: s.Mode}}
			mu.Unlock()
		case s.Being == tree.Content:
			g.Go(func() error {
				var res Result
				if err := r.fetch(ctx, m.Path.Join(rel), s.Size, &res); err != nil {
					return err
				}
				if res.Kept.Size != s.Size {
					return fmt.Errorf("%s changed while it was copied; is the server really stopped?", m.Path.Join(rel))
				}
				res.Size, res.Mode = s.Size, s.Mode
				mu.Lock()
				defer mu.Unlock()
				inside[rel] = res
				return nil
			})
		}
	}
	return Result{Held: Held{Inside: inside}}, g.Wait()
}

// copyFolder has the host copy a folder itself. The server is stopped, so both hold
// the same; if they do not, that is an error.
func (r keeper) copyFolder(ctx context.Context, m draft.Motion) (Result, error) {
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
	res := Result{Held: Held{Copy: to, Inside: map[tree.Path]Result{}}}
	for rel, s := range from {
		if rel == tree.Root {
			continue
		}
		if c, ok := copy[rel]; !ok || c.Being != s.Being || c.Size != s.Size && s.Being == tree.Content {
			return Result{}, fmt.Errorf("%s changed while it was copied; is the server really stopped?", m.Path.Join(rel))
		}
		if s.Being == tree.Folder || s.Being == tree.Content {
			res.Inside[rel] = Result{Held: Held{Folder: s.Being == tree.Folder, Mode: s.Mode}, Bytes: Bytes{Size: s.Size}}
		}
	}
	return res, nil
}

// backData takes the copy of a data folder back, where that is wanted: the folder
// holds again what it held.
func (r keeper) backData(ctx context.Context, m draft.Motion, mark Mark) (Result, error) {
	_, err := r.Draft.Returned(m.Path)
	if mark.State != Finished || !r.Data && err != nil {
		return Result{}, nil
	}
	if m.OnHost {
		if mark.Result.Copy == "" { // there was nothing to copy
			return Result{}, nil
		}
		return r.returnCopy(ctx, m, mark.Result.Copy)
	}
	return r.restore(ctx, m, statesOf(mark.Result.Inside))
}

// keptCopies is the number of deployments whose copies stay on a host.
const keptCopies = 2

// tidyCopies removes the copies on the host but those of the newest deployments
// that made some.
func (r keeper) tidyCopies(ctx context.Context) error {
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
