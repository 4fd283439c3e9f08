package drafts

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

func TestTheLastDraftIsKeptForItsDeploymentAndForAWhile(t *testing.T) {
	var r Recall
	require.Nil(t, r.claim(1))
	kept := &Recalled{}
	r.Keep(kept, 1)
	require.Nil(t, r.claim(2), "another deployment's is not given")
	require.Same(t, kept, r.claim(1))
	require.Nil(t, r.claim(1), "it is given once")

	r.Keep(kept, 1)
	r.Keep(&Recalled{}, 2)
	require.Nil(t, r.claim(1), "one is kept")
	r.Keep(kept, 3)
	r.gone.Reset(0) // its time is over
	testbed.Eventually(t, "it is let go of", func() bool {
		r.mu.Lock()
		defer r.mu.Unlock()
		return r.last == nil
	})
}

func TestWhatCountsOfAFolder(t *testing.T) {
	file := remote.Info{Name: "a", Being: tree.Content, Size: 1, Modified: 5, Mode: 0o644}
	folder := remote.Info{Name: "d", Being: tree.Folder, Mode: 0o755, Modified: 9}
	was := []remote.Info{file, folder}
	with := func(change func(f, d *remote.Info)) []remote.Info {
		f, d := file, folder
		change(&f, &d)
		return []remote.Info{d, f} // in another order
	}
	for name, c := range map[string]struct {
		now         []remote.Info
		full, names bool // whether it counts in a full folder, and in one on the way
	}{
		"nothing":             {with(func(_, _ *remote.Info) {}), false, false},
		"a file's size":       {with(func(f, _ *remote.Info) { f.Size = 2 }), true, false},
		"a file's time":       {with(func(f, _ *remote.Info) { f.Modified = 6 }), true, false},
		"a file's mode":       {with(func(f, _ *remote.Info) { f.Mode = 0o600 }), true, false},
		"a folder's time":     {with(func(_, d *remote.Info) { d.Modified = 1 }), false, false},
		"a folder's mode":     {with(func(_, d *remote.Info) { d.Mode = 0o700 }), true, true},
		"a link for a folder": {with(func(_, d *remote.Info) { d.Being = tree.Foreign }), true, true},
		"a name":              {with(func(f, _ *remote.Info) { f.Name = "b" }), true, true},
		"one less":            {was[:1], true, true},
		"one more":            {append(with(func(_, _ *remote.Info) {}), remote.Info{Name: "c", Being: tree.Content}), true, true},
		"our own folder":      {append(with(func(_, _ *remote.Info) {}), remote.Info{Name: ".restless-crate", Being: tree.Folder}), false, false},
	} {
		require.Equal(t, c.full, sumOf(c.now, true) != sumOf(was, true), name)
		require.Equal(t, c.names, sumOf(c.now, false) != sumOf(was, false), name)
	}
}
