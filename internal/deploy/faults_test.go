package deploy_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/testbed"
)

// bench is a host folder, a stockroom and records, filled so that one draft
// holds every kind of motion.
type bench struct {
	t       *testing.T
	root    string
	host    remote.Host
	db      *records.DB
	room    *stockroom.Room
	dep     model.Deployment
	old     map[string]testbed.Thing
	want    map[string]string
	folders bool
	engine  *engine // the game, which runs when the draft is made
	legs    bool    // a text is there only once the game has run
	renew   bool    // the data folder is set aside for good
	back    bool    // an earlier copy of the data folder is put back
	copies  bool    // the host copies folders itself
	starts  bool    // it is installed by two starts, with programs of their own
	req     *draft.Request
}

// fast is a folder in memory where there is one: these tests sync a lot.
func fast(t *testing.T) string {
	dir, err := os.MkdirTemp("/dev/shm", "restless-")
	if err != nil {
		return t.TempDir()
	}
	t.Cleanup(func() { require.NoError(t, os.RemoveAll(dir)) })
	return dir
}

func newBench(t *testing.T) *bench { return newBenchOn(t, true) }

// newBenchOn is for a host that does or does not rename whole folders.
func newBenchOn(t *testing.T, folders bool) *bench { return newBenchAt(t, folders, nil) }

// newBenchInLegs is for a deployment in two legs.
func newBenchInLegs(t *testing.T) *bench {
	b := newBenchOn(t, true)
	b.legs = true
	own := filepath.Join(b.root, "own.conf")
	reshapes := b.engine.first
	b.engine.first = func() {
		reshapes()
		if _, err := os.Stat(own); err != nil {
			testbed.Write(t, own, "call itself\n")
		}
	}
	b.want["own.conf"] = "call itself\ncall lamps\n"
	b.draft()
	return b
}

// newBenchOfStarts is for a loader that is installed by two starts, the first of
// which ends by itself.
func newBenchOfStarts(t *testing.T) *bench {
	b := newBenchOn(t, true)
	b.starts = true
	b.engine.ends = map[string]func(){"setup": func() { testbed.Write(t, filepath.Join(b.root, "lib"), "by setup") }}
	b.want["lib"] = "by setup"
	b.draft()
	return b
}

// newBenchOfCopies is for a host that copies folders itself.
func newBenchOfCopies(t *testing.T) *bench {
	b := newBenchOn(t, true)
	b.copies = true
	b.draft()
	return b
}

// newBenchOfCopiesBack is for a deployment that puts a copy back that such a host has
// made.
func newBenchOfCopiesBack(t *testing.T) *bench {
	b := newBenchOn(t, true)
	b.copies, b.back = true, true
	b.engine.first = func() {}
	for path, text := range map[string]string{"port": "hilly", "under/wreck": "sunk", "empty": ""} {
		b.want["data/"+path] = text
		testbed.Write(t, filepath.Join(b.root, string(draft.Copies), "0-9", path), text)
	}
	delete(b.want, "data/deep/new")
	delete(b.want, "data/deep/ship")
	b.draft()
	return b
}

// newBenchAt is for a host that open reaches the root through; nil is the
// local folder itself.
func newBenchAt(t *testing.T, folders bool, open func(root string) remote.Host) *bench {
	b := filled(t, map[string]string{"d/changed": "one", "d/unknown": "by hand", "gone/deep/old": "old", "gone/two": "two old", "d/same": "same", "own.log": "theirs", "d/order": "call a\r\n# end\r\n",
		"data/port": "flat", "data/deep/ship": "afloat"})
	b.folders = folders
	if open != nil {
		b.host = open(b.root)
	}
	b.want = map[string]string{"d/changed": "two", "d/unknown": "ours", "d/same": "same", "new/deep/file": "new", "new/other": "other", "own.log": "theirs",
		"d/order": "call a\r\ncall lamps\r\n# end\r\n", "made.order": "call lamps\n",
		"data/port": "reshaped", "data/deep/new": "by lamps"}
	// What is new reshapes the data at its start, for good.
	b.engine.first = func() {
		if raw, err := os.ReadFile(filepath.Join(b.root, "d/changed")); err != nil || string(raw) != "two" {
			return
		}
		testbed.Write(t, filepath.Join(b.root, "data/port"), "reshaped")
		testbed.Write(t, filepath.Join(b.root, "data/deep/new"), "by lamps")
		_ = os.Remove(filepath.Join(b.root, "data/deep/ship")) // it may be gone already
	}
	for _, text := range []string{"one", "two", "ours", "same", "new", "other", "old"} {
		b.hold(text)
	}
	b.draft()
	return b
}

