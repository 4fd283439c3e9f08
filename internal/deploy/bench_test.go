package deploy_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/recordstest"
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
	moving  bool    // a folder and a file get other names
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

// newBenchMoving is for a deployment that gives a folder and a file in it other names, and changes
// a text in there.
func newBenchMoving(t *testing.T) *bench {
	b := newBenchOn(t, true)
	b.moving = true
	b.engine.first = func() {}
	b.want = testbed.Files(b.old)
	for was, is := range map[string]string{"gone/deep/old": "went/deep/older", "gone/two": "went/two"} {
		b.want[is] = b.want[was]
		delete(b.want, was)
	}
	b.want["went/two"] = "three old"
	b.draft()
	return b
}

// filled is a bench whose host holds some files.
func filled(t *testing.T, files map[string]string) *bench {
	dir := fast(t)
	b := &bench{t: t, root: filepath.Join(dir, "srv"), engine: &engine{state: power.Running}}
	require.NoError(t, os.Mkdir(b.root, 0o755))
	for path, text := range files {
		testbed.Write(t, filepath.Join(b.root, path), text)
	}
	b.old = testbed.Snapshot(t, b.root)
	var err error
	b.host, err = remote.OpenLocal(b.root)
	require.NoError(t, err)
	b.db, err = recordstest.Open(t.Context(), filepath.Join(dir, "records.db"), time.Now)
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
	container, err := in.Commit(nil)
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
	req := &draft.Request{Host: draft.Host{Set: ability.Set{Modes: true, RenameFromWork: true, RenameFolders: b.folders, Free: -1}, Tested: true},
		Power:  &draft.Power{Condition: power.Running, Stop: "command", Start: "command"},
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
	if b.moving {
		req.Wanted, req.Data = nil, nil
		req.Moves = draft.Moves{{From: "gone", To: "went"}, {From: "went/deep/old", To: "went/deep/older"}}
		req.Ledger = req.Moves.Moved(req.Ledger)
		tw := tweak.Tweak{Do: tweak.Replace, Format: "lines", Text: "two", Value: "three"}
		req.Tweaks = []draft.TweakWish{{Path: "went/two", Tweaked: draft.Tweaked{ID: draft.TweakID("went/two", tw), Tweak: tw}}}
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
		obs.Paths[req.Moves.New(tree.Path(p))] = s
	}
	if b.moving {
		obs.Texts["went/two"] = []byte("two old")
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

func (b *bench) whole(r *deploy.Run) error {
	if err := b.swapped(r); err != nil {
		return err
	}
	return r.Tidy(b.t.Context())
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
	require.Equal(b.t, power.Running, b.engine.state)
	if b.starts {
		require.Equal(b.t, "keel", b.engine.with)
	}
	require.NoDirExists(b.t, filepath.Join(b.root, "gone"))
	if !b.copies {
		require.NoDirExists(b.t, filepath.Join(b.root, string(draft.Work)))
	}
	if b.moving {
		return // it replaces none of the others
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
	require.Equal(b.t, power.Running, b.engine.state, "it ran before")
}
