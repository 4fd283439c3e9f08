package needs

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/version"
)

// Change is what is to happen to a server, as far as add-ons need one another.
type Change struct {
	Installed []*Item               // what is there, each add-on once
	Going     func(key string) bool // of these, what is taken away; nil: nothing
	Wanted    []*Item               // what comes; it takes the place of what is installed of the same add-ons
}

// After is what is on the server once all is done, with what else is taken along.
func (c Change) After(take []*Item) (out []*Item) {
	new := map[string]bool{}
	for _, i := range slices.Concat(c.Wanted, take) {
		if !new[i.Key] {
			new[i.Key] = true
			out = append(out, i)
		}
	}
	for _, i := range c.Installed {
		if !new[i.Key] && !c.goes(i.Key) {
			out = append(out, i)
		}
	}
	return out
}

func (c Change) goes(key string) bool { return c.Going != nil && c.Going(key) }

// Problems tells what is wrong once all is done: of what comes, everything; of what was there
// before, what was not wrong until then.
func (c Change) Problems(take []*Item) []Problem {
	changed := map[*Item]bool{}
	for _, i := range slices.Concat(c.Wanted, take) {
		changed[i] = true
	}
	before := Check(c.Installed)
	out := Check(c.After(take))
	for i := range out {
		out[i].Old = slices.ContainsFunc(before, out[i].Same)
	}
	return slices.DeleteFunc(out, func(p Problem) bool {
		return p.Old && !changed[p.Of] && !slices.ContainsFunc(p.Ring, func(i *Item) bool { return changed[i] })
	})
}

// Plan is what has to come along so that all that is wanted has what it needs.
type Plan struct {
	// Take are items that come along, sorted by add-on: new ones, and other versions of
	// installed ones. Without one of them something would be wrong.
	Take []*Item
	// Solved tells whether everybody then has what they need, and nothing is there that does
	// not go together, as far as the change is concerned.
	Solved bool
	// Left are needs that nothing staged answers, where all else is mended without them: somebody
	// may know better, for something may lie on the server that nobody deployed.
	Left []Want
	// GaveUp tells that too much had to be tried: whether there is a way is not known.
	GaveUp bool
}

// most is how many choices are tried before a search gives up.
const most = 20_000

// Solve finds what to take along of what is staged. Installed add-ons stay, in this version or
// another one that is staged. What was wrong among them before, and has nothing to do with
// what changes, is left as it is. The newest versions are tried first, and nothing is taken
// that is not needed.
func (c Change) Solve(staged []*Item) Plan {
	s := newSearch(c, staged)
	if s.descend() {
		return s.plan()
	}
	if s.tried > most {
		return Plan{GaveUp: true}
	}
	if s = newSearch(c, staged); s.leave() && s.descend() {
		return s.plan()
	}
	return Plan{GaveUp: s.tried > most}
}

// plan is what a search that has found a way has taken.
func (s *search) plan() (p Plan) {
	s.spare()
	for _, key := range slices.Sorted(maps.Keys(s.taken)) {
		p.Take = append(p.Take, s.now[key])
	}
	for _, key := range slices.Sorted(maps.Keys(s.now)) {
		i := s.now[key]
		for _, w := range i.Needs {
			was := s.old[oldProblem{sort: Missing, of: i.ID, want: w.key}] && !s.fixed[key] && !s.taken[key]
			if s.hopeless[w.key] && !i.Off && !was {
				p.Left = append(p.Left, w)
			}
		}
	}
	p.Solved = len(p.Left) == 0
	return p
}

// leave has needs be left as they are of which there is nothing, installed, wanted or staged. It tells
// whether there are any.
func (s *search) leave() bool {
	s.hopeless = map[string]bool{}
	for _, i := range s.all {
		for _, w := range i.Needs {
			there := func(key string) bool { return s.now[key] != nil || len(s.staged[key]) > 0 }
			if !slices.ContainsFunc(s.keys(w), there) {
				s.hopeless[w.key] = true
			}
		}
	}
	return len(s.hopeless) > 0
}

type search struct {
	now    map[string]*Item    // by key, as things stand in this branch
	before map[string]*Item    // what is installed
	fixed  map[string]bool     // wanted
	taken  map[string]bool     // decided in this branch
	staged map[string][]*Item  // the newest first
	called map[string][]string // keys by names; an add-on's own key comes first
	asks   map[string][]string // by key, those whose items speak of it
	all    []*Item             // whoever may have a say
	// hopeless are needs that are left as they are, by their keys.
	hopeless map[string]bool
	dirty    []string // keys whose items are to be looked at; each once
	old      map[oldProblem]bool
	tried    int
}

// oldProblem is what was wrong before, between two installed items.
type oldProblem struct {
	sort           Sort
	of, with, want string
}

