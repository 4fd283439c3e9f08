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

// large is from how many things on a server on many add-ons are expected there.
const large = 500

// reading is a host that makes itself ready to read many files, which takes its shell a while.
type reading struct {
	want chan map[tree.Path]int64
	got  func(tree.Path, []byte) // set before what is wanted is said
	over chan error
	said bool
}

// begins has the host make itself ready, where much lies on it.
func (l *looking) begins(ctx context.Context) *reading {
	r := &reading{want: make(chan map[tree.Path]int64, 1), over: make(chan error, 1)}
	if len(l.all) < large {
		r.over <- nil
		return r
	}
	go func() {
		r.over <- remote.Gather(ctx, l.host, func() map[tree.Path]int64 {
			select {
			case want := <-r.want:
				return want
			case <-ctx.Done():
				return nil
			}
		}, func(p tree.Path, raw []byte) { r.got(p, raw) })
	}()
	return r
}

// read says what is wanted, and gives what comes of it. It is called once.
func (r *reading) read(want map[tree.Path]int64, got func(tree.Path, []byte)) error {
	r.got, r.said = got, true
	r.want <- want
	return <-r.over
}

// drop ends what nothing was wanted of.
func (r *reading) drop() {
	if !r.said {
		r.want <- nil
		<-r.over
	}
}

// gather reads at once what most candidates will be asked for, where there are many and the host can
// do that. It gives each of them once: when all of it has come, or in the end. What it did not read
// is read when it is asked for.
func (l *looking) gather(ctx context.Context, found []Found, ahead *reading, ready func(*Found)) error {
	given := make([]bool, len(found))
	if l.many(found) {
		if err := l.together(ctx, found, ahead, func(i int) { given[i] = true; ready(&found[i]) }); err != nil {
			return err
		}
	}
	for i := range found {
		if !given[i] {
			ready(&found[i])
		}
	}
	return nil
}

// many tells whether there are more folders of a kind than are read to learn from.
func (l *looking) many(found []Found) bool {
	folders := map[string]int{}
	for i := range found {
		if f := &found[i]; l.all[f.Path].Dir {
			if folders[f.Kind]++; folders[f.Kind] > few {
				return true
			}
		}
	}
	return false
}

// together learns which files tell something, reads them, and tells of each candidate of which all
// has come.
func (l *looking) together(ctx context.Context, found []Found, ahead *reading, ready func(i int)) error {
	tell, err := l.telling(ctx, found)
	if err != nil {
		return err
	}
	want, of := map[tree.Path]int64{}, map[tree.Path][]int{} // their lengths, and which candidates wait for them
	waits := make([]int, len(found))
	for i := range found {
		for rel := range tell[found[i].Kind] {
			p := found[i].Path.Join(rel)
			if e, there := l.all[p]; there && !e.Dir {
				want[p] = e.Size
				of[p] = append(of[p], i)
				waits[i]++
			}
		}
	}
	return ahead.read(want, func(p tree.Path, raw []byte) {
		for _, i := range of[p] {
			f := &found[i]
			if f.read == nil {
				f.read = map[tree.Path][]byte{}
			}
			f.read[p] = raw
			if waits[i]--; waits[i] == 0 {
				ready(i)
			}
		}
	})
}

// telling learns by kind which files of an add-on tell something, by their paths in its folder. A few
// of each kind show it: the others have files of the same names.
func (l *looking) telling(ctx context.Context, found []Found) (map[string]map[tree.Path]bool, error) {
	tried := map[string]int{}
	var mu sync.Mutex
	tell := map[string]map[tree.Path]bool{}
	g, gctx := errgroup.WithContext(ctx)
	for _, f := range found {
		if !l.all[f.Path].Dir || tried[f.Kind] == few {
			continue
		}
		tried[f.Kind]++
		learner := *l
		learner.asked = func(p tree.Path) {
			mu.Lock()
			defer mu.Unlock()
			if rel, in := p.Below(f.Path); in {
				if tell[f.Kind] == nil {
					tell[f.Kind] = map[tree.Path]bool{}
				}
				tell[f.Kind][rel] = true
			}
		}
		g.Go(func() error {
			if err := learner.lay(gctx, &f); err != nil {
				return fmt.Errorf("read %s: %w", f.Path, err)
			}
			return nil
		})
	}
	return tell, g.Wait()
}
