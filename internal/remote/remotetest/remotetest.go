// Package remotetest is the conformance suite that every transport passes.
package remotetest

import (
	"context"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// Run runs the suite. open gives a host whose root is a new, empty folder.
func Run(t *testing.T, open func(t *testing.T) remote.Host) {
	for name, test := range map[string]func(*testing.T, remote.Host){
		"what is absent": absent, "write and read": writeAndRead, "reading from an offset": fromAnOffset, "listing": listing, "rename never replaces": rename, "replace": replace,
		"folders": folders, "removing": removing, "going on in a file": continuing, "past 4 GiB": pastFour, "modes": modes, "odd names": oddNames, "side by side": SideBySide, "an ended context": ended, "probe": probe,
	} {
		t.Run(name, func(t *testing.T) {
			h := open(t)
			t.Cleanup(func() { require.NoError(t, h.Close()) })
			test(t, h)
		})
	}
}

func write(t *testing.T, h remote.Host, p tree.Path, text string) {
	t.Helper()
	w, err := h.Create(t.Context(), p, 0o644)
	require.NoError(t, err)
	_, err = io.Copy(w, strings.NewReader(text))
	require.NoError(t, err)
	require.NoError(t, w.Close())
}

func read(t *testing.T, h remote.Host, p tree.Path) string {
	t.Helper()
	r, err := h.Open(t.Context(), p)
	require.NoError(t, err)
	raw, err := io.ReadAll(r)
	require.NoError(t, err)
	require.NoError(t, r.Close())
	return string(raw)
}

// refusal is why a file cannot be written: some hosts say so only at the end.
func refusal(w io.WriteCloser, err error) error {
	if err != nil {
		return err
	}
	return w.Close()
}

func being(t *testing.T, h remote.Host, p tree.Path) tree.Being {
	t.Helper()
	i, err := h.Stat(t.Context(), p)
	require.NoError(t, err)
	return i.Being
}

func fromAnOffset(t *testing.T, h remote.Host) {
	write(t, h, "log", "one\ntwo\nthree\n")
	for from, want := range map[int64]string{0: "one\ntwo\nthree\n", 4: "two\nthree\n", 14: ""} {
		r, err := h.OpenFrom(t.Context(), "log", from)
		require.NoError(t, err)
		raw, err := io.ReadAll(r)
		require.NoError(t, err)
		require.NoError(t, r.Close())
		require.Equal(t, want, string(raw), "from %d", from)
	}
	_, err := h.OpenFrom(t.Context(), "nothing", 3)
	require.ErrorIs(t, err, fs.ErrNotExist)
}

func absent(t *testing.T, h remote.Host) {
	require.Equal(t, tree.Absent, being(t, h, "nothing"))
	require.Equal(t, tree.Absent, being(t, h, "no/such/folder"))
	_, err := h.Open(t.Context(), "nothing")
	require.ErrorIs(t, err, fs.ErrNotExist)
	_, err = h.List(t.Context(), "nothing")
	require.ErrorIs(t, err, fs.ErrNotExist)
	w, err := h.Create(t.Context(), "no/such/folder", 0o644)
	require.ErrorIs(t, refusal(w, err), fs.ErrNotExist)
	require.ErrorIs(t, h.Rename(t.Context(), "nothing", "else"), fs.ErrNotExist)
	require.ErrorIs(t, h.RemoveFile(t.Context(), "nothing"), fs.ErrNotExist)
	require.ErrorIs(t, h.RemoveFolder(t.Context(), "nothing"), fs.ErrNotExist)
}

func writeAndRead(t *testing.T, h remote.Host) {
	write(t, h, "empty", "")
	require.Empty(t, read(t, h, "empty"))
	big := strings.Repeat("0123456789abcdef", 1<<16) // 1 MiB: many packets
	write(t, h, "big", big)
	require.Equal(t, big, read(t, h, "big"))
	write(t, h, "big", "short")
	require.Equal(t, "short", read(t, h, "big"), "a file that is there is cut short first")
	i, err := h.Stat(t.Context(), "big")
	require.NoError(t, err)
	require.Equal(t, tree.Content, i.Being)
	require.Equal(t, int64(5), i.Size)
	require.InDelta(t, time.Now().UnixMilli(), i.Modified, 60_000)
}

func continuing(t *testing.T, h remote.Host) {
	write(t, h, "a", "0123456789")
	w, err := h.Continue(t.Context(), "a", 4)
	require.NoError(t, err)
	_, err = io.Copy(w, strings.NewReader("four and on"))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	require.Equal(t, "0123four and on", read(t, h, "a"))
	w, err = h.Continue(t.Context(), "no/such/folder", 4)
	require.ErrorIs(t, refusal(w, err), fs.ErrNotExist)
}

// pastFour writes at an offset that 32 bits do not hold, which leaves a file
// with a hole in it: nothing is sent or kept for that.
func pastFour(t *testing.T, h remote.Host) {
	const from = 4<<30 + 5
	write(t, h, "big", "begun")
	w, err := h.Continue(t.Context(), "big", from)
	require.NoError(t, err)
	_, err = io.Copy(w, strings.NewReader("end"))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	i, err := h.Stat(t.Context(), "big")
	require.NoError(t, err)
	require.Equal(t, int64(from+3), i.Size)
	w, err = h.Continue(t.Context(), "big", i.Size)
	require.NoError(t, err)
	_, err = io.Copy(w, strings.NewReader(" and more"))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	i, err = h.Stat(t.Context(), "big")
	require.NoError(t, err)
	require.Equal(t, int64(from+12), i.Size)
}

func listing(t *testing.T, h remote.Host) {
	write(t, h, "a", "1")
	require.NoError(t, h.MakeFolder(t.Context(), "f", 0o755))
	write(t, h, "f/b", "22")
	list, err := h.List(t.Context(), tree.Root)
	require.NoError(t, err)
	slices.SortFunc(list, func(x, y remote.Info) int { return strings.Compare(x.Name, y.Name) })
	require.Len(t, list, 2)
	require.Equal(t, "a", list[0].Name)
	require.Equal(t, int64(1), list[0].Size)
	require.Equal(t, tree.Folder, list[1].Being)
	list, err = h.List(t.Context(), "f")
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, int64(2), list[0].Size)
}

