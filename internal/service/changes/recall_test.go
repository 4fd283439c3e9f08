package changes

import (
	"context"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/testbed"
)

// counted counts how often the ledger is read for a draft.
type counted struct {
	*records.DB
	reads atomic.Int32
}

func (c *counted) LedgerOf(ctx context.Context, server int64, addons []string, paths []tree.Path) (map[tree.Path]draft.Row, error) {
	c.reads.Add(1)
	return c.DB.LedgerOf(ctx, server, addons, paths)
}

// settled is a world whose server holds the lamps, all of it older than any look.
func settled(t *testing.T) (*world, *counted) {
	w := open(t)
	w.deploy(w.crate("1", map[string]string{"d/lamp": "one", "d/same": "same", "gone/old": "old"}))
	long := time.Now().Add(-time.Hour)
	for _, p := range []string{"d/lamp", "d/same", "gone/old"} {
		require.NoError(t, os.Chtimes(filepath.Join(w.root, p), long, long))
	}
	testbed.Write(t, filepath.Join(w.root, "log/today"), "a line\n") // nothing of ours
	next := w.crate("2", map[string]string{"d/lamp": "two", "d/same": "same"})
	require.NoError(t, w.Discard(t.Context(), w.draft(next))) // it reads the bytes, and the ledger knows the new times
	c := &counted{DB: w.db}
	w.Records = c
	return w, c
}

// A draft that is run as soon as it is made is looked at again and not made again. Whatever
// it was made from may change in between: then it is made again, and found to be another
// one where it is.
func TestADraftIsMadeAgainOnlyWhereSomethingChanged(t *testing.T) {
	for name, c := range map[string]struct {
		change func(w *world, d model.Deployment)
		made   bool   // again
		code   string // of the refusal; none: it runs
	}{
		"nothing": {func(*world, model.Deployment) {}, false, ""},
		"a file beside what it is about": {func(w *world, _ model.Deployment) {
			testbed.Write(w.t, filepath.Join(w.root, "log/today"), "a line\nanother\n")
		}, false, ""},
		"a line at the root": {func(w *world, _ model.Deployment) {
			testbed.Write(w.t, filepath.Join(w.root, "server.log"), "it is there now")
		}, true, ""},
		"another draft": {func(w *world, _ model.Deployment) { w.draft("lamps@1") }, true, ""},
		"its file": {func(w *world, _ model.Deployment) {
			testbed.Write(w.t, filepath.Join(w.root, "d/lamp"), "1ne")
		}, true, "draft-stale"},
		"its file, in the same moment": {func(w *world, _ model.Deployment) {
			p := filepath.Join(w.root, "d/lamp")
			i, err := os.Stat(p)
			require.NoError(w.t, err)
			testbed.Write(w.t, p, "longer")
			require.NoError(w.t, os.Chtimes(p, i.ModTime(), i.ModTime()))
		}, true, "draft-stale"},
		"a file that stays": {func(w *world, _ model.Deployment) {
			testbed.Write(w.t, filepath.Join(w.root, "d/same"), "else")
		}, true, "draft-stale"},
		"something in a folder that goes": {func(w *world, _ model.Deployment) {
			testbed.Write(w.t, filepath.Join(w.root, "gone/new"), "new")
		}, true, "draft-stale"},
		"a folder's permissions": {func(w *world, _ model.Deployment) {
			require.NoError(w.t, os.Chmod(filepath.Join(w.root, "gone"), 0o700))
		}, true, "draft-stale"},
		"a folder is a link": {func(w *world, _ model.Deployment) {
			require.NoError(w.t, os.Rename(filepath.Join(w.root, "gone"), filepath.Join(w.root, "went")))
			require.NoError(w.t, os.Symlink("went", filepath.Join(w.root, "gone")))
		}, true, "draft-stale"},
		"what the server is": {func(w *world, d model.Deployment) {
			srv, err := w.db.ServerByID(w.t.Context(), d.ServerID)
			require.NoError(w.t, err)
			srv.Facts = map[string]string{"game": "9"}
			require.NoError(w.t, w.db.EditServer(w.t.Context(), srv, false, false))
		}, true, ""},
		"a crate is staged": {func(w *world, _ model.Deployment) { w.crate("3", map[string]string{"d/lamp": "three"}) }, true, ""},
		"it was let go of":  {func(w *world, _ model.Deployment) { w.recall.Keep(nil, 0) }, true, ""},
	} {
		t.Run(name, func(t *testing.T) {
			w, counts := settled(t)
			d := w.draft("lamps@2")
			c.change(w, d)
			counts.reads.Store(0)
			now, err := w.Run(t.Context(), d, d.Digest.String(), nil, "ida", silent)
			require.Equal(t, c.made, counts.reads.Load() > 0, "is it made again?")
			if c.code != "" {
				requireFault(t, err, c.code, "is no longer true")
				require.Equal(t, model.Discarded, w.state(d))
				return
			}
			require.NoError(t, err)
			require.Equal(t, model.Done, now.State)
			require.Equal(t, "two", w.files()["d/lamp"])
			require.NotContains(t, w.files(), "gone/old")
		})
	}
}
