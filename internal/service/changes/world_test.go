package changes

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/metrics"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/stockroom"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/recordstest"
)

// world is the service with real records, a real stockroom and a real folder
// for a server; only crates and connections are made up.
type world struct {
	t *testing.T
	*Service
	db     *records.DB
	room   *stockroom.Room
	root   string
	srv    model.Server
	crates map[string]model.Crate

	mu     sync.Mutex
	now    time.Time     // what the service takes for the time; zero: the true one
	gate   chan struct{} // writing waits for it, where it is set
	deaf   error         // what the host answers to removing files, where it is set
	lines  int           // connections made
	stalls chan struct{} // listing the root tells this and answers nothing, where it is set
	closed bool          // nothing can be made at the host's root
}

const book = `format: 1
name: plain
title: Plain
places: {all: {path: .}}
kinds:
  tree:
    recognise: {folders: [d]}
    put: [{take: "**", place: all}]
`

func open(t *testing.T) *world {
	dir := t.TempDir()
	w := &world{t: t, root: filepath.Join(dir, "srv"), crates: map[string]model.Crate{}}
	require.NoError(t, os.Mkdir(w.root, 0o755))
	var err error
	w.db, err = recordstest.Open(t.Context(), filepath.Join(dir, "records.db"), w.clock)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, w.db.Close()) })
	w.room, err = stockroom.Open(filepath.Join(dir, "stockroom"), w.db)
	require.NoError(t, err)
	w.srv, err = w.db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "plain", Transport: model.Transport{Kind: "folder", Root: w.root}})
	require.NoError(t, err)
	h, err := remote.OpenLocal(w.root)
	require.NoError(t, err)
	found, err := remote.Probe(t.Context(), h, ".restless-crate", time.Now)
	require.NoError(t, errors.Join(err, h.Close()))
	w.srv.Abilities = &model.Abilities{Set: ability.Set{Modes: true, RenameFromWork: true, RenameFolders: true, Resolution: found.Resolution, Skew: found.Skew, Free: found.Free}}
	require.NoError(t, w.db.SaveAbilities(t.Context(), w.srv))
	w.Service = w.another()
	return w
}

// PalletMembers implements Catalog: there are none.
func (w *world) PalletMembers(context.Context, string) ([]model.PalletMember, error) { return nil, nil }

// AddonKey implements Catalog.
func (w *world) AddonKey(_ context.Context, _, name string) (string, error) {
	return layout.Key(name), nil
}

// Power implements Hosts: nothing is controlled here.
func (w *world) Power(context.Context, model.Server, remote.Host, *rulebook.Book) (Powered, error) {
	return unpowered{}, nil
}

// unpowered is a server that nothing is known of.
type unpowered struct{ Powered }

func (unpowered) Controlled() bool                   { return false }
func (unpowered) Known(context.Context) *draft.Power { return nil }

// another is a service on the same records, as after a restart.
func (w *world) another() *Service {
	return &Service{Records: w.db, Catalog: w, Hosts: w, Room: w.room, Self: deploy.Holder{Service: "here", Machine: "here"}, Meter: metrics.New(), Now: w.clock, Log: slog.New(slog.DiscardHandler)}
}

func (w *world) clock() time.Time {
	w.mu.Lock()
	defer w.mu.Unlock()
	if !w.now.IsZero() {
		return w.now
	}
	return time.Now()
}

// crate stages files as one version of the lamps.
func (w *world) crate(version string, files map[string]string) string {
	w.t.Helper()
	body := layout.Crate{Rulebook: "plain", Kind: "tree", Name: "lamps", Version: version}
	for path, text := range files {
		in, err := w.room.Receive(w.t.Context(), strings.NewReader(text))
		require.NoError(w.t, err)
		body.Files = append(body.Files, layout.File{Place: "all", Path: tree.Path(path), Digest: in.Digest, Size: in.Size})
		if _, err := w.db.Locate(w.t.Context(), in.Digest); err == nil {
			require.NoError(w.t, in.Discard())
			continue
		}
		container, err := in.Commit(nil)
		require.NoError(w.t, err)
		span := stockroom.Span{Length: in.Size, Size: in.Size, Method: stockroom.Stored}
		_, err = w.db.AddArchive(w.t.Context(), model.Archive{Digest: in.Digest, Size: in.Size, Filename: path, Container: container}, nil, map[string][]stockroom.Held{container: {{Digest: in.Digest, Span: span}}})
		require.NoError(w.t, err)
	}
	c := model.Crate{Digest: tree.Sum([]byte("lamps" + version)), Key: "lamps", Body: body}
	w.crates[body.Label()] = c
	return body.Label()
}

// FindCrate implements Catalog.
func (w *world) FindCrate(_ context.Context, _, ref string) (model.Crate, error) {
	name, _, _ := strings.Cut(ref, "~")
	c, ok := w.crates[name]
	if !ok {
		return c, fault.New(fault.Unknown, "crate-unknown", "there is no crate %q", ref)
	}
	return c, nil
}