// newBenchGoingBack is for a deployment that puts an earlier copy of the data
// folder back, and is stopped while it starts the server.
func newBenchGoingBack(t *testing.T) *bench {
	b := newBenchOn(t, true)
	b.back = true
	b.engine.first = func() {}
	for _, text := range []string{"hilly", "sunk", ""} {
		b.hold(text)
	}
	for path, text := range map[string]string{"data/port": "hilly", "data/under/wreck": "sunk", "data/empty": ""} {
		b.want[path] = text
	}
	delete(b.want, "data/deep/new")
	b.draft()
	return b
}

// newBenchRenewing is for a deployment with which the server makes its data anew.
func newBenchRenewing(t *testing.T) *bench {
	b := newBenchOn(t, true)
	b.renew = true
	b.engine.first = func() {
		if _, err := os.Stat(filepath.Join(b.root, "data")); err != nil {
			testbed.Write(t, filepath.Join(b.root, "data/port"), "fresh")
		}
	}
	before := fmt.Sprintf("data.before-%d/", b.dep.Number+1)
	delete(b.want, "data/deep/new")
	b.want["data/port"], b.want[before+"port"], b.want[before+"deep/ship"] = "fresh", "flat", "afloat"
	b.draft()
	return b
}

// filled is a bench whose host holds some files.
func filled(t *testing.T, files map[string]string) *bench {
	dir := fast(t)
	b := &bench{t: t, root: filepath.Join(dir, "srv"), engine: &engine{state: draft.IsRunning}}
	require.NoError(t, os.Mkdir(b.root, 0o755))
	for path, text := range files {
		testbed.Write(t, filepath.Join(b.root, path), text)
	}
	b.old = testbed.Snapshot(t, b.root)
	var err error
	b.host, err = remote.OpenLocal(b.root)
	require.NoError(t, err)
	b.db, err = records.Open(t.Context(), filepath.Join(dir, "records.db"), time.Now)
	require.NoError(t, err)
	b.room, err = stockroom.Open(filepath.Join(dir, "stockroom"), b.db)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, errors.Join(b.host.Close(), b.db.Close())) })
	return b
}

// hold puts a text into the stockroom, as staging does.
func (b *bench) hold(text string) {
	in, err := b.room.Receive(b.t.Context(), strings.NewReader(text))
	require.NoError(b.t, err)
	container, err := in.Commit()
	require.NoError(b.t, err)
	span := stockroom.Span{Length: in.Size, Size: in.Size, Method: stockroom.Stored}
	_, err = b.db.AddArchive(b.t.Context(), model.Archive{Digest: in.Digest, Size: in.Size, Filename: text, Container: container}, nil, map[string][]stockroom.Held{container: {{Digest: in.Digest, Span: span}}})
	require.NoError(b.t, err)
}

func (b *bench) draft() {
	t := b.t
	claim := []draft.Claim{{Addon: "lamps", Label: "lamps@1", Role: draft.Owns}}
	row := func(text string) draft.Row {
		return draft.Row{State: tree.State{Being: tree.Content, Digest: tree.Sum([]byte(text)), Size: int64(len(text)), Mode: 0o644}, Claims: claim}
	}
	folder := draft.Row{State: tree.State{Being: tree.Folder, Mode: 0o755}}
	target := func(p tree.Path, text string) draft.Target {
		return draft.Target{Path: p, Digest: tree.Sum([]byte(text)), Size: int64(len(text))}
	}
	wish := func(p tree.Path) draft.Wish {
		return draft.Wish{Path: p, Listing: draft.Listing{Addon: "lamps", Label: "lamps@2", Name: "order", List: settings.List{Form: "line", Entry: "call {key}"}, Key: "lamps"}}
	}
	req := &draft.Request{Host: draft.Host{Tested: true, Modes: true, RenameFromWork: true, RenameFolders: b.folders, Free: -1},
		Power:  &draft.Power{Condition: draft.IsRunning, Stop: "command", Start: "command"},
		Data:   []draft.DataFolder{{Path: "data", Why: "lamps may change it"}},
		Ledger: map[tree.Path]draft.Row{"d/changed": row("one"), "gone/deep/old": row("old"), "gone/two": row("two old"), "d/same": row("same"), "gone": folder, "gone/deep": folder},
		Held:   func(d tree.Digest) bool { _, err := b.db.Locate(t.Context(), d); return err == nil },
		Wanted: []draft.Wanted{{Addon: "lamps", Name: "lamps", Version: "2", Files: []draft.Target{
			target("d/changed", "two"), target("d/unknown", "ours"), target("d/same", "same"), target("new/deep/file", "new"), target("new/other", "other")},
			Listings: []draft.Wish{wish("d/order"), wish("made.order")}}}}
	if b.legs {
		req.FirstRun = []string{"own.conf"}
		req.Wanted[0].Listings = append(req.Wanted[0].Listings, wish("own.conf"))
	}
	if b.renew {
		req.Data, req.Renew = nil, []draft.DataFolder{{Path: "data", Why: "a new port"}}
	}
	if b.back {
		file := func(text string) tree.State {
			return tree.State{Being: tree.Content, Digest: tree.Sum([]byte(text)), Size: int64(len(text))}
		}
		req.Returns = []draft.DataReturn{{Folder: "data", Files: map[tree.Path]tree.State{"port": file("hilly"), "under": {Being: tree.Folder}, "under/wreck": file("sunk"), "empty": file("")}}}
	}
	if b.copies {
		req.Host.Copies = true
		for i := range req.Returns {
			req.Returns[i].Copy = draft.Copies.Join("0-9")
		}
	}
	if b.starts {
		req.Power.Takes = []string{draft.Program}
		req.Launches = []draft.Launch{{Program: "setup", Ends: true, Label: "lamps@2"}, {Program: "keel", Label: "lamps@2"}}
		req.Sets = []draft.Set{{Variable: draft.Program, Before: "quay", After: "keel", Addon: "lamps", Why: "it is started by it"},
			{Variable: "port", Before: "north", After: "south", Hand: "Name the port."}}
	}
	if b.legs {
		req.Hands = []draft.Hand{{What: "Open the gate.", Text: "7000"}}
	}
	b.req = req
	obs := draft.Observations{Paths: map[tree.Path]draft.Seen{}, Texts: map[tree.Path][]byte{"d/order": []byte(b.old["d/order"].Text)}}
	for p, th := range b.old {
		s := draft.Seen{State: tree.State{Being: tree.Folder, Mode: uint32(th.Mode.Perm())}}
		if th.Mode.IsRegular() {
			s.State = tree.State{Being: tree.Content, Digest: tree.Sum([]byte(th.Text)), Size: int64(len(th.Text)), Mode: uint32(th.Mode.Perm())}
			i, err := b.host.Stat(t.Context(), tree.Path(p))
			require.NoError(t, err)
			s.Modified = i.Modified
		}
		obs.Paths[tree.Path(p)] = s
	}
	b.make(req, obs)
}

