package hosts

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// logged is a server in a folder whose rulebook knows its log.
func logged(t *testing.T) (p *Powered, file string) {
	t.Helper()
	root := t.TempDir()
	h, err := remote.OpenLocal(root)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, h.Close()) })
	b := &rulebook.Book{Name: "fair", Log: rulebook.Log{File: "logs/{port}.log", Ready: []string{"^open$"}}}
	p, err = new(Service).Power(t.Context(), model.Server{Name: "a", Variables: map[string]string{"port": "north"}}, h, b)
	require.NoError(t, err)
	require.NoError(t, os.Mkdir(filepath.Join(root, "logs"), 0o755))
	return p, filepath.Join(root, "logs/north.log")
}

func put(t *testing.T, file, text string) {
	t.Helper()
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
}

// A log is read from where it ended, whatever became of it since.
func TestALogIsReadFromWhereTheStartLeftIt(t *testing.T) {
	p, file := logged(t)
	since := func(mark deploy.LogMark, want string) {
		t.Helper()
		got, err := p.LogSince(t.Context(), mark)
		require.NoError(t, err)
		require.Equal(t, want, got)
	}
	end := func() deploy.LogMark {
		t.Helper()
		mark, err := p.LogEnd(t.Context())
		require.NoError(t, err)
		return mark
	}
	none := end()
	require.Zero(t, none.Size)
	since(none, "")

	put(t, file, "start 1\nopen\n")
	since(none, "start 1\nopen\n")
	first := end()
	since(first, "")
	put(t, file, "start 1\nopen\nstart 2\n")
	since(first, "start 2\n")

	// Put aside and begun anew, shorter than before, as long, and longer.
	require.NoError(t, os.Rename(file, file+".1"))
	since(first, "")
	for _, text := range []string{"new\n", "start 9\nopen\n", "another one altogether\nopen\n"} {
		put(t, file, text)
		since(first, text)
	}
	// Cut short and written on.
	put(t, file, "")
	since(first, "")
	put(t, file, "open\n")
	since(first, "open\n")
}

// A server that starts as it did before writes the same again: its log has the same size and
// the same beginning, and is another log all the same.
func TestALogBegunAnewWithTheSameBytesIsAnotherLog(t *testing.T) {
	at := func(file string, seconds int64) {
		require.NoError(t, os.Chtimes(file, time.Unix(seconds, 0), time.Unix(seconds, 0)))
	}
	p, file := logged(t)
	put(t, file, "loading\nopen\n")
	at(file, 1000)
	mark, err := p.LogEnd(t.Context())
	require.NoError(t, err)
	got, err := p.LogSince(t.Context(), mark)
	require.NoError(t, err)
	require.Empty(t, got, "nothing was written since")
	put(t, file, "loading\nopen\n")
	at(file, 2000)
	got, err = p.LogSince(t.Context(), mark)
	require.NoError(t, err)
	require.Equal(t, "loading\nopen\n", got)

	// Seen while it was shorter, it is known to be another one also once it has outgrown the
	// first; and so is one whose end in the middle differs.
	p, file = logged(t)
	put(t, file, "loading\nopen\n")
	mark, err = p.LogEnd(t.Context())
	require.NoError(t, err)
	put(t, file, "loading\n")
	_, err = p.LogSince(t.Context(), mark)
	require.NoError(t, err)
	put(t, file, "loading\nopen\nmore\n")
	got, err = p.LogSince(t.Context(), mark)
	require.NoError(t, err)
	require.Equal(t, "loading\nopen\nmore\n", got)

	p, file = logged(t)
	same := strings.Repeat("loading part after part\n", 30)
	put(t, file, same+"open at 7\n")
	mark, err = p.LogEnd(t.Context())
	require.NoError(t, err)
	put(t, file, same+"open at 8\nmore\n")
	got, err = p.LogSince(t.Context(), mark)
	require.NoError(t, err)
	require.Equal(t, same+"open at 8\nmore\n", got)
}

