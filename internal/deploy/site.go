package deploy

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// site is a run's way to the host: what is done there for any kind of motion.
type site struct{ kept }

// site gives the run's way to its host and to the stockroom.
func (r *Run) site() site { return site{kept{r}} }

// act does an operation that moves no bytes. left tells that a folder stays
// because something is in it.
func (r site) act(ctx context.Context, a draft.Act) (left bool, err error) {
	switch a.Op {
	case draft.Rename:
		if a.Whole && !r.isVacant(a.To) { // some hosts put a folder in the place of an empty one
			i, err := r.Host.Stat(ctx, a.To)
			if err == nil && i.Being != tree.Absent {
				err = &fs.PathError{Op: "rename", Path: a.To.String(), Err: fs.ErrExist}
			}
			if err != nil {
				return false, err
			}
		}
		return false, r.Host.Rename(ctx, a.From, a.To)
	case draft.MakeFolder:
		return false, r.Host.MakeFolder(ctx, a.To, a.Mode)
	case draft.RemoveFile:
		if err := r.Host.RemoveFile(ctx, a.From); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return false, err
		}
		return false, nil
	case draft.RemoveFolder:
		err := r.Host.RemoveFolder(ctx, a.From)
		if errors.Is(err, remote.ErrNotEmpty) {
			return true, nil
		}
		return false, err
	}
	return false, fmt.Errorf("%s is no operation without bytes", a.Op)
}

// acts does operations one after the other.
func (r site) acts(ctx context.Context, acts []draft.Act) error {
	for _, a := range acts {
		left, err := r.act(ctx, a)
		if errors.Is(err, fs.ErrExist) && a.Op == draft.Rename {
			return fmt.Errorf("something else has appeared at %s; move it away by hand, then go on: %w", a.To, err)
		}
		if err != nil {
			return err
		}
		if left {
			r.note("the folder %s stays: something that is not of this deployment is in it", a.From)
		}
	}
	return nil
}

// verdict looks at the names that tell what a motion has done.
func (r site) verdict(ctx context.Context, m draft.Motion) (draft.Verdict, error) {
	final, temp := remote.Info{Being: tree.Absent}, remote.Info{Being: tree.Absent}
	var err error
	if m.Kind != draft.SendMotion && m.Kind != draft.EditMotion && m.Kind != draft.TidyMotion {
		if final, err = r.Host.Stat(ctx, m.Path); err != nil {
			return "", err
		}
	}
	if t := r.Names.Temp(m); t != tree.Root {
		if temp, err = r.Host.Stat(ctx, t); err != nil {
			return "", err
		}
	}
	return draft.Decide(m, temp.Being, final.Being), nil
}

func (r site) makeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	err := r.Host.MakeFolder(ctx, p, mode)
	if errors.Is(err, fs.ErrExist) {
		return nil
	}
	return err
}

// levels does something with folders that are sorted by depth: those of one
// depth side by side.
func (r site) levels(list []tree.Path, do func(tree.Path) error) error {
	for len(list) > 0 {
		n := 1
		for n < len(list) && list[n].Depth() == list[0].Depth() {
			n++
		}
		var g errgroup.Group
		g.SetLimit(max(1, r.Host.InFlight()))
		for _, p := range list[:n] {
			g.Go(func() error { return do(p) })
		}
		if err := g.Wait(); err != nil {
			return err
		}
		list = list[n:]
	}
	return nil
}

// ownFolders makes the folders that belong to the deployment.
func (r site) ownFolders(ctx context.Context) error {
	own := []tree.Path{draft.Work, r.Names.Folder()}
	if r.Held {
		own = own[1:] // the lock stands in the work folder
	}
	return r.levels(own, func(p tree.Path) error { return r.makeFolder(ctx, p, 0) })
}

// tempFolders makes the folders that temporary names need; some of them come to
// stand in the tree.
func (r site) tempFolders(ctx context.Context, list []tree.Path) error {
	err := r.levels(list, func(p tree.Path) error { return r.makeFolder(ctx, p, 0o755) })
	r.folders = err == nil
	return err
}

// workFolders makes the deployment's own folder on the host and those below it
// that temporary names need, once for a run.
func (r site) workFolders(ctx context.Context, marks Marks) error {
	if r.Names.Beside || r.folders {
		return nil
	}
	begun := func(m draft.Motion) bool {
		s := marks.At(KeyOf(m)).State
		return s == Intended || s == Finished
	}
	if err := r.ownFolders(ctx); err != nil {
		return err
	}
	return r.tempFolders(ctx, r.Draft.WorkFolders(r.Names, begun))
}

// removeWork takes the work folder away; what another deployment has in it stays.
func (r site) removeWork(ctx context.Context) error {
	remove := func(p tree.Path) error {
		err := r.Host.RemoveFolder(ctx, p)
		if err != nil && !errors.Is(err, fs.ErrNotExist) && !(p == draft.Work && errors.Is(err, remote.ErrNotEmpty)) {
			return fmt.Errorf("remove the work folder %s: %w", p, err)
		}
		return nil
	}
	if r.Names.Beside && !r.Held {
		return nil // there is none: neither temporary files nor a lock stand in it
	}
	var g errgroup.Group
	if !r.Names.Beside {
		list := r.WorkFolders()
		slices.Reverse(list)
		g.Go(func() error { return r.levels(append(list, r.Names.Folder()), remove) })
	}
	if r.Held {
		g.Go(func() error { return Unlock(ctx, r.Host) })
	}
	if err := g.Wait(); err != nil {
		return err
	}
	r.folders = false
	return remove(draft.Work)
}

// free gives the first of a series of names that is unused.
func (r site) free(ctx context.Context, named func(n int) tree.Path) (tree.Path, error) {
	for n := 1; ; n++ {
		name := named(n)
		i, err := r.Host.Stat(ctx, name)
		if err != nil || i.Being == tree.Absent {
			return name, err
		}
	}
}

// lookBefore looks, once for a batch, whether the names are free to which its
// folders are to come: where they are, no motion has to look by itself.
func (r site) lookBefore(ctx context.Context, motions []draft.Motion) error {
	var paths []tree.Path
	for _, m := range motions {
		if m.Whole() && m.Kind == draft.InMotion {
			paths = append(paths, m.Path)
		}
	}
	if len(paths) == 0 {
		return nil
	}
	infos, err := r.Host.StatAll(ctx, paths)
	if err != nil {
		return fmt.Errorf("look where folders are to come: %w", err)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.vacant = map[tree.Path]bool{}
	for i, p := range paths {
		r.vacant[p] = infos[i].Being == tree.Absent
	}
	return nil
}

func (r site) isVacant(p tree.Path) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.vacant[p]
}

// tells tells whether a file that had this time when it was looked at would
// have another one if it had been written to since: the time must be older than
// the look by more than the host counts.
func (r site) tells(modified, lookedAt int64) bool {
	return r.Resolution > 0 && lookedAt != 0 && modified+r.Resolution < lookedAt
}

// hostNow is the host's time, or 0 where it is unknown.
func (r site) hostNow() int64 {
	if r.Clock == nil {
		return 0
	}
	return r.Clock()
}

func (r site) editOf(p tree.Path) *Edited {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.edited[p]
}