// make drafts and records.
func (b *bench) make(req *draft.Request, obs draft.Observations) {
	made := draft.Make(req, obs)
	s, err := b.db.Server(b.t.Context(), "a")
	if err != nil {
		s, err = b.db.AddServer(b.t.Context(), model.Server{Name: "a", Rulebook: "r"})
	}
	require.NoError(b.t, err)
	b.dep, err = b.db.AddDeployment(b.t.Context(), model.Deployment{ServerID: s.ID, Kind: "deploy", Ask: []byte("{}"), Digest: made.Digest(), Draft: *made})
	require.NoError(b.t, err)
}

var errFault = errors.New("injected")

// run gives a run that breaks at one point of one motion; motion 0 is never.
func (b *bench) run(motion int, at deploy.Point) *deploy.Run {
	names := draft.Names{Number: b.dep.Number}
	h := &halfway{Host: b.host, root: b.root, copies: b.copies}
	return &deploy.Run{ID: b.dep.ID, Names: names, Draft: &b.dep.Draft, Host: h, Room: b.room, Journal: b.db, Power: b.engine, Data: true,
		Fault: func(p deploy.Point, m draft.Motion) error {
			switch {
			case m.ID != motion:
			case p == at:
				return errFault
			case p == deploy.AfterIntent && at == midEffect && m.OfServer():
				b.engine.mute = true
			case p == deploy.AfterIntent && at == midEffect && m.OnHost:
				h.arm(names.Copy(m), m.Path)
			case p == deploy.AfterIntent && at == midEffect && m.Kind == draft.RestoreMotion && h.copies:
				h.arm(m.Path)
			case p == deploy.AfterIntent && at == midEffect && (m.KeepsFolder() || m.Kind == draft.RestoreMotion):
				h.arm(m.Path.Join("port"))
			case p == deploy.AfterIntent && at == midEffect:
				h.arm(m.Path, names.Temp(m))
			}
			return nil
		}}
}

// midEffect is where the host has begun or done what it was asked, and says
// nothing: half a file is sent or read, or a rename's answer is lost.
const midEffect deploy.Point = "mid-effect"

// halfway is a host that breaks off once in what it does to one of two names.
type halfway struct {
	remote.Host
	root   string
	copies bool
	mu     sync.Mutex
	armed  map[tree.Path]bool
}

// CopyFolder implements [remote.Copier] as a host's shell does. Half a copy that was
// broken off stands beside.
func (h *halfway) CopyFolder(_ context.Context, from, to tree.Path) error {
	at := func(p tree.Path) string { return filepath.Join(h.root, filepath.FromSlash(string(p))) }
	if _, err := os.Lstat(at(to)); err == nil {
		return fs.ErrExist
	}
	part := at(to) + ".part-" + fmt.Sprint(time.Now().UnixNano())
	if err := os.CopyFS(part, os.DirFS(at(from))); err != nil {
		return err
	}
	if h.breaks(to) {
		return errFault
	}
	return os.Rename(part, at(to))
}

