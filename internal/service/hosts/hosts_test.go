package hosts

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/seal"
	"restlesscrate/internal/testbed/recordstest"
)

// shelf holds rulebooks by name.
type shelf map[string]string

func (s shelf) Book(_ context.Context, name string) (*rulebook.Book, model.Revision, error) {
	text, ok := s[name]
	if !ok {
		return nil, model.Revision{}, fault.New(fault.Unknown, "rulebook-unknown", "there is no rulebook named %q", name)
	}
	b, err := rulebook.Parse([]byte(text))
	return b, model.Revision{Name: name}, err
}

const tail = `
title: X
places: {all: {path: "{port}/all"}}
variables: {port: {ask: which port}}
kinds: {x: {recognise: {single: "*.x"}, put: [{take: "*", place: all}]}}
`

var books = shelf{
	"harbour": "format: 1\nname: harbour" + tail,
	"fair":    "format: 1\nname: fair\ntitle: Fair\nplaces: {all: {path: .}}\nkinds: {x: {recognise: {single: \"*.x\"}, put: [{take: \"*\", place: all}]}}\n",
}

func open(t *testing.T) (*Service, *records.DB) {
	t.Helper()
	dir := t.TempDir()
	db, err := recordstest.Open(t.Context(), filepath.Join(dir, "records.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	sealer, err := seal.Open(filepath.Join(dir, "key"))
	require.NoError(t, err)
	return &Service{Records: db, Books: books, Sealer: sealer, Now: time.Now}, db
}

func requireFault(t *testing.T, err error, kind fault.Kind, code, words string) {
	t.Helper()
	f := fault.As(err)
	require.Equal(t, code, f.Code, "%v", err)
	require.Equal(t, kind, f.Kind)
	require.Contains(t, f.What+" "+f.Mend, words)
}

func folder(root string) model.Transport { return model.Transport{Kind: "folder", Root: root} }

func TestAServerIsAddedAsItsRulebookAsks(t *testing.T) {
	s, _ := open(t)
	_, err := s.Add(t.Context(), model.Server{Name: "saltpan", Rulebook: "harbour", Transport: folder(t.TempDir())}, Secrets{})
	requireFault(t, err, fault.Usage, "bad-variables", "port is not set (which port)")
	_, err = s.Add(t.Context(), model.Server{Name: "Salt Pan", Rulebook: "harbour", Transport: folder(t.TempDir())}, Secrets{})
	requireFault(t, err, fault.Usage, "bad-name", "Small letters, digits and dashes")
	_, err = s.Add(t.Context(), model.Server{Name: "saltpan", Rulebook: "nothing", Transport: folder(t.TempDir())}, Secrets{})
	requireFault(t, err, fault.Unknown, "rulebook-unknown", "nothing")
	srv := model.Server{Name: "saltpan", Rulebook: "harbour", Transport: folder(t.TempDir()), Variables: map[string]string{"port": "north"}}
	_, err = s.Add(t.Context(), srv, Secrets{})
	require.NoError(t, err)
	_, err = s.Add(t.Context(), srv, Secrets{})
	requireFault(t, err, fault.Conflict, "name-taken", "a server named saltpan is there already")
	_, err = s.Find(t.Context(), "nowhere")
	requireFault(t, err, fault.Unknown, "server-unknown", "nowhere")
}

func TestAnEditKeepsWhatItDoesNotName(t *testing.T) {
	s, _ := open(t)
	root := t.TempDir()
	_, err := s.Add(t.Context(), model.Server{Name: "saltpan", Rulebook: "harbour", Transport: folder(root), Variables: map[string]string{"port": "north"}, Facts: map[string]string{"game": "9.3"}}, Secrets{})
	require.NoError(t, err)
	tested, err := s.Test(t.Context(), "saltpan", false)
	require.NoError(t, err)
	require.NotNil(t, tested.Abilities)
	name := "pier"
	got, err := s.Edit(t.Context(), "saltpan", Edit{Name: &name, Facts: map[string]string{"loader": "keel"}})
	require.NoError(t, err)
	require.Equal(t, map[string]string{"game": "9.3", "loader": "keel"}, got.Facts)
	require.Equal(t, map[string]string{"port": "north"}, got.Variables)
	require.NotNil(t, got.Abilities, "the host is the same")
	elsewhere := folder(t.TempDir())
	got, err = s.Edit(t.Context(), "pier", Edit{Transport: &elsewhere})
	require.NoError(t, err)
	require.Nil(t, got.Abilities, "another root has to be tested anew")
	_, err = s.Edit(t.Context(), "pier", Edit{Variables: map[string]string{"port": "../x"}})
	requireFault(t, err, fault.Usage, "bad-variables", "leads out of its root")
	require.NoError(t, s.Drop(t.Context(), "pier"))
	_, err = s.Find(t.Context(), "pier")
	requireFault(t, err, fault.Unknown, "server-unknown", "pier")
}

func TestAServerChangesItsRulebookOnlyWhileNothingWasDeployed(t *testing.T) {
	s, db := open(t)
	srv, err := s.Add(t.Context(), model.Server{Name: "a", Rulebook: "harbour", Transport: folder(t.TempDir()), Variables: map[string]string{"port": "north"}}, Secrets{})
	require.NoError(t, err)
	to := "fair"
	got, err := s.Edit(t.Context(), "a", Edit{Rulebook: &to})
	require.NoError(t, err)
	require.Equal(t, "fair", got.Rulebook)
	require.Empty(t, got.Variables, "what the new rulebook does not ask for goes")

	d := draft.Draft{}
	dep, err := db.AddDeployment(t.Context(), model.Deployment{ServerID: srv.ID, Kind: "deploy", Title: "x", Ask: []byte("{}"), Digest: d.Digest(), Draft: d, Actor: "me"})
	require.NoError(t, err)
	_, err = s.Edit(t.Context(), "a", Edit{Rulebook: &to})
	require.NoError(t, err, "a draft binds nobody")
	require.NoError(t, db.Advance(t.Context(), dep.ID, model.Queued, model.Draft))
	back := "harbour"
	_, err = s.Edit(t.Context(), "a", Edit{Rulebook: &back})
	requireFault(t, err, fault.Conflict, "in-use", "a#1 was deployed by rulebook fair, so a keeps it")
	requireFault(t, s.Drop(t.Context(), "a"), fault.Conflict, "slot-taken", "a#1 is queued")
}

func TestALookGoesSoDeepAndNoDeeper(t *testing.T) {
	s, _ := open(t)
	root := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(root, "b/c/d/e/f"), 0o755))
	for _, file := range []string{"a.txt", "b/x", "b/c/d/e/too-deep"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, file), []byte("12"), 0o644))
	}
	require.NoError(t, os.Symlink("/etc", filepath.Join(root, "link")))
	_, err := s.Add(t.Context(), model.Server{Name: "a", Rulebook: "fair", Transport: folder(root)}, Secrets{})
	require.NoError(t, err)
	got, err := s.Look(t.Context(), "a")
	require.NoError(t, err)
	require.Equal(t, []tree.Entry{{Path: "a.txt", Size: 2}, {Path: "b", Dir: true}, {Path: "b/c", Dir: true}, {Path: "b/x", Size: 2}, {Path: "b/c/d", Dir: true}, {Path: "b/c/d/e", Dir: true}},
		withoutFolderSizes(got), "links are not followed and not told")
	_, err = s.Add(t.Context(), model.Server{Name: "gone", Rulebook: "fair", Transport: folder(filepath.Join(root, "nowhere"))}, Secrets{})
	require.NoError(t, err)
	_, err = s.Look(t.Context(), "gone")
	require.ErrorContains(t, err, "nowhere")
}

func withoutFolderSizes(entries []tree.Entry) []tree.Entry {
	for i := range entries {
		if entries[i].Dir {
			entries[i].Size = 0
		}
	}
	return entries
}

func TestAHostThatNeedsAnAgentWhereThereIsNoneIsTold(t *testing.T) {
	s, _ := open(t)
	srv, err := s.Add(t.Context(), model.Server{Name: "a", Rulebook: "fair", Transport: model.Transport{Kind: "sftp", Host: "127.0.0.1", Port: 1, User: "u", Auth: "agent", Root: "."}}, Secrets{})
	require.NoError(t, err)
	_, err = s.Connect(t.Context(), srv)
	requireFault(t, err, fault.Failed, "no-agent", "Start the service with SSH_AUTH_SOCK set")
}
