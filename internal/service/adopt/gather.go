package adopt

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// few is how many add-ons of a kind are read to learn which of their files tell something.
const few = 3

// large is from how many things on a server on many add-ons are expected there.
const large = 500

// reading is a host that makes itself ready to read many files, which takes its shell a while.
// Meanwhile a sample of what lies there shows which files tell something.
type reading struct {
	host  remote.Host
	may   bool // so many add-ons may have to be looked into
	begun bool // the host makes itself ready
	on    bool // there is enough to be read
	tell  chan telling
	want  chan map[tree.Path]int64
	got   func(tree.Path, []byte) // set before what is wanted is said
	over  chan error
	ctx   context.Context
	stop  context.CancelFunc
	wg    sync.WaitGroup
}

// ahead is what reads where up to so many add-ons may have to be looked into. The caller ends it by
// drop.
func (l *looking) ahead(ctx context.Context, most int) *reading {
	ctx, stop := context.WithCancel(ctx)
	return &reading{host: l.host, may: most > few, ctx: ctx, stop: stop, tell: make(chan telling, 1), want: make(chan map[tree.Path]int64, 1), over: make(chan error, 1)}
}

// seen has the host make itself ready once it has listed so much that much may have to be read.
func (r *reading) seen(things int) {
	if things >= large {
		r.ready()
	}
}

// ready has the host make itself ready.
func (r *reading) ready() {
	if r.begun || !r.may {
		return
	}
	r.begun = true
	r.wg.Go(func() {
		r.over <- remote.Gather(r.ctx, r.host, func() map[tree.Path]int64 {
			select {
			case want := <-r.want:
				return want
			case <-r.ctx.Done():
				return nil
			}
		}, func(p tree.Path, raw []byte) { r.got(p, raw) })
	})
}

// learns begins to look at a sample of what was listed, where that is much.
func (r *reading) learns(l *looking) {
	if r.on = r.may && len(l.all) >= large; !r.on {
		return
	}
	r.ready()
	learner := *l
	r.wg.Go(func() {
		some, err := learner.sample()
		if err != nil {
			r.tell <- telling{err: err}
			return
		}
		r.tell <- learner.learn(r.ctx, some)
	})
}

// read says what is wanted, and gives what comes of it. It is called once.
func (r *reading) read(want map[tree.Path]int64, got func(tree.Path, []byte)) error {
	r.got = got
	r.want <- want
	return <-r.over
}

// drop ends what is still under way.
func (r *reading) drop() {
	r.stop()
	r.wg.Wait()
}

// gather reads at once what most candidates will be asked for, where there are many and the host can
// do that. It gives each of them once: when all of it has come, or in the end. What it did not read
// is read when it is asked for.
func (l *looking) gather(ctx context.Context, found []Found, ahead *reading, ready func(*Found)) error {
	given := make([]bool, len(found))
	if ahead.on && l.many(found) {
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
	t := <-ahead.tell
	if t.err == nil {
		t = t.and(l.learn(ctx, slices.DeleteFunc(slices.Clone(found), func(f Found) bool { return t.of[f.Kind] != nil })))
	}
	if t.err != nil {
		return t.err
	}
	want, of := map[tree.Path]int64{}, map[tree.Path][]int{} // their lengths, and which candidates wait for them
	waits := make([]int, len(found))
	for i := range found {
		for rel := range t.of[found[i].Kind] {
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

// telling are by kind the files of an add-on that tell something, by their paths in its folder.
type telling struct {
	of  map[string]map[tree.Path]bool
	err error
}

// and is what both tell, of different kinds.
func (t telling) and(more telling) telling {
	out := telling{map[string]map[tree.Path]bool{}, more.err}
	maps.Copy(out.of, t.of)
	maps.Copy(out.of, more.of)
	return out
}

// learn reads a few of each kind: the others have files of the same names that tell something.
func (l *looking) learn(ctx context.Context, found []Found) telling {
	tried := map[string]int{}
	var mu sync.Mutex
	tell := map[string]map[tree.Path]bool{}
	g, gctx := errgroup.WithContext(ctx)
	for _, f := range found {
		if !l.all[f.Path].Dir || tried[f.Kind] == few {
			continue
		}
		of := tell[f.Kind]
		if tried[f.Kind]++; of == nil {
			of = map[tree.Path]bool{}
			tell[f.Kind] = of
		}
		learner := *l
		learner.asked = func(p tree.Path) {
			mu.Lock()
			defer mu.Unlock()
			if rel, in := p.Below(f.Path); in {
				of[rel] = true
			}
		}
		g.Go(func() error {
			if err := learner.lay(gctx, &f); err != nil {
				return fmt.Errorf("read %s: %w", f.Path, err)
			}
			return nil
		})
	}
	return telling{tell, g.Wait()}
}

// sampled is how many folders of a place are looked at to learn from.
const sampled = 4 * few

// sample finds the add-ons in a few folders of each place. What it looks at is all that it knows then.
func (l *looking) sample() ([]Found, error) {
	beside := map[tree.Path][]tree.Path{} // folders, by the place in which they lie
	for _, at := range l.places {
		beside[at] = nil
	}
	for p, e := range l.all {
		if some, is := beside[p.Dir()]; is && e.Dir {
			beside[p.Dir()] = append(some, p)
		}
	}
	chosen := map[tree.Path]bool{}
	for _, folders := range beside {
		slices.Sort(folders)
		for _, p := range folders[:min(sampled, len(folders))] {
			chosen[p] = true
		}
	}
	entries := l.unknown(func(p tree.Path) bool {
		for ; p != tree.Root; p = p.Dir() {
			if chosen[p] {
				return true
			}
		}
		return false
	})
	l.keep(entries)
	on, err := layout.Read(l.book, l.srv.Variables, entries)
	return l.unowned(on), err
}