// RemoveTree implements [remote.Copier].
func (h *halfway) RemoveTree(_ context.Context, p tree.Path) error {
	return os.RemoveAll(filepath.Join(h.root, filepath.FromSlash(string(p))))
}

func (h *halfway) arm(names ...tree.Path) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.armed = map[tree.Path]bool{}
	for _, n := range names {
		h.armed[n] = n != tree.Root
	}
}

// breaks tells whether a call that concerns these names breaks off.
func (h *halfway) breaks(names ...tree.Path) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, n := range names {
		if h.armed[n] {
			h.armed = nil
			return true
		}
	}
	return false
}

// silent is for a call that was done and whose answer is lost.
func (h *halfway) silent(err error, names ...tree.Path) error {
	if h.breaks(names...) {
		return errors.Join(err, errFault)
	}
	return err
}

func (h *halfway) Rename(ctx context.Context, from, to tree.Path) error {
	return h.silent(h.Host.Rename(ctx, from, to), from, to)
}

func (h *halfway) MakeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	return h.silent(h.Host.MakeFolder(ctx, p, mode), p)
}

func (h *halfway) RemoveFile(ctx context.Context, p tree.Path) error {
	return h.silent(h.Host.RemoveFile(ctx, p), p)
}

func (h *halfway) RemoveFolder(ctx context.Context, p tree.Path) error {
	return h.silent(h.Host.RemoveFolder(ctx, p), p)
}

func (h *halfway) Create(ctx context.Context, p tree.Path, mode uint32) (io.WriteCloser, error) {
	w, err := h.Host.Create(ctx, p, mode)
	if err != nil || !h.breaks(p) {
		return w, err
	}
	_, err = w.Write([]byte("h")) // as much as arrived
	return nil, errors.Join(err, w.Close(), errFault)
}

func (h *halfway) Open(ctx context.Context, p tree.Path) (io.ReadCloser, error) {
	f, err := h.Host.Open(ctx, p)
	if err != nil || !h.breaks(p) {
		return f, err
	}
	return struct {
		io.Reader
		io.Closer
	}{io.MultiReader(io.LimitReader(f, 1), iotest.ErrReader(errFault)), f}, nil
}

func (b *bench) whole(r *deploy.Run) error {
	if err := b.swapped(r); err != nil {
		return err
	}
	return r.Tidy(b.t.Context())
}

// swapped goes as far as a deployment is recorded.
func (b *bench) swapped(r *deploy.Run) error {
	for {
		err := b.asFar(r)
		var w *deploy.Waiting
		if !errors.As(err, &w) {
			return err
		}
		// A person does it and says so.
		require.NoError(b.t, b.db.Conclude(b.t.Context(), b.dep.ID, []deploy.Outcome{{Motion: w.Motion, Result: deploy.Result{Words: "ticked"}}}))
	}
}

// asFar goes as far as nobody has to be waited for.
func (b *bench) asFar(r *deploy.Run) error {
	ctx := b.t.Context()
	if err := r.Forward(ctx, draft.Prepare, draft.Swap); err != nil {
		return err
	}
	for leg := 1; leg <= max(1, b.dep.Draft.Legs); leg++ {
		if _, _, err := r.Look(ctx, leg, 0); err != nil {
			return err
		}
	}
	if err := r.Forward(ctx, draft.Proof); err != nil || !b.dep.Draft.More() {
		return err
	}
	b.nextLeg(r)
	if err := r.Forward(ctx, draft.Swap); err != nil {
		return err
	}
	if _, _, err := r.Look(ctx, 2, 0); err != nil {
		return err
	}
	return r.Forward(ctx, draft.Proof)
}

// nextLeg drafts the second leg and writes it down, as the service does.
func (b *bench) nextLeg(r *deploy.Run) {
	if b.starts {
		req := *b.req
		power := *b.req.Power
		power.Condition = b.engine.state
		req.Power = &power
		b.extend(r, &req, draft.Observations{})
		return
	}
	text, err := os.ReadFile(filepath.Join(b.root, "own.conf"))
	require.NoError(b.t, err)
	i, err := b.host.Stat(b.t.Context(), "own.conf")
	require.NoError(b.t, err)
	obs := draft.Observations{Paths: map[tree.Path]draft.Seen{"own.conf": {State: tree.State{Being: tree.Content, Digest: tree.Sum(text), Size: i.Size, Mode: i.Mode}, Modified: i.Modified}},
		Texts: map[tree.Path][]byte{"own.conf": text}}
	b.extend(r, b.req, obs)
}

func (b *bench) extend(r *deploy.Run, req *draft.Request, obs draft.Observations) {
	next, found := draft.MakeNext(&b.dep.Draft, req, obs)
	require.Empty(b.t, found)
	b.dep.Draft = *next
	require.NoError(b.t, b.db.SaveDraft(b.t.Context(), b.dep))
	r.Extend(&b.dep.Draft)
}

