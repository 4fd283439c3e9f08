package deploy_test

import (
	"context"
	"io"
	"os"
	"path/filepath"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

func TestAHostsLockIsOneServicesAtATime(t *testing.T) {
	root := t.TempDir()
	h, err := remote.OpenLocal(root)
	require.NoError(t, err)
	defer h.Close()
	yard := deploy.Holder{Service: "yard-1", Machine: "yard", Person: "ida", Deployment: "lantern#7", Since: 5}
	quay := deploy.Holder{Service: "quay-1", Machine: "quay", Person: "ole", Deployment: "lantern#2", Since: 6}
	at, err := deploy.Lock(t.Context(), h, yard, false)
	require.NoError(t, err)
	require.InDelta(t, time.Now().UnixMilli(), at, 5000, "by the host's clock, which is ours here")
	_, err = deploy.Lock(t.Context(), h, quay, false)
	require.EqualError(t, err, "it is locked for lantern#7 by ida, on the service at yard")
	var locked *deploy.LockedError
	require.ErrorAs(t, err, &locked)
	require.Equal(t, yard, locked.Holder)
	_, err = deploy.Lock(t.Context(), h, yard, false)
	require.NoError(t, err, "its own lock is no hindrance after a crash")
	for _, c := range []struct {
		service, deployment string
		want                bool
	}{{"yard-1", "lantern#7", true}, {"yard-1", "lantern#8", false}, {"quay-1", "lantern#7", false}} {
		holds, err := deploy.Holds(t.Context(), h, c.service, c.deployment)
		require.NoError(t, err)
		require.Equal(t, c.want, holds)
	}
	require.NoError(t, deploy.Unlock(t.Context(), h))
	require.NoError(t, deploy.Unlock(t.Context(), h), "nor is one that is gone")
	_, err = deploy.Lock(t.Context(), h, quay, false)
	require.NoError(t, err)
	require.NoError(t, deploy.Unlock(t.Context(), h))

	// Broken off before it was signed: whose it is cannot be said.
	require.NoError(t, h.MakeFolder(t.Context(), ".restless-crate/lock", 0o755))
	_, err = deploy.Lock(t.Context(), h, yard, false)
	require.EqualError(t, err, "it is locked, and the lock does not say by whom")
}

// A service that was killed while it took its lock, or gave it back, or signed it
// anew, goes on with it; one that another service is just taking stays that one's.
func TestAnUnsignedLockIsTakenByWhoMayHaveLeftIt(t *testing.T) {
	t.Parallel()
	for what, left := range map[string]func(t *testing.T, lock string){
		"not signed yet": func(*testing.T, string) {},
		"half signed": func(t *testing.T, lock string) {
			testbed.Write(t, filepath.Join(lock, "held-by.json"), `{"service":"ya`)
		},
	} {
		t.Run(what, func(t *testing.T) {
			root := t.TempDir()
			h, err := remote.OpenLocal(root)
			require.NoError(t, err)
			defer h.Close()
			lock := filepath.Join(root, ".restless-crate/lock")
			require.NoError(t, os.MkdirAll(lock, 0o755))
			left(t, lock)
			yard := deploy.Holder{Service: "yard-1", Machine: "yard", Deployment: "lantern#7"}
			_, err = deploy.Lock(t.Context(), h, yard, true)
			require.NoError(t, err)
			holds, err := deploy.Holds(t.Context(), h, "yard-1", "lantern#7")
			require.NoError(t, err)
			require.True(t, holds)
		})
	}
	t.Run("another service is just taking it", func(t *testing.T) {
		root := t.TempDir()
		h, err := remote.OpenLocal(root)
		require.NoError(t, err)
		defer h.Close()
		lock := filepath.Join(root, ".restless-crate/lock")
		require.NoError(t, os.MkdirAll(lock, 0o755))
		seen := &sees{Host: h, first: func() {
			testbed.Write(t, filepath.Join(lock, "held-by.json"), `{"service":"quay-1","machine":"quay","person":"ole","deployment":"lantern#2"}`)
		}}
		_, err = deploy.Lock(t.Context(), seen, deploy.Holder{Service: "yard-1"}, true)
		require.EqualError(t, err, "it is locked for lantern#2 by ole, on the service at quay")
	})
}

// sees does something once the lock's signature was looked for.
type sees struct {
	remote.Host
	first func()
}

func (s *sees) Open(ctx context.Context, p tree.Path) (io.ReadCloser, error) {
	f, err := s.Host.Open(ctx, p)
	if s.first != nil {
		s.first()
		s.first = nil
	}
	return f, err
}

func TestWhatALostServiceLeftIsFoundAndTheServersOwnFilesStay(t *testing.T) {
	root := t.TempDir()
	for path, text := range map[string]string{".restless-crate/7/1.in": "new", ".restless-crate/7/2.out": "the server's", ".restless-crate/8/1.in": "new", ".restless-crate/9/1.in": "ours", "a": "b"} {
		testbed.Write(t, filepath.Join(root, path), text)
	}
	h, err := remote.OpenLocal(root)
	require.NoError(t, err)
	defer h.Close()
	_, err = deploy.Lock(t.Context(), h, deploy.Holder{Service: "gone", Machine: "old box", Person: "ida", Deployment: "lantern#7"}, false)
	require.NoError(t, err)
	mine := func(number string) bool { return number == "9" }
	r, err := deploy.FindRemains(t.Context(), h, mine)
	require.NoError(t, err)
	require.True(t, r.Locked)
	require.Equal(t, "old box", r.Holder.Machine)
	require.ElementsMatch(t, []tree.Path{".restless-crate/7/1.in", ".restless-crate/8/1.in"}, r.Uploads)
	require.Equal(t, []tree.Path{".restless-crate/7/2.out"}, r.Aside)
	require.NoError(t, r.Clear(t.Context(), h))
	require.Equal(t, map[string]string{".restless-crate/7/2.out": "the server's", ".restless-crate/9/1.in": "ours", "a": "b"}, testbed.Files(testbed.Snapshot(t, root)))
	r, err = deploy.FindRemains(t.Context(), h, mine)
	require.NoError(t, err)
	require.False(t, r.Locked)
	require.Empty(t, r.Uploads)
}

// Another service that works in the work folder has things there that nobody left.
func TestOnlyWhatStandsStillWasLeft(t *testing.T) {
	root := t.TempDir()
	in := func(path string) string { return filepath.Join(root, ".restless-crate", path) }
	h, err := remote.OpenLocal(root)
	require.NoError(t, err)
	defer h.Close()
	nobodys := func(string) bool { return false }
	// looked looks twice, with meanwhile in between, a second before the second look.
	looked := func(meanwhile func()) (r deploy.Remains) {
		synctest.Test(t, func(t *testing.T) {
			before, err := deploy.FindRemains(t.Context(), h, nobodys)
			require.NoError(t, err)
			go func() { time.Sleep(time.Second); meanwhile() }()
			r, err = deploy.StillRemains(t.Context(), h, before, nobodys)
			require.NoError(t, err)
		})
		return r
	}
	testbed.Write(t, in("7/1.in"), "left")
	testbed.Write(t, in("8/2.out"), "left too")
	testbed.Write(t, in("probe-abc/probe-a"), "of a test that is under way")
	testbed.Write(t, in("9/3.in"), "half")
	r := looked(func() {
		testbed.Write(t, in("9/3.in"), "half, and more")
		require.NoError(t, os.RemoveAll(in("probe-abc")))
		testbed.Write(t, in("probe-def/probe-a"), "of the next one")
	})
	require.Equal(t, []tree.Path{".restless-crate/7/1.in"}, r.Uploads)
	require.Equal(t, []tree.Path{".restless-crate/8/2.out"}, r.Aside)
	require.False(t, r.Empty())
	require.NoError(t, r.Clear(t.Context(), h))
	require.Equal(t, map[string]string{".restless-crate/8/2.out": "left too", ".restless-crate/9/3.in": "half, and more", ".restless-crate/probe-def/probe-a": "of the next one"}, testbed.Files(testbed.Snapshot(t, root)))

	require.NoError(t, os.RemoveAll(in("")))
	require.NoError(t, os.MkdirAll(in("7/deep"), 0o755))
	require.True(t, looked(func() {}).Empty())
	touched := func() { require.NoError(t, os.Chtimes(in("7/deep"), time.Time{}, time.Unix(1_800_000_000, 0))) }
	require.False(t, looked(touched).Empty(), "something came and went in it")
	r = looked(func() { require.NoError(t, os.Mkdir(in("probe-ghi"), 0o755)) })
	require.False(t, r.Empty())
	require.NoError(t, r.ClearUploads(t.Context(), h, func(tree.Path) bool { return false }))
	require.DirExists(t, in("probe-ghi"))
	require.False(t, looked(func() { require.NoError(t, os.RemoveAll(in(""))) }).Empty(), "it is gone")
}
