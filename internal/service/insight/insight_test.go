package insight

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/testbed/recordstest"
)

// world is a server with a past, in real records.
type world struct {
	*testing.T
	*Service
	db  *records.DB
	srv model.Server
}

// books is one rulebook.
type books struct{}

func (books) Book(context.Context, string) (*rulebook.Book, model.Revision, error) {
	return &rulebook.Book{Name: "harbour", Kinds: []rulebook.Kind{{Name: "fixture", Oddities: []string{"says hello twice"}}}}, model.Revision{}, nil
}

func open(t *testing.T) world {
	t.Helper()
	db, err := recordstest.Open(t.Context(), filepath.Join(t.TempDir(), "records.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	srv, err := db.AddServer(t.Context(), model.Server{Name: "saltpan", Rulebook: "harbour", Transport: model.Transport{Kind: "folder", Root: "/srv"}})
	require.NoError(t, err)
	return world{t, &Service{Records: db, Books: books{}}, db, srv}
}

// crate stages a version of the lamps; its one file holds text.
func (w world) crate(version, text string) model.Crate {
	w.Helper()
	rev, _, err := w.db.AddRevision(w.Context(), model.Revision{Name: "harbour", Title: "Harbour", Text: []byte("x"), Digest: "d", Actor: "me"})
	require.NoError(w, err)
	name := "lamps-" + version + ".zip"
	a, err := w.db.AddArchive(w.Context(), model.Archive{Digest: tree.Sum([]byte(name)), Size: 1, Filename: name, Format: "zip", Container: "archives/" + name, Actor: "me"}, nil, nil)
	require.NoError(w, err)
	laid, err := w.db.AddLayout(w.Context(), a.ID, rev.ID, "", layout.Result{Crates: []*layout.Crate{{Rulebook: "harbour", Kind: "fixture", Name: "lamps", Version: version,
		Files: []layout.File{{Place: "all", Path: "lamp", Digest: tree.Sum([]byte(text)), Size: int64(len(text))}}}}}, "me")
	require.NoError(w, err)
	return laid.Crates[0]
}

func content(text string) tree.State {
	return tree.State{Being: tree.Content, Digest: tree.Sum([]byte(text)), Size: int64(len(text)), Mode: 0o644}
}

func claim(c model.Crate) []draft.Claim {
	return []draft.Claim{{Addon: c.Key, Label: c.Body.Label(), Crate: c.Digest, Role: draft.Owns}}
}

// draft records a draft of changes.
func (w world) draft(changes ...draft.Change) model.Deployment {
	w.Helper()
	d := draft.Draft{Changes: changes}
	dep, err := w.db.AddDeployment(w.Context(), model.Deployment{ServerID: w.srv.ID, Kind: "deploy", Title: "lamps", Ask: []byte("{}"), Digest: d.Digest(), Draft: d, Actor: "me"})
	require.NoError(w, err)
	return dep
}

func (w world) run(d model.Deployment) {
	w.Helper()
	require.NoError(w, w.db.Advance(w.Context(), d.ID, model.Queued, model.Draft))
	require.NoError(w, w.db.Advance(w.Context(), d.ID, model.Running, model.Queued))
	require.NoError(w, w.db.Finish(w.Context(), d, nil, false))
}

func TestWhatIsOnAServerAndWhereItIsFrom(t *testing.T) {
	w := open(t)
	old, now := w.crate("1.9", "old"), w.crate("1.10", "new")
	st, err := w.Status(t.Context(), "saltpan")
	require.NoError(t, err)
	require.Empty(t, st.Addons)
	require.Nil(t, st.Last)

	w.run(w.draft(draft.Change{Path: "a/lamp", Before: tree.State{Being: tree.Absent}, After: content("old"), ClaimsAfter: claim(old)},
		draft.Change{Path: "a/more", Before: tree.State{Being: tree.Absent}, After: content("more"), ClaimsAfter: claim(old)}))
	st, err = w.Status(t.Context(), "saltpan")
	require.NoError(t, err)
	require.Len(t, st.Addons, 1)
	a := st.Addons[0]
	require.Equal(t, []any{"lamps", "1.9", "fixture", 2, "1.10", "saltpan#1"}, []any{a.Name, a.Version, a.Kind, a.Files, a.Newer, a.Deployment}, "1.10 is newer than 1.9")

	w.run(w.draft(draft.Change{Path: "a/lamp", Before: content("old"), After: content("new"), ClaimsBefore: claim(old), ClaimsAfter: claim(now)}))
	pending := w.draft()
	running, queued := w.draft(), w.draft()
	require.NoError(t, w.db.Advance(t.Context(), running.ID, model.Queued, model.Draft))
	require.NoError(t, w.db.Advance(t.Context(), running.ID, model.Running, model.Queued))
	require.NoError(t, w.db.Advance(t.Context(), queued.ID, model.Queued, model.Draft))
	st, err = w.Status(t.Context(), "saltpan")
	require.NoError(t, err)
	a = st.Addons[0]
	require.Equal(t, []any{"1.10", "", "saltpan#2"}, []any{a.Version, a.Newer, a.Deployment})
	require.Equal(t, []string{"lamps@1.9 (1 file)"}, a.Others, "one file is still of the older version")
	require.Equal(t, "saltpan#4", st.Open.Name())
	require.Len(t, st.Queue, 1)
	require.Equal(t, "saltpan#5", st.Queue[0].Name())
	require.Equal(t, []string{pending.Name()}, []string{st.Drafts[0].Name()})
	require.Equal(t, "saltpan#2", st.Last.Name())

	files, err := w.Files(t.Context(), "saltpan", "a", "", 100)
	require.NoError(t, err)
	require.Equal(t, []tree.Path{"a/lamp", "a/more"}, []tree.Path{files[0].Path, files[1].Path})
	require.Equal(t, []string{"lamps-1.10.zip"}, files[0].Archives)
	require.Equal(t, content("old"), files[0].Before)
	none, err := w.Files(t.Context(), "saltpan", "elsewhere", "", 100)
	require.NoError(t, err)
	require.Empty(t, none)
	var pieces []model.File
	require.NoError(t, w.EachFiles(t.Context(), "saltpan", "a", "", func(some []model.File) error { pieces = append(pieces, some...); return nil }))
	require.Equal(t, files, pieces)

	on, err := w.Holders(t.Context())
	require.NoError(t, err)
	var versions []string
	for _, h := range on("harbour", "lamps") {
		versions = append(versions, h.Server+" "+h.Version)
		require.Len(t, h.Crate, 64, "the very crate")
	}
	require.Equal(t, []string{"saltpan 1.10", "saltpan 1.9"}, versions)
	require.Empty(t, on("fair", "lamps"), "another rulebook's add-on of that name is another")
}

func TestTheHistoryOfAPathAndOfAnAddOn(t *testing.T) {
	w := open(t)
	c := w.crate("1", "x")
	w.run(w.draft(draft.Change{Path: "p", Before: tree.State{Being: tree.Absent}, After: content("x"), ClaimsAfter: claim(c)}))
	w.run(w.draft(draft.Change{Path: "p", Before: content("x"), After: tree.State{Being: tree.Absent}, ClaimsBefore: claim(c)}))
	for _, by := range []struct {
		path  tree.Path
		addon string
	}{{"p", ""}, {"", "Lamps"}} {
		events, err := w.History(t.Context(), "saltpan", by.path, by.addon)
		require.NoError(t, err)
		require.Len(t, events, 2)
		require.Equal(t, []string{"saltpan#2", "saltpan#1"}, []string{events[0].Deployment, events[1].Deployment}, "the newest first")
	}
	_, err := w.History(t.Context(), "saltpan", "other", "")
	f := fault.As(err)
	require.Equal(t, "never-changed", f.Code)
	require.Equal(t, "no deployment has ever changed other on saltpan", f.What)
	_, err = w.Status(t.Context(), "nowhere")
	require.Equal(t, "server-unknown", fault.As(err).Code)
}

func (books) AddonKey(_ context.Context, _, name string) (string, error) {
	return layout.Key(name), nil
}
