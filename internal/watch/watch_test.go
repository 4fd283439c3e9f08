package watch

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// bench is a watched folder with a clock of its own.
type bench struct {
	*testing.T
	folder, state string
	now           time.Time
	w             *Watcher
}

func (b *bench) open(all bool) int {
	b.w = &Watcher{Folders: []string{b.folder}, Takes: func(n string) bool {
		return strings.HasSuffix(n, ".zip") || strings.HasSuffix(n, ".part") || strings.HasSuffix(n, ".crdownload")
	}, Settle: 2 * time.Second, Now: func() time.Time { return b.now }, State: b.state}
	old, err := b.w.Open(all)
	require.NoError(b, err)
	return old
}

func (b *bench) put(name, text string) {
	require.NoError(b, os.WriteFile(filepath.Join(b.folder, name), []byte(text), 0o600))
	at := b.now
	require.NoError(b, os.Chtimes(filepath.Join(b.folder, name), at, at))
}

// after gives the names that are whole after a time.
func (b *bench) after(d time.Duration) (names []string) {
	b.now = b.now.Add(d)
	whole, err := b.w.Look()
	require.NoError(b, err)
	for _, p := range whole {
		names = append(names, filepath.Base(p))
	}
	return names
}

func newBench(t *testing.T) *bench {
	return &bench{T: t, folder: t.TempDir(), state: filepath.Join(t.TempDir(), "deep", "watched.json"), now: time.Unix(1_800_000_000, 0)}
}

func TestWhatLayThereBeforeIsOld(t *testing.T) {
	b := newBench(t)
	b.put("old.zip", "x")
	require.Equal(t, 1, b.open(false))
	require.Empty(t, b.after(time.Minute))
	require.Empty(t, b.after(time.Minute))
	b.put("old.zip", "another one under the same name")
	require.Empty(t, b.after(0))
	require.Equal(t, []string{"old.zip"}, b.after(3*time.Second))

	c := newBench(t)
	c.put("old.zip", "x")
	require.Zero(t, c.open(true))
	require.Empty(t, c.after(0))
	require.Equal(t, []string{"old.zip"}, c.after(2*time.Second))
}

func TestADownloadIsTakenOnceItStandsStill(t *testing.T) {
	b := newBench(t)
	b.open(false)
	b.put("a.zip", "half")
	require.Empty(t, b.after(0))
	require.Empty(t, b.after(time.Second))
	b.put("a.zip", "half and more")
	require.Empty(t, b.after(time.Second), "it has grown")
	require.Empty(t, b.after(time.Second))
	require.Equal(t, []string{"a.zip"}, b.after(time.Second))
	require.Equal(t, []string{"a.zip"}, b.after(time.Second), "until it is dealt with")
	require.NoError(t, b.w.Did(filepath.Join(b.folder, "a.zip")))
	require.Empty(t, b.after(time.Hour))

	// Also after a restart; what came meanwhile is new.
	b.put("b.zip", "b")
	b.open(false)
	require.Empty(t, b.after(0))
	require.Equal(t, []string{"b.zip"}, b.after(3*time.Second))
}

func TestWhatIsOnItsWayIsLeftAlone(t *testing.T) {
	b := newBench(t)
	b.open(false)
	b.put("a.zip.crdownload", "half")
	b.put("b.zip", "") // a browser holds the name with an empty file
	b.put("b.zip.part", "half")
	b.put("c.zip", "half")
	b.put("c.zip.aria2", "where it stands")
	b.put("d.txt", "no add-on")
	b.put(".hidden.zip", "x")
	require.NoError(t, os.Mkdir(filepath.Join(b.folder, "e.zip"), 0o700))
	b.after(0)
	require.Empty(t, b.after(time.Hour))
	require.NoError(t, os.Remove(filepath.Join(b.folder, "c.zip.aria2")))
	require.NoError(t, os.Rename(filepath.Join(b.folder, "b.zip.part"), filepath.Join(b.folder, "b.zip")))
	b.after(0)
	require.Equal(t, []string{"b.zip", "c.zip"}, b.after(2*time.Second))
}

func TestAFolderThatGoesAwayTakesNothingAlong(t *testing.T) {
	b := newBench(t)
	b.open(false)
	b.put("a.zip", "a")
	b.after(0)
	require.Len(t, b.after(2*time.Second), 1)
	require.NoError(t, b.w.Did(filepath.Join(b.folder, "a.zip")))
	require.NoError(t, os.Rename(b.folder, b.folder+"-off"))
	_, err := b.w.Look()
	require.ErrorIs(t, err, os.ErrNotExist)
	require.NoError(t, os.Rename(b.folder+"-off", b.folder))
	require.Empty(t, b.after(time.Minute), "what was dealt with is known still")
}
