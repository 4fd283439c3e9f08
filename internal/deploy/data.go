package deploy

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// keepFolder copies a folder and everything in it into the stockroom. The server
// is stopped, so what is listed is what is read; if it is not, that is an error.
func (r *Run) keepFolder(ctx context.Context, m draft.Motion) (Result, error) {
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
			inside[rel] = Result{Folder: true, Mode: s.Mode}
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
	return Result{Inside: inside}, g.Wait()
}

// held turns a copy into what the folder held.
func held(copied map[tree.Path]Result) map[tree.Path]tree.State {
	out := map[tree.Path]tree.State{}
	for rel, res := range copied {
		if res.Folder {
			out[rel] = tree.State{Being: tree.Folder, Mode: res.Mode}
		} else {
			out[rel] = tree.State{Being: tree.Content, Digest: res.Digest, Size: res.Size, Mode: res.Mode}
		}
	}
	return out
}

// HeldBy gives what a folder held by a deployment's journal; ok is false where it
// was not copied. copy is where the host keeps it, where that has made the copy.
func HeldBy(d *draft.Draft, marks Marks, folder tree.Path) (files map[tree.Path]tree.State, copy tree.Path, ok bool) {
	for m := range d.Motions.All() {
		if m.KeepsFolder() && m.Path == folder && marks.At(KeyOf(m)).State == Finished {
			res := marks.At(KeyOf(m)).Result
			return held(res.Inside), res.Copy, !m.OnHost || res.Copy != ""
		}
	}
	return nil, "", false
}

// restore makes a folder hold exactly what it held. What it holds now and did not
// hold then is kept first. It can be done again after a stop anywhere.
func (r *Run) restore(ctx context.Context, m draft.Motion, want map[tree.Path]tree.State) (Result, error) {
	now, _, err := treeAt(ctx, r.Host, m.Path)
	if err != nil {
		return Result{}, err
	}
	res := Result{Inside: map[tree.Path]Result{}}
	same := map[tree.Path]bool{}
	var mu sync.Mutex
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(min(64, max(1, r.Host.InFlight())))
	for _, rel := range slices.Sorted(maps.Keys(now)) {
		s := now[rel]
		if s.Being != tree.Content {
			continue
		}
		g.Go(func() error {
			var kept Result
			at := m.Path.Join(rel)
			if err := r.keepIfOther(gctx, at, want[rel].Digest, &kept, "%s held other bytes when it was put back; they are kept", at); err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			if kept.Kept == nil {
				same[rel] = true
			} else {
				res.Inside[rel] = kept
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return res, err
	}
	// What is to be replaced or to go must be durable before it goes.
	if err := r.conclude(ctx, []*Outcome{{Motion: m, Result: res}}, r.Journal.Intended); err != nil {
		return res, err
	}
	for _, rel := range deepestFirst(now) {
		if rel == tree.Root || same[rel] || want[rel].Being == tree.Folder && now[rel].Being == tree.Folder {
			continue
		}
		if err := r.away(ctx, m.Path.Join(rel), now[rel]); err != nil {
			return res, err
		}
	}
	for i, rel := range slices.Sorted(maps.Keys(want)) {
		at := m.Path.Join(rel)
		switch w := want[rel]; {
		case w.Being == tree.Folder:
			err = r.makeFolder(ctx, at, cmp.Or(w.Mode, 0o755))
		case !same[rel]:
			err = r.bringBack(ctx, r.Names.Folder().Join(tree.Path(fmt.Sprintf("back-%d-%d", m.ID, i))), at, w)
		}
		if err != nil {
			return res, err
		}
	}
	return res, nil
}

func deepestFirst(all map[tree.Path]tree.State) []tree.Path {
	return slices.SortedFunc(maps.Keys(all), func(a, b tree.Path) int {
		if d := b.Depth() - a.Depth(); d != 0 {
			return d
		}
		return strings.Compare(string(a), string(b))
	})
}

// away removes what is not to be there; its bytes are kept.
func (r *Run) away(ctx context.Context, at tree.Path, s tree.State) (err error) {
	switch s.Being {
	case tree.Content:
		err = r.Host.RemoveFile(ctx, at)
	case tree.Folder:
		if err = r.Host.RemoveFolder(ctx, at); errors.Is(err, remote.ErrNotEmpty) {
			r.note("the folder %s stays: something in it is never touched", at)
			return nil
		}
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// bringBack puts kept bytes to where they stood: under a temporary name first, so
// that what stands there is whole.
func (r *Run) bringBack(ctx context.Context, temp, at tree.Path, s tree.State) error {
	for _, up := range at.Ancestors() {
		if err := r.makeFolder(ctx, up, 0o755); err != nil {
			return err
		}
	}
	if r.Names.Beside {
		temp = at.Dir().Join(tree.Path(string(draft.Work) + "-back"))
	}
	src, err := r.Room.Open(ctx, s.Digest)
	if err != nil {
		return err
	}
	defer src.Close()
	w, err := r.Host.Create(ctx, temp, s.Mode)
	if err != nil {
		return err
	}
	n, err := carry(w, src, s.Size)
	if err = errors.Join(err, w.Close()); err != nil {
		return err
	}
	if n != s.Size {
		return fmt.Errorf("%d bytes of %s were read from the stockroom instead of %d", n, at, s.Size)
	}
	if err := r.readBack(ctx, temp, s); err != nil {
		return err
	}
	return r.Host.Rename(ctx, temp, at)
}

// backData takes the copy of a data folder back, where that is wanted: the folder
// holds again what it held.
func (r *Run) backData(ctx context.Context, m draft.Motion, mark Mark) (Result, error) {
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
	return r.restore(ctx, m, held(mark.Result.Inside))
}
