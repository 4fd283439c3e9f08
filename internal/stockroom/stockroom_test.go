package stockroom

import (
	"bytes"
	"compress/flate"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
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

func (x index) Damaged(_ context.Context, d tree.Digest) error {
	x[tree.Sum([]byte("damaged "+d.String()))] = Location{}
	return nil
}

// toldDamaged tells whether the index was told of damage to a content.
func (x index) toldDamaged(d tree.Digest) bool {
	_, told := x[tree.Sum([]byte("damaged "+d.String()))]
	return told
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
	container, err := in.Commit([]byte(`{"filename":"harbour.tdx"}`))
	require.NoError(t, err)
	x[in.Digest] = Location{Container: container, Span: Span{Length: 7, Size: 7, Method: Stored}}
	got, err := text(t, r, in.Digest)
	require.NoError(t, err)
	require.Equal(t, "harbour", got)

	require.NoError(t, os.WriteFile(filepath.Join(dir, container), []byte("harbor!"), 0o600))
	_, err = text(t, r, in.Digest)
	require.ErrorContains(t, err, "are damaged in")
	require.True(t, x.toldDamaged(in.Digest))
	require.NoError(t, os.Remove(filepath.Join(dir, container)))
	var bad *DamagedError
	require.ErrorAs(t, r.Sound(t.Context(), in.Digest), &bad)
	require.Equal(t, container, bad.Container)
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

func TestWhatNobodyKnowsIsSetAsideAndNotDeleted(t *testing.T) {
	r, err := Open(t.TempDir(), index{})
	require.NoError(t, err)
	var names []string
	for _, part := range []string{"a", "b"} {
		in, err := r.Receive(t.Context(), strings.NewReader(part))
		require.NoError(t, err)
		name, err := in.Commit(nil)
		require.NoError(t, err)
		names = append(names, name)
	}
	for n := range 2 {
		moved, err := r.SetAside(func(c string) bool { return c == names[0] })
		require.NoError(t, err)
		require.Equal(t, names[1:], moved)
		require.FileExists(t, r.path(names[0]))
		require.NoFileExists(t, r.path(names[1]))
		kept, err := os.ReadFile(r.path("aside/"+names[1]) + []string{"", ".2"}[n])
		require.NoError(t, err)
		require.Equal(t, "b", string(kept))
		in, err := r.Receive(t.Context(), strings.NewReader("b"))
		require.NoError(t, err)
		_, err = in.Commit(nil)
		require.NoError(t, err)
	}
}

func TestAPackBeginsAnewAndWhatIsDerivedGoesOn(t *testing.T) {
	x, dir := index{}, t.TempDir()
	r, err := Open(dir, x)
	require.NoError(t, err)
	archive := tree.Sum([]byte("archive"))
	for _, text := range []string{"an attempt that was given up", "whole"} {
		s, err := r.Pack(archive)
		require.NoError(t, err)
		k, err := s.Append(t.Context(), strings.NewReader(text))
		require.NoError(t, err)
		require.EqualValues(t, frameSize, k.Offset, "a pack is written from its beginning")
		raw := make([]byte, k.Size)
		_, err = s.ReadAt(raw, k.Offset)
		require.NoError(t, err)
		require.Equal(t, text, string(raw), "what was appended can be read before the pack is closed")
		require.NoError(t, s.Close())
	}
	s, err := r.Pack(archive)
	require.NoError(t, err)
	require.NoError(t, s.Discard())
	require.NoFileExists(t, r.path(s.Name()))

	at := []int64{}
	for _, text := range []string{"one", "two"} {
		s, err := r.Derive(archive)
		require.NoError(t, err)
		k, err := s.Append(t.Context(), strings.NewReader(text))
		require.NoError(t, err)
		require.NoError(t, errors.Join(s.Sync(), s.Close()))
		at, x[k.Digest] = append(at, k.Offset), k.Location
	}
	require.Equal(t, []int64{int64(frameSize), int64(2*frameSize) + 3}, at)
	w, err := r.Whole(t.Context(), tree.Sum([]byte("two")))
	require.NoError(t, err)
	raw := make([]byte, 2)
	_, err = w.ReadAt(raw, 1)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	require.Equal(t, "wo", string(raw))
	x[archive] = Location{Container: s.Name(), Span: Span{Method: Deflated}}
	_, err = r.Whole(t.Context(), archive)
	require.ErrorIs(t, err, ErrNotHeld, "what is packed cannot be read anywhere")
}

func TestReadersAreUsedAgainAndStayRight(t *testing.T) {
	texts := []string{strings.Repeat("harbour ", 4000), "", strings.Repeat("lamp", 9), strings.Repeat("x", 70000)}
	var raw bytes.Buffer
	var spans []Span
	for _, text := range texts {
		at := int64(raw.Len())
		w, err := flate.NewWriter(&raw, 6)
		require.NoError(t, err)
		_, err = io.WriteString(w, text)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		spans = append(spans, Span{Offset: at, Length: int64(raw.Len()) - at, Size: int64(len(text)), Method: Deflated})
	}
	var g sync.WaitGroup
	for range 8 {
		g.Go(func() {
			for range 20 {
				for i, s := range spans {
					r := s.Reader(bytes.NewReader(raw.Bytes()))
					got, err := io.ReadAll(r)
					assert.NoError(t, err)
					assert.Equal(t, texts[i], string(got))
					assert.NoError(t, r.(io.Closer).Close())
				}
			}
		})
	}
	g.Wait()
	lying := spans[0]
	lying.Size = 10
	got, err := io.ReadAll(lying.Reader(bytes.NewReader(raw.Bytes())))
	require.NoError(t, err)
	require.Len(t, got, 11, "one byte more than it says, so that the lie is found out")
}

// What has come of an upload waits for the rest, over a new start too, but not for ever.
func TestWhatHasComeOfAnUploadWaitsForADay(t *testing.T) {
	dir := t.TempDir()
	r, err := Open(dir, nil)
	require.NoError(t, err)
	require.NoError(t, r.Part("one").Append(t.Context(), strings.NewReader("half")))
	r, err = Open(dir, nil) // another start of the service
	require.NoError(t, err)
	n, err := r.Part("one").Size()
	require.NoError(t, err)
	require.EqualValues(t, 4, n)
	require.NoError(t, r.DropParts(time.Now().Add(-time.Hour)))
	require.NoError(t, r.Part("one").Append(t.Context(), strings.NewReader(" and half")))
	require.NoError(t, r.DropParts(time.Now().Add(time.Hour)))
	n, err = r.Part("one").Size()
	require.NoError(t, err)
	require.Zero(t, n)
}
