package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// world is a server's tree, a ledger and a journal in memory: small enough to
// run every draft on, and to be stopped anywhere.
type world struct {
	files  map[tree.Path]tree.State
	ledger map[tree.Path]Row
	events []Event
	held   map[tree.Digest]bool
	number int
	beside bool // the host does not rename out of the work folder
	// intended are the motions of the last run whose intents are durable.
	intended map[int]bool
}

func newWorld() *world {
	return &world{files: map[tree.Path]tree.State{}, ledger: map[tree.Path]Row{}, held: map[tree.Digest]bool{},
		intended: map[int]bool{}}
}

func content(text string) tree.State {
	return tree.State{Being: tree.Content, Digest: tree.Sum([]byte(text)), Size: int64(len(text)), Mode: 0o644}
}

// write is what the game server or a person does behind our back.
func (w *world) write(p tree.Path, text string) {
	for _, up := range p.Ancestors() {
		w.files[up] = tree.State{Being: tree.Folder, Mode: 0o755}
	}
	w.files[p] = content(text)
}

func (w *world) request() *Request {
	return &Request{Ledger: w.ledger, Host: Host{Set: ability.Set{Modes: true, RenameFromWork: !w.beside, RenameFolders: !w.beside, Resolution: 1, Free: -1}, Tested: true},
		Held: func(d tree.Digest) bool { return w.held[d] }}
}

func (w *world) wanted(name, ver string, files map[tree.Path]string) Wanted {
	out := Wanted{Addon: name, Name: name, Version: ver, Crate: tree.Sum([]byte(name + ver))}
	for _, p := range slices.Sorted(maps.Keys(files)) {
		d := tree.Sum([]byte(files[p]))
		w.held[d] = true
		out.Files = append(out.Files, Target{Path: p, Digest: d, Size: int64(len(files[p]))})
	}
	return out
}

func (w *world) observe() Observations {
	obs := Observations{Paths: map[tree.Path]Seen{}}
	for p, s := range w.files {
		obs.Paths[p] = Seen{State: s}
	}
	return obs
}

func (w *world) being(p tree.Path) tree.Being {
	if s, ok := w.files[p]; ok {
		return s.Being
	}
	return tree.Absent
}

// under is what stands at and below a folder, by path below it.
func (w *world) under(folder tree.Path) map[tree.Path]tree.State {
	out := map[tree.Path]tree.State{}
	for p, s := range w.files {
		if rel, below := p.Below(folder); below || p == folder {
			out[rel] = s
		}
	}
	return out
}

// workFolders makes what temporary names need, or takes it away.
func (w *world) workFolders(t require.TestingT, d *Draft, n Names, make bool) {
	if n.Beside {
		return
	}
	list := append([]tree.Path{Work, n.Folder()}, d.WorkFolders(n, func(m Motion) bool { return make && w.intended[m.ID] })...)
	if make {
		for _, p := range list {
			w.files[p] = tree.State{Being: tree.Folder, Mode: 0o755}
		}
		return
	}
	slices.Reverse(list)
	for _, p := range list {
		require.NoError(t, w.act(Act{Op: RemoveFolder, From: p}, Motion{}))
	}
}

// act does one operation as a real host would, refusing what one refuses.
func (w *world) act(a Act, m Motion) error {
	folderOf := func(p tree.Path) error {
		if p.Dir() == tree.Root || w.being(p.Dir()) == tree.Folder {
			return nil
		}
		return fmt.Errorf("%s: no such folder", p.Dir())
	}
	switch a.Op {
	case Fetch:
		w.held[w.files[a.From].Digest] = true
	case Upload:
		if err := folderOf(a.To); err != nil {
			return err
		}
		w.files[a.To] = m.After
	case Rename:
		if w.being(a.To) != tree.Absent {
			return fmt.Errorf("%s exists", a.To)
		}
		if w.being(a.From) == tree.Absent {
			return fmt.Errorf("%s is not there", a.From)
		}
		if err := folderOf(a.To); err != nil {
			return err
		}
		for p, state := range w.under(a.From) {
			w.files[a.To.Join(p)] = state
			delete(w.files, a.From.Join(p))
		}
	case MakeFolder:
		if err := folderOf(a.To); err != nil {
			return err
		}
		w.files[a.To] = tree.State{Being: tree.Folder, Mode: a.Mode}
	case RemoveFolder:
		for p := range w.files {
			if p != a.From && p.Within(a.From) {
				return nil // not empty: it stays
			}
		}
		delete(w.files, a.From)
	case RemoveFile:
		delete(w.files, a.From)
	}
	return nil
}