func rename(t *testing.T, h remote.Host) {
	write(t, h, "a", "A")
	write(t, h, "b", "B")
	require.NoError(t, h.MakeFolder(t.Context(), "f", 0o755))
	require.ErrorIs(t, h.Rename(t.Context(), "a", "b"), fs.ErrExist)
	require.ErrorIs(t, h.Rename(t.Context(), "a", "f"), fs.ErrExist)
	require.Equal(t, "B", read(t, h, "b"))
	require.NoError(t, h.Rename(t.Context(), "a", "f/a"))
	require.Equal(t, "A", read(t, h, "f/a"))
	require.Equal(t, tree.Absent, being(t, h, "a"))
	require.NoError(t, h.Rename(t.Context(), "f", "g"))
	require.Equal(t, "A", read(t, h, "g/a"))
}

func replace(t *testing.T, h remote.Host) {
	write(t, h, "a", "A")
	write(t, h, "b", "B")
	if err := h.Replace(t.Context(), "a", "b"); err != nil {
		require.Equal(t, "B", read(t, h, "b"), "refused, and nothing changed")
		require.Equal(t, "A", read(t, h, "a"))
		return
	}
	require.Equal(t, "A", read(t, h, "b"))
	require.Equal(t, tree.Absent, being(t, h, "a"))
}

func folders(t *testing.T, h remote.Host) {
	require.NoError(t, h.MakeFolder(t.Context(), "f", 0o755))
	require.ErrorIs(t, h.MakeFolder(t.Context(), "f", 0o755), fs.ErrExist)
	require.ErrorIs(t, h.MakeFolder(t.Context(), "x/y", 0o755), fs.ErrNotExist)
	write(t, h, "f/a", "1")
	require.ErrorIs(t, h.RemoveFolder(t.Context(), "f"), remote.ErrNotEmpty)
	require.Equal(t, "1", read(t, h, "f/a"))
	require.NoError(t, h.RemoveFile(t.Context(), "f/a"))
	require.NoError(t, h.RemoveFolder(t.Context(), "f"))
	require.Equal(t, tree.Absent, being(t, h, "f"))
}

