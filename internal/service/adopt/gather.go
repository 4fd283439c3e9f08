package adopt

import (
	"context"
	"fmt"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// few is how many add-ons of a kind are read to learn which of their files tell something.
const few = 3

// gather reads at once what most candidates will be asked for, where the host can do that. Which
// files tell something is seen from a few of each kind: the others have files of the same names.
// What it does not read is read when it is asked for.
func (l *looking) gather(ctx context.Context, found []Found) error {
	tried := map[string][]Found{} // folders, by kind
	for _, f := range found {
		if l.all[f.Path].Dir && len(tried[f.Kind]) < few {
			tried[f.Kind] = append(tried[f.Kind], f)
		}
	}
	var mu sync.Mutex
	tell := map[string]map[tree.Path]bool{}
	g, gctx := errgroup.WithContext(ctx)
	for kind, some := range tried {
		tell[kind] = map[tree.Path]bool{}
		for _, f := range some {
			learner := *l
			learner.asked = func(p tree.Path) {
				mu.Lock()
				defer mu.Unlock()
				if rel, in := p.Below(f.Path); in {
					tell[kind][rel] = true
				}
			}
			g.Go(func() error {
				if err := learner.lay(gctx, &f); err != nil {
					return fmt.Errorf("read %s: %w", f.Path, err)
				}
				return nil
			})
		}
	}
	if err := g.Wait(); err != nil {
		return err
	}
	want := map[tree.Path]int64{}
	for _, f := range found {
		for rel := range tell[f.Kind] {
			p := f.Path.Join(rel)
			if e, there := l.all[p]; there && !e.Dir {
				want[p] = e.Size
			}
		}
	}
	if len(want) <= few*len(tried) {
		return nil // what there is was read just now
	}
	var err error
	l.gathered, err = remote.Gather(ctx, l.host, want)
	return err
}
