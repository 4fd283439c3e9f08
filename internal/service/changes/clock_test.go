package changes

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/testbed"
)

// The service's clock may jump, forward and back, between any two acts and in the middle of
// one: what comes after what is never a matter of time, and a file that was changed is seen
// to be changed.
func TestTheClockMayJump(t *testing.T) {
	years := func(n int) time.Time { return time.Now().AddDate(n, 0, 0) }
	w := open(t)
	jump := func(to time.Time) { w.set(func() { w.now = to }) }
	one, two := w.crate("1", map[string]string{"d/lamp": "one"}), w.crate("2", map[string]string{"d/lamp": "two", "d/more": "more"})
	jump(years(10))
	d := w.draft(one)
	jump(years(-10))
	d, err := w.Run(t.Context(), d, d.Digest.String(), nil, "ida", silent)
	require.NoError(t, err)
	require.Equal(t, model.Done, d.State)

	// In the middle of a run, which then breaks off and is taken back by a later service.
	d = w.draft(two)
	w.set(func() { w.deaf = nil; w.gate = make(chan struct{}) })
	over := w.start(d, silent)
	testbed.Eventually(t, "it runs", func() bool { return w.state(d) == model.Running })
	jump(years(20))
	require.NoError(t, w.Halt(w.find(d), "ida"))
	w.set(func() { close(w.gate); w.gate = nil })
	require.Error(t, (<-over).err)
	require.Equal(t, model.Halted, w.state(d))
	jump(years(-20))
	w.Service = w.another()
	d, err = w.Undo(t.Context(), w.find(d), false, "ida", silent)
	require.NoError(t, err)
	require.Equal(t, model.UndoneAll, d.State)
	require.Equal(t, map[string]string{"d/lamp": "one"}, w.files())

	// A change of the same length is found by drafts on either side of a jump.
	for _, to := range []time.Time{years(0), years(5), years(-5)} {
		w.deploy(one)
		jump(to)
		d := w.draft(two)
		p := filepath.Join(w.root, "d/lamp")
		testbed.Write(t, p, "eno")
		jump(years(3))
		_, err := w.Run(t.Context(), d, d.Digest.String(), nil, "ida", silent)
		requireFault(t, err, "draft-stale", "is no longer true")
		require.Equal(t, "eno", w.files()["d/lamp"])
		require.NoError(t, os.WriteFile(p, []byte("one"), 0o644))
	}

	jump(years(-1))
	w.deploy(two)
	jump(years(1))
	b, err := w.Draft(t.Context(), "saltpan", requests.Ask{Back: &requests.Back{Addon: "lamps"}}, nil, "ida", silent)
	require.NoError(t, err)
	jump(years(-3))
	b, err = w.Run(t.Context(), b, b.Digest.String(), nil, "ida", silent)
	require.NoError(t, err)
	require.Equal(t, model.Done, b.State)
	require.Equal(t, map[string]string{"d/lamp": "one"}, w.files())

	list, err := w.List(t.Context(), "saltpan", 0, 100)
	require.NoError(t, err)
	for i, d := range list {
		require.Equal(t, len(list)-i, d.Number, "the newest first, whatever its time")
	}
}
