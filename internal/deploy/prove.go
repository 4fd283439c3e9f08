package deploy

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/words"
)

// RefusedError says that a host does not let this user change what is in some
// folders. Rename tells that it does, but not by renaming out of the work
// folder: that is another disk, perhaps.
type RefusedError struct {
	Folders []tree.Path
	Rename  bool
	Err     error // of the first
}

func (e *RefusedError) Error() string {
	names := make([]string, len(e.Folders))
	for i, f := range e.Folders {
		names[i] = f.String()
	}
	where := words.Few(names)
	if e.Rename {
		return fmt.Sprintf("files cannot be renamed from the work folder into %s: %v", where, e.Err)
	}
	return fmt.Sprintf("this user may not change what is in %s: %v", where, e.Err)
}
func (e *RefusedError) Unwrap() error { return e.Err }

// tryName is what a folder is tried with. It is always the same, so that what a
// lost connection leaves of it goes with the next try.
const tryName = tree.Path(draft.Work + "-try")

// Prove finds out, before anything is done, whether the host lets files come
// and go where a draft wants that: an empty file is renamed into every folder
// concerned, and out of it again. It leaves nothing behind. The error is a
// *[RefusedError] where the host says no.
func (r *Run) Prove(ctx context.Context) error {
	var g errgroup.Group
	g.SetLimit(max(1, r.Host.InFlight()/2))
	if !r.Names.Beside {
		if err := r.site().ownFolders(ctx); err != nil {
			return fmt.Errorf("make the work folder: %w", err)
		}
		g.Go(func() error { // needed in a moment, and made meanwhile
			return r.site().tempFolders(ctx, r.WorkFolders())
		})
	}
	var mu sync.Mutex
	var refused []*RefusedError
	says := func(err error) error { // a refusal is gathered, anything else ends the proof
		var no *RefusedError
		if !errors.As(err, &no) {
			return err
		}
		mu.Lock()
		defer mu.Unlock()
		refused = append(refused, no)
		return nil
	}
	p := prover{r.site()}
	folders := p.concerned()
	var next atomic.Int64
	for range min(len(folders), max(1, r.Host.InFlight()/2)) {
		g.Go(func() error {
			c := courier{r: p, says: says}
			for i := int(next.Add(1)) - 1; i < len(folders); i = int(next.Add(1)) - 1 {
				if err := c.visit(ctx, folders[i], i); err != nil {
					return err
				}
			}
			return c.end(ctx)
		})
	}
	if err := g.Wait(); err != nil {
		return fmt.Errorf("get ready on the host: %w", err)
	}
	if len(refused) == 0 {
		return nil
	}
	// What is not writable at all is worse, so it is told first.
	slices.SortFunc(refused, func(a, b *RefusedError) int { return strings.Compare(string(a.Folders[0]), string(b.Folders[0])) })
	worst := &RefusedError{Rename: !slices.ContainsFunc(refused, func(e *RefusedError) bool { return !e.Rename })}
	for _, e := range refused {
		if e.Rename == worst.Rename {
			worst.Folders = append(worst.Folders, e.Folders...)
			if worst.Err == nil {
				worst.Err = e.Err
			}
		}
	}
	return worst
}

// prover tries whether files can come and go.
type prover struct{ site }

// courier carries one empty file from folder to folder: a rename each, where a file for
// every folder would be made, renamed and removed.
type courier struct {
	r      prover
	says   func(error) error // gathers refusals, and gives any other error back
	at     tree.Path         // where its file is now; none yet where it is the root
	folder tree.Path         // that it is in
}

// visit renames the file into a folder. Where that fails, the folder is tried by itself,
// since the one that the file came from may be the cause.
func (c *courier) visit(ctx context.Context, folder tree.Path, i int) error {
	from, to := c.r.tryNames(folder, i)
	if c.r.Names.Beside { // nothing is renamed from one folder into another there
		return c.says(c.r.try(ctx, folder, from, to))
	}
	if c.at == tree.Root {
		if err := c.r.touch(ctx, from); err != nil {
			return c.says(saysNo(ctx, err, &RefusedError{Folders: []tree.Path{folder}, Err: err}))
		}
		c.at, c.folder = from, from.Dir()
	}
	err := c.r.Host.Rename(ctx, c.at, to)
	if err == nil {
		c.at, c.folder = to, folder
		return nil
	}
	if errors.Is(err, remote.ErrLine) || ctx.Err() != nil {
		return err
	}
	if err := c.end(ctx); err != nil {
		return err
	}
	return c.says(c.r.try(ctx, folder, from, to))
}

