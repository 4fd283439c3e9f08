package stockroom

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
)

// index is the records' part, in memory.
type index map[tree.Digest]Location

func (x index) Locate(_ context.Context, d tree.Digest) (Location, error) {
	if l, ok := x[d]; ok {
		return l, nil
	}
	return Location{}, ErrNotHeld
}

func text(t *testing.T, r *Room, d tree.Digest) (string, error) {
	t.Helper()
	rc, err := r.Open(t.Context(), d)
	require.NoError(t, err)
	raw, err := io.ReadAll(rc)
	require.NoError(t, rc.Close())
	return string(raw), err
}

func TestWhatIsReceivedIsReadBackAndDamageIsFoundOut(t *testing.T) {
	x, dir := index{}, t.TempDir()
	r, err := Open(dir, x)
	require.NoError(t, err)
	in, err := r.Receive(t.Context(), strings.NewReader("harbour"))
	require.NoError(t, err)
	require.Equal(t, tree.Sum([]byte("harbour")), in.Digest)
	container, err := in.Commit()
	require.NoError(t, err)
	x[in.Digest] = Location{Container: container, Span: Span{Length: 7, Size: 7, Method: Stored}}
	got, err := text(t, r, in.Digest)
	require.NoError(t, err)
	require.Equal(t, "harbour", got)

	require.NoError(t, os.WriteFile(filepath.Join(dir, container), []byte("harbor!"), 0o600))
	_, err = text(t, r, in.Digest)
	require.ErrorContains(t, err, "are damaged in")
	_, err = r.Open(t.Context(), tree.Sum([]byte("never")))
	require.ErrorIs(t, err, ErrNotHeld)
}

// broken gives some bytes and then fails.
type broken struct{ r io.Reader }

var errBroken = errors.New("the line broke")

func (b broken) Read(p []byte) (int, error) {
	n, err := b.r.Read(p)
	if err == io.EOF {
		err = errBroken
	}
	return n, err
}

func TestABrokenUploadLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	r, err := Open(dir, index{})
	require.NoError(t, err)
	_, err = r.Receive(t.Context(), broken{strings.NewReader("half")})
	require.ErrorIs(t, err, errBroken)
	left, err := os.ReadDir(filepath.Join(dir, incoming))
	require.NoError(t, err)
	require.Empty(t, left)
}

func TestASegmentGoesOnWhereItEnded(t *testing.T) {
	x := index{}
	r, err := Open(t.TempDir(), x)
	require.NoError(t, err)
	for _, part := range []string{"old one", "another"} {
		s, err := r.Segment("d")
		require.NoError(t, err)
		_, err = s.Append(t.Context(), broken{strings.NewReader("cut off")})
		require.ErrorIs(t, err, errBroken)
		k, err := s.Append(t.Context(), strings.NewReader(part))
		require.NoError(t, err)
		require.NoError(t, errors.Join(s.Sync(), s.Close()))
		x[k.Digest] = k.Location
	}
	for _, part := range []string{"old one", "another"} {
		got, err := text(t, r, tree.Sum([]byte(part)))
		require.NoError(t, err)
		require.Equal(t, part, got)
	}
}

func TestASweepTakesOnlyWhatNobodyKnows(t *testing.T) {
	r, err := Open(t.TempDir(), index{})
	require.NoError(t, err)
	var names []string
	for _, part := range []string{"a", "b"} {
		in, err := r.Receive(t.Context(), strings.NewReader(part))
		require.NoError(t, err)
		name, err := in.Commit()
		require.NoError(t, err)
		names = append(names, name)
	}
	n, err := r.Sweep(func(c string) bool { return c == names[0] })
	require.NoError(t, err)
	require.Equal(t, 1, n)
	require.FileExists(t, r.path(names[0]))
	require.NoFileExists(t, r.path(names[1]))
}
