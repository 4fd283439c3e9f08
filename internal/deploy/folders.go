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

// dataFolders puts folders back that a server writes.
type dataFolders struct{ site }

// errNoCopier is returned where a draft counts on a host that copies folders and
// the host no longer does.
var errNoCopier = errors.New("the host copies no folders any more, as it did when it was tested; test it again and draft anew")

// copier gives the host's own way of copying folders.
func (r dataFolders) copier() (remote.Copier, error) {
	c, ok := remote.Unwrapped[remote.Copier](r.Host)
	if !ok {
		return nil, errNoCopier
	}
	return c, nil
}

// copied makes a copy, unless it is there already.
func (r dataFolders) copied(ctx context.Context, from, to tree.Path) error {
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
func (r dataFolders) returnCopy(ctx context.Context, m draft.Motion, copy tree.Path) (Result, error) {
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

// restore makes a folder hold exactly what it held. What it holds now and did not
// hold then is kept first. It can be done again after a stop anywhere.
func (r dataFolders) restore(ctx context.Context, m draft.Motion, want map[tree.Path]tree.State) (Result, error) {
	now, _, err := treeAt(ctx, r.Host, m.Path)
	if err != nil {
		return Result{}, err
	}
	res := Result{Held: Held{Inside: map[tree.Path]Result{}}}
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
		if err := r.setAside(ctx, m.Path.Join(rel), now[rel]); err != nil {
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

// setAside removes what must not be there; its bytes were kept before.
func (r dataFolders) setAside(ctx context.Context, at tree.Path, s tree.State) (err error) {
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

// bringBack restores kept bytes to their path: under a temporary name first, so
// that the file at the path is always whole.
func (r dataFolders) bringBack(ctx context.Context, temp, at tree.Path, s tree.State) error {
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

func deepestFirst(all map[tree.Path]tree.State) []tree.Path {
	return slices.SortedFunc(maps.Keys(all), func(a, b tree.Path) int {
		if d := b.Depth() - a.Depth(); d != 0 {
			return d
		}
		return strings.Compare(string(a), string(b))
	})
}

// statesOf turns the results inside a copy into the states of what the folder held.
func statesOf(copied map[tree.Path]Result) map[tree.Path]tree.State {
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
			return statesOf(res.Inside), res.Copy, !m.OnHost || res.Copy != ""
		}
	}
	return nil, "", false
}