// asideAt is a host on which the log is put aside just before it is opened for
// the nth time.
type asideAt struct {
	remote.Host
	nth  int
	file string
}

func (h *asideAt) OpenFrom(ctx context.Context, p tree.Path, from int64) (io.ReadCloser, error) {
	if h.nth--; h.nth == 0 {
		if err := os.Rename(h.file, h.file+".1"); err != nil {
			return nil, err
		}
	}
	return h.Host.OpenFrom(ctx, p, from)
}

// A game puts its log aside when it starts, which is just when it is looked at.
func TestALogThatIsPutAsideWhileItIsLookedAtIsEmpty(t *testing.T) {
	for nth := 1; nth <= 2; nth++ {
		p, file := logged(t)
		put(t, file, "start 1\nopen\n")
		mark, err := p.LogEnd(t.Context())
		require.NoError(t, err)
		put(t, file, "start 1\nopen\nstart 2\n")
		p.host = &asideAt{p.host, nth, file}
		text, err := p.LogSince(t.Context(), mark)
		require.NoError(t, err)
		require.Empty(t, text)
		require.FileExists(t, file+".1", "it was put aside")
	}
	p, file := logged(t)
	put(t, file, "start 1\n")
	p.host = &asideAt{p.host, 1, file}
	mark, err := p.LogEnd(t.Context())
	require.NoError(t, err)
	require.Zero(t, mark)
	require.FileExists(t, file+".1", "it was put aside")
}

func TestOnlyTheEndOfALongLogIsRead(t *testing.T) {
	p, file := logged(t)
	put(t, file, "start 1\n")
	mark, err := p.LogEnd(t.Context())
	require.NoError(t, err)
	const size = 500 << 20
	f, err := os.OpenFile(file, os.O_WRONLY, 0)
	require.NoError(t, err)
	require.NoError(t, f.Truncate(size)) // it takes no room
	_, err = f.WriteAt([]byte("\nlast line\nopen\n"), size)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	got, err := p.LogSince(t.Context(), mark)
	require.NoError(t, err)
	require.LessOrEqual(t, len(got), LongestLog)
	require.True(t, strings.HasSuffix(got, "\nlast line\nopen\n"))
}

func TestAServerThatIsNotControlledHasALogAllTheSame(t *testing.T) {
	p, _ := logged(t)
	require.False(t, p.Controlled())
	require.Nil(t, p.Known(t.Context()))
	_, asked, err := p.Ask(t.Context())
	require.NoError(t, err)
	require.False(t, asked)
}

func TestReadyIsTheReadyLineOfARunningServer(t *testing.T) {
	p, file := logged(t)
	state := filepath.Join(t.TempDir(), "up")
	spec, err := specOf(model.Server{Control: fmt.Appendf(nil, `{"probes":[{"by":"command","command":"test -e %s"}],"acts":{"stop":{"by":"hand","command":"x"},"start":{"by":"command","command":"y"}}}`, state)})
	require.NoError(t, err)
	p.d = new(Service).driver(t.Context(), model.Server{}, spec, nil)
	ready := func(want bool, words string) {
		t.Helper()
		got, said, err := p.Ready(t.Context(), deploy.LogMark{})
		require.NoError(t, err)
		require.Equal(t, want, got)
		require.Contains(t, said, words)
	}
	ready(false, "its log has no ready line yet, in 0 lines since the start; command: its command ended with 1")
	put(t, state, "")
	put(t, file, "start 1\nopen")
	ready(false, `in 1 lines since the start, the last: "start 1"; `) // the ready line is still being written
	put(t, file, "start 1\nopen\n")
	ready(true, "its log says that it is ready")
	require.NoError(t, os.Remove(state))
	ready(false, "its log says that it is ready, but it does not run as far as can be told")
	k := p.Known(t.Context())
	require.Equal(t, "hand", k.Stop)
	require.Equal(t, "x", k.StopWords)
	require.Equal(t, "command", k.Start)
	spec.Probes = nil
	k = p.Known(t.Context())
	require.Empty(t, k.Stop, "nothing would prove that it has stopped")
}