// forward does what is left of a draft; stop cuts it after so many acts (-1:
// never). done holds what the journal knows: it learns of a group's results
// only when the whole group is through, as the engine's barriers make it.
func (w *world) forward(t require.TestingT, d *Draft, n Names, done map[int]bool, stop int) bool {
	w.workFolders(t, d, n, true)
	for _, group := range groups(slices.Collect(d.Motions.All())) {
		for _, m := range group {
			w.intended[m.ID] = true
		}
		for _, m := range group {
			if done[m.ID] {
				continue
			}
			v := Decide(m, w.being(n.Temp(m)), w.being(m.Path))
			require.Contains(t, []Verdict{NotYet, Half, Done}, v, "%s %s", m.Kind, m.Path)
			if v == Done {
				continue
			}
			if stop == 0 {
				return false
			}
			stop--
			require.NoError(t, w.act(Forward(m, n), m))
		}
		for _, m := range group {
			done[m.ID] = true
		}
	}
	w.workFolders(t, d, n, false)
	return true
}

// backward undoes a draft whose tidying has not begun.
func (w *world) backward(t require.TestingT, d *Draft, n Names, undone map[int]bool, stop int) bool {
	all := groups(slices.Collect(d.Motions.All()))
	slices.Reverse(all)
	for _, group := range all {
		for _, m := range group {
			if undone[m.ID] || !w.intended[m.ID] {
				continue
			}
			for _, a := range w.back(d, m, n) {
				if stop == 0 {
					return false
				}
				stop--
				require.NoError(t, w.act(a, m))
			}
		}
		for _, m := range group {
			undone[m.ID] = true
		}
	}
	w.workFolders(t, d, n, false)
	return true
}

// back is what takes one motion back, as the engine plans it.
func (w *world) back(d *Draft, m Motion, n Names) []Act {
	v := Decide(m, w.being(n.Temp(m)), w.being(m.Path))
	if m.Whole() {
		return WholeBack(d, m, n, w.under(n.Temp(m)), w.under(m.Path))
	}
	if a, ok := Backward(m, n, v); ok {
		return []Act{a}
	}
	return nil
}

func groups(motions []Motion) (out [][]Motion) {
	for i, m := range motions {
		if i == 0 || motions[i-1].Group != m.Group {
			out = append(out, nil)
		}
		out[len(out)-1] = append(out[len(out)-1], m)
	}
	return out
}

// record writes a finished draft into the ledger.
func (w *world) record(d *Draft) {
	for _, c := range d.Changes {
		w.events = append(w.events, Event{Seq: int64(len(w.events) + 1), Deployment: fmt.Sprintf("model#%d", w.number), Change: c})
		if c.After.Being == tree.Folder || (c.After.Being == tree.Content && len(c.ClaimsAfter) > 0) {
			w.ledger[c.Path] = Row{State: c.After, Claims: c.ClaimsAfter}
		} else {
			delete(w.ledger, c.Path)
		}
	}
}

func (w *world) run(t require.TestingT, req *Request) *Draft {
	w.number++
	clear(w.intended)
	d := Make(req, w.observe())
	require.True(t, w.forward(t, d, Names{Number: w.number, Beside: d.Beside}, map[int]bool{}, -1))
	w.record(d)
	return d
}

func (w *world) rollback(t require.TestingT, number int) *Draft {
	name := fmt.Sprintf("model#%d", number)
	req := w.request()
	req.Back = Inverse(w.events, func(e Event) bool { return e.Deployment == name })
	return w.run(t, req)
}

var somePaths = []tree.Path{"a", "b", "f/a", "f/b", "f/g/a", "f/g/h/c", "k/a", ".k/a"}

func someFiles(t *rapid.T, label string) map[tree.Path]string {
	files := map[tree.Path]string{}
	if rapid.Bool().Draw(t, label+"has none") { // so that folders come and go
		return files
	}
	for _, p := range somePaths {
		if n := rapid.IntRange(0, 4).Draw(t, label+string(p)); n > 1 {
			files[p] = fmt.Sprint(n)
		}
	}
	return files
}

// someWorld has an add-on that is deployed, files that nobody knows, and what
// the server wrote since.
func someWorld(t *rapid.T) *world {
	w := newWorld()
	w.beside = rapid.Bool().Draw(t, "beside")
	unknown := someFiles(t, "unknown ")
	for _, p := range slices.Sorted(maps.Keys(unknown)) {
		w.write(p, "mine "+unknown[p])
	}
	req := w.request()
	req.Wanted = []Wanted{withFolders(t, "one ", w.wanted("lamps", "1", someFiles(t, "one ")))}
	w.run(t, req)
	since := someFiles(t, "server ")
	for _, p := range slices.Sorted(maps.Keys(since)) {
		text := since[p]
		if rapid.Bool().Draw(t, "beside "+string(p)) {
			w.write(p+".log", text)
		} else {
			w.write(p, "changed "+text)
		}
	}
	return w
}