// FindCrateFor implements Catalog.
func (w *world) FindCrateFor(ctx context.Context, b *rulebook.Book, ref string, _ map[string]string) (model.Crate, error) {
	return w.FindCrate(ctx, b.Name, ref)
}

// Pallets implements Catalog.
func (w *world) Pallets(context.Context, string, string) ([]model.Pallet, error) { return nil, nil }

// Merge implements Catalog.
func (w *world) Merge(context.Context, *rulebook.Book, tree.Digest, string, []model.MergePart) (model.Merged, error) {
	return model.Merged{}, errors.New("nothing is merged here")
}

// Book implements Catalog.
func (w *world) Book(context.Context, string) (*rulebook.Book, model.Revision, error) {
	b, err := rulebook.Parse([]byte(book))
	return b, model.Revision{}, err
}

// Find implements Hosts.
func (w *world) Find(ctx context.Context, name string) (model.Server, error) {
	return w.db.Server(ctx, name)
}

// NoWorkFolder implements Hosts.
func (w *world) NoWorkFolder(context.Context, model.Server) error { return nil }

// Connect implements Hosts.
func (w *world) Connect(context.Context, model.Server) (remote.Host, error) {
	h, err := remote.OpenLocal(w.root)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.lines++
	return &gated{Host: h, w: w}, err
}

// gated is a host that waits or refuses when the test wants it.
type gated struct {
	remote.Host
	w *world
}

// List implements remote.Host.
func (g *gated) List(ctx context.Context, folder tree.Path) ([]remote.Info, error) {
	g.w.mu.Lock()
	stalls := g.w.stalls
	g.w.mu.Unlock()
	if stalls != nil && folder == tree.Root {
		stalls <- struct{}{}
		<-ctx.Done()
		return nil, ctx.Err()
	}
	return g.Host.List(ctx, folder)
}

// Create implements remote.Host.
func (g *gated) Create(ctx context.Context, p tree.Path, mode uint32) (io.WriteCloser, error) {
	g.w.mu.Lock()
	gate := g.w.gate
	g.w.mu.Unlock()
	if gate != nil && strings.Contains(string(p), "/in-") {
		<-gate
	}
	return g.Host.Create(ctx, p, mode)
}

// MakeFolder implements remote.Host.
func (g *gated) MakeFolder(ctx context.Context, p tree.Path, mode uint32) error {
	g.w.mu.Lock()
	closed := g.w.closed
	g.w.mu.Unlock()
	if closed && p.Dir() == tree.Root {
		return fs.ErrPermission
	}
	return g.Host.MakeFolder(ctx, p, mode)
}

// RemoveFile implements remote.Host.
func (g *gated) RemoveFile(ctx context.Context, p tree.Path) error {
	g.w.mu.Lock()
	deaf := g.w.deaf
	g.w.mu.Unlock()
	if deaf != nil && strings.Contains(string(p), "/out-") {
		return deaf
	}
	return g.Host.RemoveFile(ctx, p)
}

func (w *world) set(change func()) {
	w.mu.Lock()
	defer w.mu.Unlock()
	change()
}

func silent(progress.Event) {}

// telling keeps what a job tells.
type telling struct {
	mu    sync.Mutex
	notes []string
}

func (t *telling) tell(p progress.Event) {
	if p.Kind == progress.Note {
		t.mu.Lock()
		defer t.mu.Unlock()
		t.notes = append(t.notes, p.Text)
	}
}

func (t *telling) has(text string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return slices.Contains(t.notes, text)
}

func (w *world) draft(label string) model.Deployment {
	w.t.Helper()
	d, err := w.Draft(w.t.Context(), "saltpan", requests.Ask{Crates: []string{label}}, nil, "ida", silent)
	require.NoError(w.t, err)
	return d
}

func (w *world) deploy(label string) model.Deployment {
	w.t.Helper()
	d := w.draft(label)
	d, err := w.Run(w.t.Context(), d, d.Digest.String(), nil, "ida", silent)
	require.NoError(w.t, err)
	require.Equal(w.t, model.Done, d.State)
	return d
}

func (w *world) find(d model.Deployment) model.Deployment {
	w.t.Helper()
	now, err := w.db.DeploymentByID(w.t.Context(), d.ID)
	require.NoError(w.t, err)
	return now
}

func (w *world) state(d model.Deployment) model.State {
	w.t.Helper()
	return w.find(d).State
}

func (w *world) files() map[string]string { return testbed.Files(testbed.Snapshot(w.t, w.root)) }

func requireFault(t *testing.T, err error, code, words string) {
	t.Helper()
	var f *fault.Error
	require.ErrorAs(t, err, &f)
	require.Equal(t, code, f.Code)
	require.Contains(t, f.Error(), words)
}