// end removes the file.
func (c *courier) end(ctx context.Context) error {
	if c.at == tree.Root {
		return nil
	}
	err := c.r.Host.RemoveFile(ctx, c.at)
	at := c.folder
	if c.at = tree.Root; err != nil {
		return c.says(saysNo(ctx, err, &RefusedError{Folders: []tree.Path{at}, Err: err}))
	}
	return nil
}

func (r prover) try(ctx context.Context, folder, from, to tree.Path) error {
	if err := r.touch(ctx, from); err != nil {
		return saysNo(ctx, err, &RefusedError{Folders: []tree.Path{folder}, Err: err})
	}
	err := r.Host.Rename(ctx, from, to)
	if errors.Is(err, fs.ErrExist) { // left by a try whose line was lost
		if err = r.Host.RemoveFile(ctx, to); err == nil {
			err = r.Host.Rename(ctx, from, to)
		}
	}
	if err == nil {
		return r.Host.RemoveFile(ctx, to)
	}
	if gone := r.Host.RemoveFile(ctx, from); gone != nil {
		return errors.Join(err, gone)
	}
	no := &RefusedError{Folders: []tree.Path{folder}, Err: err}
	if no.Rename = r.touch(ctx, to) == nil; no.Rename {
		if gone := r.Host.RemoveFile(ctx, to); gone != nil {
			return errors.Join(err, gone)
		}
	}
	return saysNo(ctx, err, no)
}

// saysNo tells a host's refusal from a line that is lost.
func saysNo(ctx context.Context, err error, no *RefusedError) error {
	if errors.Is(err, remote.ErrLine) || ctx.Err() != nil {
		return err
	}
	return no
}

func (r prover) touch(ctx context.Context, p tree.Path) error {
	w, err := r.Host.Create(ctx, p, 0)
	if err != nil {
		return err
	}
	return w.Close()
}

// Foresee has Prove and GiveUp go by what is known of a draft that is about to be made
// anew, until it is given: a long one would be in memory twice.
func (r *Run) Foresee(a draft.Ahead) { r.ahead = &a }

// Given hands a run its draft once it has been made again.
func (r *Run) Given(d *draft.Draft) { r.Draft, r.ahead = d, nil }

func noMotion(draft.Motion) bool { return false }

func (r prover) concerned() []tree.Path {
	if r.ahead != nil {
		return r.ahead.Concerned
	}
	return r.Draft.Concerned()
}

// WorkFolders are the folders that temporary names need while nothing has been moved.
func (r *Run) WorkFolders() []tree.Path {
	if r.ahead == nil {
		return r.Draft.WorkFolders(r.Names, noMotion)
	}
	var out []tree.Path
	for _, rel := range r.ahead.Folders {
		out = append(out, r.Names.Folder().Join(rel))
	}
	return out
}

// GiveUp clears the work folder of a run that has done nothing yet, with what a
// proof that broke off has left, and gives the host's lock back.
func (r *Run) GiveUp(ctx context.Context) error {
	var g errgroup.Group
	g.SetLimit(max(1, r.Host.InFlight()/2))
	p := prover{r.site()}
	for i, folder := range p.concerned() {
		from, to := p.tryNames(folder, i)
		g.Go(func() error {
			for _, p := range []tree.Path{from, to} {
				if i, err := r.Host.Stat(ctx, p); err != nil {
					return err
				} else if i.Being == tree.Absent {
					continue
				}
				if err := r.Host.RemoveFile(ctx, p); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return fmt.Errorf("clear what was tried: %w", err)
	}
	return r.site().removeWork(ctx)
}

// tryNames are the two names that a trial in a folder uses.
func (r prover) tryNames(folder tree.Path, i int) (from, to tree.Path) {
	from, to = r.Names.Folder().Join(tree.Path(fmt.Sprintf("try-%d", i))), folder.Join(tryName)
	if r.Names.Beside {
		from = folder.Join(tryName + "-a")
	}
	return from, to
}