func someRequest(t *rapid.T, w *world) *Request {
	req := w.request()
	switch rapid.IntRange(0, 2).Draw(t, "what") {
	case 0:
		req.Wanted = []Wanted{withFolders(t, "two ", w.wanted("lamps", "2", someFiles(t, "two ")))}
	case 1:
		req.Remove = []Removal{{Addon: "lamps", Name: "lamps"}}
	default:
		req.Wanted = []Wanted{withFolders(t, "signs ", w.wanted("signs", "1", map[tree.Path]string{"f/new/sign": "s", "k/sign": "s"})), withFolders(t, "two ", w.wanted("lamps", "2", someFiles(t, "two ")))}
	}
	return req
}

func TestRunThenRollbackGivesTheNamedPathsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := someWorld(t)
		before := maps.Clone(w.files)
		d := w.run(t, someRequest(t, w))
		if len(finding.Open(d.Findings, nil)) > 0 && slices.ContainsFunc(d.Findings, func(f finding.Finding) bool { return f.Final }) {
			return // such a draft never runs
		}
		for _, c := range d.Changes {
			require.True(t, c.After.Same(stateAt(w, c.Path)), "%s shall be %s and is %s", c.Path, c.After, stateAt(w, c.Path))
			require.True(t, c.Before.Being == tree.Absent || c.Before.Being == tree.Folder || c.Before.Same(c.After) || w.held[c.Before.Digest], "the old bytes of %s are kept", c.Path)
		}
		w.rollback(t, w.number)
		require.Equal(t, before, w.files)
	})
}

func stateAt(w *world, p tree.Path) tree.State { return w.observe().At(p).State }

func TestStoppedAnywhereItGoesOnOrGoesBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := someWorld(t)
		d := Make(someRequest(t, w), w.observe())
		clear(w.intended)
		n := Names{Number: 2, Beside: d.Beside}
		old := maps.Clone(w.files)
		done := map[int]bool{}
		acts := rapid.IntRange(0, d.Motions.Len()).Draw(t, "acts before the stop")
		finished := w.forward(t, d, n, done, acts)
		if finished || rapid.Bool().Draw(t, "resume") {
			require.True(t, w.forward(t, d, n, done, -1))
			for _, c := range d.Changes {
				require.True(t, c.After.Same(stateAt(w, c.Path)), "%s", c.Path)
			}
		} else {
			if d.Motions.Contains(func(m Motion) bool { return m.Kind == TidyMotion && w.intended[m.ID] }) {
				return // recorded: this one is rolled back, not undone
			}
			// What the server makes in a new folder in the meantime stays, and
			// nothing else does.
			if folder := tree.Path("f/g"); w.being(folder) == tree.Folder && rapid.Bool().Draw(t, "server writes before the undo") {
				w.write(folder.Join("made"), "by the server")
				for _, p := range []tree.Path{"f", folder, folder.Join("made")} {
					old[p] = w.files[p]
				}
			}
			undone := map[int]bool{}
			again := rapid.IntRange(0, d.Motions.Len()).Draw(t, "acts before the undo stops")
			w.backward(t, d, n, undone, again)
			require.True(t, w.backward(t, d, n, undone, -1))
			require.Equal(t, old, w.files, "exactly the old tree")
		}
		for p := range w.files {
			require.NotContains(t, string(p), string(Work), "left over")
		}
	})
}

func TestNoMotionLeavesTheRootOrTouchesWhatIsNotNamed(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := someWorld(t)
		req := someRequest(t, w)
		d := Make(req, w.observe())
		named := map[tree.Path]bool{}
		for _, c := range d.Changes {
			named[c.Path] = true
		}
		for m := range d.Motions.All() {
			require.True(t, named[m.Path], "%s %s is in the changes", m.Kind, m.Path)
			n := Names{Number: 3, Beside: d.Beside}
			for _, p := range []tree.Path{Forward(m, n).From, Forward(m, n).To} {
				if p == tree.Root {
					continue
				}
				_, err := tree.ParsePath(string(p))
				require.NoError(t, err)
				require.True(t, p == m.Path || p.Within(n.Folder()) || d.Beside && strings.HasPrefix(p.Base(), ".restless-crate-3-"), "%s", p)
			}
		}
		require.Equal(t, d.Digest(), Make(req, w.observe()).Digest())
		require.Equal(t, wholeDigest(t, d), d.Digest())
	})
}