func removing(t *testing.T, h remote.Host) {
	write(t, h, "a", "1")
	require.NoError(t, h.RemoveFile(t.Context(), "a"))
	require.Equal(t, tree.Absent, being(t, h, "a"))
	require.NoError(t, h.MakeFolder(t.Context(), "f", 0o755))
	write(t, h, "f/b", "2")
	require.Error(t, h.RemoveFile(t.Context(), "f"), "a folder is no file")
	require.Equal(t, "2", read(t, h, "f/b"))
}

func modes(t *testing.T, h remote.Host) {
	w, err := h.Create(t.Context(), "tool", 0o750)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	i, err := h.Stat(t.Context(), "tool")
	require.NoError(t, err)
	if i.Mode == 0 {
		t.Skip("this host keeps no permission bits")
	}
	require.Equal(t, uint32(0o750), i.Mode)
	require.NoError(t, h.SetMode(t.Context(), "tool", 0o600))
	require.NoError(t, h.MakeFolder(t.Context(), "f", 0o700))
	for p, want := range map[tree.Path]uint32{"tool": 0o600, "f": 0o700} {
		i, err = h.Stat(t.Context(), p)
		require.NoError(t, err)
		require.Equal(t, want, i.Mode, p)
	}
}

func oddNames(t *testing.T, h remote.Host) {
	names := []tree.Path{"with space", "#hash", "semi;colon", "ünïcode", "-dash", "quote'\"", "star*", "$dollar", "%41", tree.Path(strings.Repeat("n", 255))}
	for i, n := range names {
		write(t, h, n, fmt.Sprint(i))
	}
	list, err := h.List(t.Context(), tree.Root)
	require.NoError(t, err)
	require.Len(t, list, len(names))
	for i, n := range names {
		require.Equal(t, fmt.Sprint(i), read(t, h, n), "%q", n)
		require.NoError(t, h.RemoveFile(t.Context(), n))
	}
	deep := tree.Root
	for range 20 {
		deep = deep.Join("deep")
		require.NoError(t, h.MakeFolder(t.Context(), deep, 0o755))
	}
	write(t, h, deep.Join("x"), "y")
	require.Equal(t, "y", read(t, h, deep.Join("x")))
}

// SideBySide writes many files at the same time.
func SideBySide(t *testing.T, h remote.Host) {
	var wg sync.WaitGroup
	errs := make([]error, 40)
	for i := range errs {
		wg.Go(func() {
			p := tree.Path(fmt.Sprintf("f%d", i))
			text := strings.Repeat(fmt.Sprint(i), 1+rand.IntN(50_000))
			w, err := h.Create(t.Context(), p, 0o644)
			if err == nil {
				_, err = io.Copy(w, strings.NewReader(text))
			}
			if err == nil {
				err = w.Close()
			}
			if err == nil {
				err = h.Rename(t.Context(), p, p+".done")
			}
			if err == nil {
				var i remote.Info
				if i, err = h.Stat(t.Context(), p+".done"); err == nil && i.Size != int64(len(text)) {
					err = fmt.Errorf("%s is %d bytes, not %d", p, i.Size, len(text))
				}
			}
			errs[i] = err
		})
	}
	wg.Wait()
	for _, err := range errs {
		require.NoError(t, err)
	}
}

func ended(t *testing.T, h remote.Host) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := h.List(ctx, tree.Root)
	require.ErrorIs(t, err, context.Canceled)
	_, err = h.Stat(ctx, "a")
	require.ErrorIs(t, err, context.Canceled)
	_, err = h.Create(ctx, "a", 0o644)
	require.ErrorIs(t, err, context.Canceled)
	require.Equal(t, tree.Absent, being(t, h, "a"), "the host is still there, and nothing was made")
}

func probe(t *testing.T, h remote.Host) {
	write(t, h, "theirs", "1")
	f, err := remote.Probe(t.Context(), h, ".work", time.Now)
	require.NoError(t, err)
	require.True(t, f.RenameFromWork)
	require.True(t, f.RenameFolders)
	require.False(t, f.CaseBlind)
	require.Equal(t, 1, f.Entries)
	require.Positive(t, f.Resolution)
	require.InDelta(t, 0, f.Skew, 60_000)
	list, err := h.List(t.Context(), tree.Root)
	require.NoError(t, err)
	require.Len(t, list, 1, "a probe leaves nothing behind")
}