func (b *bench) isNew() {
	now := testbed.Files(testbed.Snapshot(b.t, b.root))
	b.forget(now)
	for p := range now { // what the game made before an undo that was given up stays
		if strings.HasPrefix(p, "data.made-") {
			delete(now, p)
		}
	}
	require.Equal(b.t, b.want, now)
	require.Equal(b.t, draft.IsRunning, b.engine.state)
	if b.starts {
		require.Equal(b.t, "keel", b.engine.with)
	}
	require.NoDirExists(b.t, filepath.Join(b.root, "gone"))
	if !b.copies {
		require.NoDirExists(b.t, filepath.Join(b.root, string(draft.Work)))
	}
	for _, old := range []string{"one", "by hand", "old", "two old", b.old["d/order"].Text} {
		rc, err := b.room.Open(b.t.Context(), tree.Sum([]byte(old)))
		require.NoError(b.t, err, "the bytes of %q are kept", old)
		require.NoError(b.t, rc.Close())
	}
}

// forget leaves the copies out that a host keeps, which are all that its work folder
// may hold in the end.
func (b *bench) forget(files map[string]string) {
	for p := range files {
		if strings.HasPrefix(p, string(draft.Copies)+"/") && b.copies {
			delete(files, p)
		}
	}
}

func (b *bench) isOld() {
	now := testbed.Snapshot(b.t, b.root)
	for p := range now {
		if b.copies && (strings.HasPrefix(p, string(draft.Copies)) || p == string(draft.Work)) {
			delete(now, p)
		}
	}
	if own, made := now["own.conf"]; b.legs && made { // what the game made itself is left alone
		require.Equal(b.t, "call itself\n", own.Text)
		delete(now, "own.conf")
	}
	if b.starts { // what the first program made is left alone
		delete(now, "lib")
		require.Empty(b.t, b.engine.with, "it runs by its own program")
	}
	for p := range now { // what the game made anew meanwhile stays beside it
		if strings.HasPrefix(p, "data.made-") {
			delete(now, p)
		}
	}
	require.Equal(b.t, b.old, now)
	require.Equal(b.t, draft.IsRunning, b.engine.state, "it ran before")
}

// Stopped at every point of every motion, a run reaches exactly new by going
// on and exactly old by going back, also when the undo is stopped as well, and
// new again when that undo is given up. Hosts that rename whole folders and
// hosts that do not are both gone through.
func TestEveryPointOfEveryMotion(t *testing.T) {
	kinds := map[string]int{}
	found, tried := 0, 0
	for way, fresh := range map[string]func(t *testing.T) *bench{
		"whole folders": func(t *testing.T) *bench { return newBenchOn(t, true) },
		"file by file":  func(t *testing.T) *bench { return newBenchOn(t, false) },
		"two legs":      newBenchInLegs,
		"two starts":    newBenchOfStarts,
		"copies":        newBenchOfCopies,
		"copies back":   newBenchOfCopiesBack,
		"data back":     newBenchGoingBack,
		"data anew":     newBenchRenewing,
	} {
		probe := fresh(t)
		require.NoError(t, probe.whole(probe.run(0, ""))) // a later leg is drafted on the way
		for _, m := range probe.dep.Draft.Motions {
			kinds[kindOf(m)]++
			if way == "two legs" && m.Leg == 1 && !m.OfServer() && m.Kind != draft.EditMotion {
				continue // as in one leg
			}
			if strings.HasPrefix(way, "copies") && !m.OnHost && m.Kind != draft.RestoreMotion && m.Do != draft.StartServer {
				continue // as in the others
			}
			if way == "two starts" && !m.OfServer() {
				continue // as in one leg
			}
			if way == "data anew" && m.Kind != draft.RenewMotion && m.Do != draft.StartServer {
				continue
			}
			if way == "data back" && !m.KeepsFolder() && m.Kind != draft.RestoreMotion && m.Do != draft.StartServer {
				continue // as in the others
			}
			for _, at := range []deploy.Point{deploy.AfterIntent, midEffect, deploy.AfterEffect, deploy.AfterResult} {
				if m.Kind == draft.WaitMotion && at == midEffect || m.Do == draft.UntilTicked && at != deploy.AfterIntent {
					continue // a wait has no effect to be in the middle of, and a tick is a person's
				}
				found++
				t.Run(fmt.Sprintf("%s, %d %s %s", way, m.ID, kindOf(m), at), func(t *testing.T) {
					t.Parallel()
					stopped := func() *bench {
						b := fresh(t)
						require.ErrorIs(t, b.whole(b.run(m.ID, at)), errFault)
						return b
					}
					b := stopped()
					require.NoError(t, b.whole(b.run(0, at)))
					b.isNew()
					if m.Kind == draft.TidyMotion {
						return // recorded by then: rolled back, not undone
					}
					b = stopped()
					require.NoError(t, b.run(0, at).Backward(t.Context()))
					b.isOld()
					for _, back := range []int{m.ID, max(1, m.ID-2)} {
						b = stopped()
						_ = b.run(back, at).Backward(t.Context())
						require.NoError(t, b.run(0, at).Backward(t.Context()))
						b.isOld()
						b = stopped()
						_ = b.run(back, at).Backward(t.Context())
						require.NoError(t, b.whole(b.run(0, at)))
						b.isNew()
					}
				})
				tried++
			}
		}
	}
	t.Logf("kinds of motion: %v", kinds)
	t.Logf("positions found %d, tried %d", found, tried)
	require.Equal(t, found, tried)
	require.Len(t, kinds, 21, "every kind of motion there is")
}