func newSearch(c Change, staged []*Item) *search {
	s := &search{now: map[string]*Item{}, before: map[string]*Item{}, fixed: map[string]bool{}, taken: map[string]bool{},
		staged: map[string][]*Item{}, called: map[string][]string{}, asks: map[string][]string{}, old: map[oldProblem]bool{}}
	all := slices.Concat(c.Installed, c.Wanted, staged)
	s.all = all
	for _, i := range all {
		s.called[i.Key] = []string{i.Key}
	}
	for _, i := range all {
		if name := layout.Key(i.Name); !slices.Contains(s.called[name], i.Key) {
			s.called[name] = append(s.called[name], i.Key)
		}
	}
	mentions := map[[2]string]bool{}
	for _, i := range all {
		for _, w := range slices.Concat(i.Needs, i.Conflicts) {
			for _, key := range s.keys(w) {
				if to := [2]string{key, i.Key}; !mentions[to] {
					mentions[to] = true
					s.asks[key] = append(s.asks[key], i.Key)
				}
			}
		}
	}
	for _, i := range c.Installed {
		s.now[i.Key], s.before[i.Key] = i, i
	}
	for _, i := range c.Installed {
		for _, p := range s.wrong(i) {
			s.old[oldOf(p)] = true
		}
	}
	for _, i := range c.Installed {
		if c.goes(i.Key) {
			delete(s.now, i.Key)
			delete(s.before, i.Key)
			s.fixed[i.Key] = true // it is not to come back
			s.touch(i.Key)
		}
	}
	for _, i := range c.Wanted {
		s.now[i.Key], s.fixed[i.Key] = i, true
		s.touch(i.Key)
	}
	for _, i := range staged {
		if was := s.before[i.Key]; was != nil && was.Off { // what is disabled stays so in another version
			still := *i
			still.Off, i = true, &still
		}
		s.staged[i.Key] = append(s.staged[i.Key], i)
	}
	for _, list := range s.staged {
		slices.SortStableFunc(list, func(a, b *Item) int {
			return cmp.Or(version.Compare(b.Version, a.Version), strings.Compare(a.ID, b.ID))
		})
	}
	return s
}

// keys are those of the add-ons that a want may speak of.
func (s *search) keys(w Want) []string {
	if keys := s.called[w.key]; keys != nil {
		return keys
	}
	return []string{w.key}
}

// at is what a want finds as things stand; nil where there is nothing.
func (s *search) at(w Want) *Item {
	for _, key := range s.keys(w) {
		if i := s.now[key]; i != nil {
			return i
		}
	}
	return nil
}

// touch has an add-on looked at again, and all that speak of it.
func (s *search) touch(key string) {
	for _, k := range append([]string{key}, s.asks[key]...) {
		if !slices.Contains(s.dirty, k) {
			s.dirty = append(s.dirty, k)
		}
	}
}

// wrong are the needs and conflicts of an item that do not hold as things stand.
func (s *search) wrong(i *Item) (out []Problem) {
	if i.Off {
		return nil
	}
	for _, w := range i.Needs {
		if s.hopeless[w.key] {
			continue
		}
		if sort, with := (byName{w.key: s.at(w)}).need(i, w); sort != "" {
			out = append(out, Problem{Sort: sort, Of: i, Want: w, With: with})
		}
	}
	for _, w := range i.Conflicts {
		if with := (byName{w.key: s.at(w)}).clash(i, w); with != nil {
			out = append(out, Problem{Sort: Conflict, Of: i, Want: w, With: with})
		}
	}
	return out
}

func oldOf(p Problem) oldProblem {
	o := oldProblem{sort: p.Sort, of: p.Of.ID, want: p.Want.key}
	if p.With != nil {
		o.with = p.With.ID
	}
	return o
}

// next is the first thing that is wrong and was not before, of what is to be looked at.
func (s *search) next() (Problem, bool) {
	for n := 0; n < len(s.dirty); n++ {
		i := s.now[s.dirty[n]]
		if i == nil {
			continue
		}
		for _, p := range s.wrong(i) {
			if s.fixed[i.Key] || s.taken[i.Key] || !s.old[oldOf(p)] {
				s.dirty = s.dirty[n:]
				return p, true
			}
		}
	}
	s.dirty = s.dirty[:0]
	return Problem{}, false
}

// descend mends what is wrong, one thing after the other; false where there is no way from here.
func (s *search) descend() bool {
	p, wrong := s.next()
	if !wrong {
		return true
	}
	for _, i := range s.ways(p) {
		if s.tried++; s.tried > most {
			return false
		}
		was, dirty := s.now[i.Key], slices.Clone(s.dirty)
		s.now[i.Key], s.taken[i.Key] = i, true
		s.touch(i.Key)
		if s.descend() {
			return true
		}
		delete(s.taken, i.Key)
		s.put(i.Key, was)
		s.dirty = dirty
		if s.tried > most {
			return false
		}
	}
	return false
}

// ways are the items that may mend what is wrong: another version of one of the two, or what is
// missing, of those that nobody has decided on.
func (s *search) ways(p Problem) (out []*Item) {
	for _, key := range append(slices.Clone(s.keys(p.Want)), p.Of.Key) {
		if s.fixed[key] || s.taken[key] {
			continue
		}
		for _, i := range s.staged[key] {
			if s.now[key] != nil && s.now[key].ID == i.ID {
				continue
			}
			if ok, sure := p.Want.takes(i.Version); key != p.Of.Key && (p.Sort == Conflict && ok && sure || p.Sort != Conflict && !ok) {
				continue
			}
			out = append(out, i)
		}
	}
	return out
}

// spare leaves out again what turned out not to be needed.
func (s *search) spare() {
	for again := true; again; {
		again = false
		for _, key := range slices.Sorted(maps.Keys(s.taken)) {
			i := s.now[key]
			s.put(key, s.before[key])
			delete(s.taken, key)
			s.touch(key) // nobody else can be the worse for it
			_, wrong := s.next()
			if s.dirty = s.dirty[:0]; wrong {
				s.now[key], s.taken[key] = i, true
			}
			again = again || !wrong
		}
	}
}

// put has an item stand for its add-on; nil takes it away.
func (s *search) put(key string, i *Item) {
	if i == nil {
		delete(s.now, key)
		return
	}
	s.now[key] = i
}