func kindOf(m draft.Motion) string {
	switch {
	case m.OfServer():
		return string(m.Kind) + ", " + string(m.Do)
	case m.OnHost:
		return string(m.Kind) + ", on the host"
	case m.Kind == draft.RestoreMotion:
		return string(m.Kind)
	case m.Whole():
		return string(m.Kind) + ", whole folder"
	case m.Before.Being == tree.Folder || m.After.Being == tree.Folder:
		return string(m.Kind) + ", folder"
	}
	return string(m.Kind)
}

// What a server makes in a folder that goes, or in one that has just come,
// stays where it made it, however often going back is broken off.
func TestWhatAServerMakesInAFolderOfOursStays(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "gone/deep/made"), "by the server")
	testbed.Write(t, filepath.Join(b.root, "gone/two"), "written last")
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Swap))
	_, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NoError(t, r.Tidy(t.Context()))
	now := testbed.Files(testbed.Snapshot(t, b.root))
	require.Equal(t, "by the server", now["gone/deep/made"])
	require.NotContains(t, now, "gone/two")
	require.Contains(t, strings.Join(r.Notes(), "\n"), "something that is not of this deployment was in gone; it is where it was")
	for _, c := range changes {
		if c.Path == "gone/two" {
			require.Equal(t, tree.Sum([]byte("written last")), c.Before.Digest, "its last bytes are kept, and the ledger knows them")
			rc, err := b.room.Open(t.Context(), c.Before.Digest)
			require.NoError(t, err)
			require.NoError(t, rc.Close())
		}
	}
	for _, made := range []bool{true, false} {
		goBackBrokenOffAnywhere(t, made)
	}
}

// goBackBrokenOffAnywhere breaks an undo off at each of its calls. made is for a
// server that has made something in a new folder too.
func goBackBrokenOffAnywhere(t *testing.T, made bool) {
	calls := 0
	for breakAt := 1; ; breakAt++ {
		b := newBench(t)
		require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare, draft.Swap))
		testbed.Write(t, filepath.Join(b.root, "d/changed"), "in a file since")
		if made {
			testbed.Write(t, filepath.Join(b.root, "new/deep/made"), "by the server")
		}
		testbed.Write(t, filepath.Join(b.root, "new/other"), "since the swap")
		h := &nth{Host: b.host, left: breakAt}
		r := b.run(0, "")
		r.Host = h
		broke := r.Backward(t.Context())
		if broke != nil {
			require.ErrorIs(t, broke, errFault)
			calls++
			require.NoError(t, b.run(0, "").Backward(t.Context()), "broken off at call %d", breakAt)
		}
		now := testbed.Snapshot(t, b.root)
		if made {
			require.Equal(t, "by the server", now["new/deep/made"].Text)
			for _, p := range []string{"new", "new/deep", "new/deep/made"} {
				delete(now, p)
			}
		}
		require.Equal(t, b.old, now, "broken off at call %d", breakAt)
		for _, text := range []string{"since the swap", "in a file since"} {
			rc, err := b.room.Open(t.Context(), tree.Sum([]byte(text)))
			require.NoError(t, err, "%q, which the server wrote into ours, is kept; broken off at call %d", text, breakAt)
			require.NoError(t, rc.Close())
		}
		if broke == nil {
			break
		}
	}
	t.Logf("broken off at each of %d calls", calls)
	require.Greater(t, calls, 10)
}

// nth is a host that does so many changes, and of the last gives no answer.
type nth struct {
	remote.Host
	mu   sync.Mutex
	left int
}

func (h *nth) last(err error) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.left--; h.left <= 0 {
		return errors.Join(err, errFault)
	}
	return err
}

func (h *nth) Rename(ctx context.Context, from, to tree.Path) error {
	return h.last(h.Host.Rename(ctx, from, to))
}

func (h *nth) MakeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	return h.last(h.Host.MakeFolder(ctx, p, mode))
}

func (h *nth) RemoveFile(ctx context.Context, p tree.Path) error {
	return h.last(h.Host.RemoveFile(ctx, p))
}

func (h *nth) RemoveFolder(ctx context.Context, p tree.Path) error {
	return h.last(h.Host.RemoveFolder(ctx, p))
}

// What a running server writes between the look and the swap is not lost.
func TestTheLastBytesOfAReplacedFileAreKept(t *testing.T) {
	b := newBench(t)
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "written at the last moment")
	require.NoError(t, r.Forward(t.Context(), draft.Swap, draft.Proof))
	_, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NoError(t, r.Tidy(t.Context()))
	b.want["d/changed"] = "two"
	b.isNew()
	for _, c := range changes {
		if c.Path == "d/changed" {
			require.Equal(t, tree.Sum([]byte("written at the last moment")), c.Before.Digest, "the ledger knows what really stood there")
			rc, err := b.room.Open(t.Context(), c.Before.Digest)
			require.NoError(t, err)
			require.NoError(t, rc.Close())
		}
	}
	require.Contains(t, strings.Join(r.Notes(), "\n"), "d/changed was written to after it was looked at; its last bytes are kept")
}

// What a server writes into a new file before an undo is kept as well.
func TestUndoKeepsWhatWasWrittenSince(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare, draft.Swap))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "since the swap")
	testbed.Write(t, filepath.Join(b.root, "new/deep/made-by-server"), "x")
	r := b.run(0, "")
	require.NoError(t, r.Backward(t.Context()))
	now := testbed.Snapshot(t, b.root)
	require.Equal(t, "x", now["new/deep/made-by-server"].Text)
	for _, p := range []string{"new", "new/deep", "new/deep/made-by-server"} {
		delete(now, p)
	}
	require.Equal(t, b.old, now)
	rc, err := b.room.Open(t.Context(), tree.Sum([]byte("since the swap")))
	require.NoError(t, err)
	require.NoError(t, rc.Close())
	require.Contains(t, strings.Join(r.Notes(), "\n"), "the folder new/deep stays")
}

// A file that appears in the way after the look is not replaced.
func TestSomethingInTheWayHaltsAndIsNotTouched(t *testing.T) {
	b := newBench(t)
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "new/deep/file"), "somebody was faster")
	err := r.Forward(t.Context(), draft.Swap)
	var trouble *deploy.Trouble
	require.ErrorAs(t, err, &trouble)
	require.Equal(t, "somebody was faster", testbed.Snapshot(t, b.root)["new/deep/file"].Text)
	require.NoError(t, b.run(0, "").Backward(t.Context()))
	now := testbed.Snapshot(t, b.root)
	require.Equal(t, "somebody was faster", now["new/deep/file"].Text)
	for _, p := range []string{"new", "new/deep", "new/deep/file"} {
		delete(now, p)
	}
	require.Equal(t, b.old, now)
}

// A run that is taken up again after a lost line counts every motion once.
func TestProgressNeverPassesItsTotal(t *testing.T) {
	b := newBench(t)
	broken := true
	r := b.run(0, "")
	r.Fault = func(p deploy.Point, m draft.Motion) error {
		if broken && m.Kind == draft.InMotion && p == deploy.AfterEffect {
			broken = false
			return errFault
		}
		return nil
	}
	var last deploy.Progress
	r.Tell = func(p deploy.Progress) {
		require.LessOrEqual(t, p.Done, p.Total)
		last = p
	}
	require.ErrorIs(t, b.whole(r), errFault)
	require.NoError(t, b.whole(r))
	require.Equal(t, last.Total, last.Done)
	b.isNew()
}

// blind is a host that cannot list some folders for a while.
type blind struct {
	remote.Host
	folder string // that a path holds
}

func (h *blind) List(ctx context.Context, folder tree.Path) ([]remote.Info, error) {
	if strings.Contains(string(folder), h.folder) {
		return nil, errFault
	}
	return h.Host.List(ctx, folder)
}

// Where one of many looks fails, the others count for nothing that was not seen.
func TestALookThatFailsPassesOverNothing(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.run(0, "").Forward(t.Context(), draft.Prepare))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "written last")
	r := b.run(0, "")
	r.Host = &blind{b.host, "/out-f"}
	require.ErrorIs(t, r.Forward(t.Context(), draft.Swap), errFault)
	require.NoError(t, b.whole(b.run(0, "")))
	b.isNew()
	rc, err := b.room.Open(t.Context(), tree.Sum([]byte("written last")))
	require.NoError(t, err)
	require.NoError(t, rc.Close())
}

// What is written into a text between its edit and the swap is edited in turn, so
// that neither is lost; what no longer takes the edit leaves everything as it is.
func TestATextThatIsWrittenToWhileItIsEdited(t *testing.T) {
	b := newBench(t)
	wrote := false
	r := b.run(0, "")
	r.Fault = func(p deploy.Point, m draft.Motion) error {
		if !wrote && p == deploy.AfterIntent && m.Kind == draft.AsideMotion && m.Path == "d/order" {
			wrote = true
			testbed.Write(t, filepath.Join(b.root, "d/order"), "call a\r\ncall by-the-server\r\n# end\r\n")
		}
		return nil
	}
	require.NoError(t, r.Forward(t.Context(), draft.Prepare, draft.Swap, draft.Proof))
	_, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NoError(t, r.Tidy(t.Context()))
	b.want["d/order"] = "call a\r\ncall by-the-server\r\ncall lamps\r\n# end\r\n"
	require.Equal(t, b.want, testbed.Files(testbed.Snapshot(t, b.root)))
	require.Contains(t, strings.Join(r.Notes(), "\n"), "d/order was written to while it was being edited; the edit was done to what it holds now")
	for _, c := range changes {
		if c.Path == "d/order" {
			require.Equal(t, tree.Sum([]byte("call a\r\ncall by-the-server\r\n# end\r\n")), c.Before.Digest)
			require.Equal(t, tree.Sum([]byte(b.want["d/order"])), c.After.Digest)
			after, _, err := settings.Apply([]byte(b.want["d/order"]), c.Edits[0].Undo)
			require.NoError(t, err)
			require.Equal(t, "call a\r\ncall by-the-server\r\n# end\r\n", string(after))
		}
	}
}

func TestATextThatNoLongerTakesItsEditLeavesEverythingAsItIs(t *testing.T) {
	b := newBench(t)
	for i := range b.dep.Draft.Changes {
		for n := range b.dep.Draft.Changes[i].Edits {
			b.dep.Draft.Changes[i].Edits[n].Op.List = settings.List{Form: "joined", Entry: "{key}", Match: "(?m)^load=(.*)$", Separator: ","}
		}
	}
	r := b.run(0, "")
	err := r.Forward(t.Context(), draft.Prepare, draft.Swap)
	require.ErrorContains(t, err, "it is another text than when the draft was made, and no longer takes the change")
	require.ErrorIs(t, err, settings.ErrNoList)
	require.Equal(t, testbed.Files(b.old), withoutWork(testbed.Files(testbed.Snapshot(t, b.root))))
	require.NoError(t, b.run(0, "").Backward(t.Context()))
	b.isOld()
}

func withoutWork(files map[string]string) map[string]string {
	for p := range files {
		if strings.HasPrefix(p, string(draft.Work)+"/") {
			delete(files, p)
		}
	}
	return files
}

func snapshot(t *testing.T, b *bench) map[string]testbed.Thing {
	t.Helper()
	return testbed.Snapshot(t, b.root)
}

// An undo of the files alone leaves what the server has made of its data; what the
// data held is kept in the stockroom all the same.
func TestAnUndoOfTheFilesAloneLeavesTheData(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.swapped(b.run(0, "")))
	r := b.run(0, "")
	r.Data = false
	require.NoError(t, r.Backward(t.Context()))
	now := testbed.Files(testbed.Snapshot(t, b.root))
	require.Equal(t, "reshaped", now["data/port"])
	require.Equal(t, "one", now["d/changed"])
	for _, text := range []string{"flat", "afloat"} {
		rc, err := b.room.Open(t.Context(), tree.Sum([]byte(text)))
		require.NoError(t, err)
		require.NoError(t, rc.Close())
	}
}

// What the data holds when it is put back is kept first.
func TestWhatDataHeldBeforeItIsPutBackIsKept(t *testing.T) {
	b := newBench(t)
	require.NoError(t, b.swapped(b.run(0, "")))
	r := b.run(0, "")
	require.NoError(t, r.Backward(t.Context()))
	b.isOld()
	for _, text := range []string{"reshaped", "by lamps"} {
		rc, err := b.room.Open(t.Context(), tree.Sum([]byte(text)))
		require.NoError(t, err, text)
		require.NoError(t, rc.Close())
	}
	require.Contains(t, strings.Join(r.Notes(), "\n"), "data/port held other bytes when it was put back; they are kept")
}

// What a server does to its files once it was started is told and hinders nothing;
// before that it does.
func TestWhatIsNotAsItShouldBeAfterTheSwap(t *testing.T) {
	b := newBench(t)
	r := b.run(0, "")
	require.NoError(t, r.Forward(t.Context(), draft.Prepare, draft.Swap))
	testbed.Write(t, filepath.Join(b.root, "d/changed"), "by nobody knows whom")
	_, _, err := r.Look(t.Context(), 1, 0)
	require.ErrorContains(t, err, "d/changed is not as it should be after the swap")
	require.NoError(t, r.Forward(t.Context(), draft.Proof))
	reported, changes, err := r.Look(t.Context(), 1, 0)
	require.NoError(t, err)
	require.NotContains(t, reported, tree.Path("d/changed"), "so the next look reads it")
	require.Contains(t, strings.Join(r.Notes(), "\n"), "d/changed was changed since the server was started")
	require.Len(t, changes, len(b.dep.Draft.Changes))
}
