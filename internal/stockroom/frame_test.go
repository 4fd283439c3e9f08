package stockroom

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
)

// scanned reads a segment without any records.
func scanned(t require.TestingT, r *Room, name string, raw []byte) (found []tree.Digest, lost int64) {
	require.NoError(t, os.WriteFile(r.path(name), raw, 0o600))
	lost, err := r.Scan(context.Background(), name, func(h Held) {
		require.Equal(t, h.Digest, tree.Sum(raw[h.Span.Offset:h.Span.Offset+h.Span.Length]))
		found = append(found, h.Digest)
	})
	require.NoError(t, err)
	return found, lost
}

// Whatever bytes stand between, before and behind them, contents are found again
// by their frames, and nothing else is.
func TestASegmentIsReadWithoutAnyRecords(t *testing.T) {
	r, err := Open(t.TempDir(), index{})
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		var raw []byte
		var want []tree.Digest
		junk := int64(0)
		for range rapid.IntRange(0, 6).Draw(t, "parts") {
			body := rapid.SliceOfN(rapid.Byte(), 0, 300).Draw(t, "body")
			if rapid.Bool().Draw(t, "long") {
				body = bytes.Repeat(append(body, 'x'), 500)
			}
			switch rapid.IntRange(0, 3).Draw(t, "kind") {
			case 0:
				raw, junk = append(raw, body...), junk+int64(len(body))
			case 1: // a frame whose content was never written whole
				raw = append(append(raw, frameOf(tree.Sum([]byte("never")), int64(len(body)))...), body...)
				junk += int64(frameSize + len(body))
			default:
				raw = append(append(raw, frameOf(tree.Sum(body), int64(len(body)))...), body...)
				want = append(want, tree.Sum(body))
			}
		}
		found, lost := scanned(t, r, "segments/x", raw)
		require.Equal(t, want, found)
		require.Equal(t, junk, lost)
	})
}

func TestSmallAndLargeContentsHaveTheirFrames(t *testing.T) {
	r, err := Open(t.TempDir(), index{})
	require.NoError(t, err)
	s, err := r.Segment("d")
	require.NoError(t, err)
	var want []tree.Digest
	for _, n := range []int{0, 1, smallContent - 1, smallContent, smallContent + 1, 3 * smallContent} {
		k, err := s.Append(t.Context(), strings.NewReader(strings.Repeat("h", n)))
		require.NoError(t, err)
		require.EqualValues(t, n, k.Size)
		want = append(want, k.Digest)
	}
	require.NoError(t, errors.Join(s.Sync(), s.Close()))
	raw, err := os.ReadFile(r.path(s.Name()))
	require.NoError(t, err)
	found, lost := scanned(t, r, "segments/copy", raw)
	require.Equal(t, want, found)
	require.Zero(t, lost)
}

func TestADatabaseIsToldFromTheOneThatTheStockroomBelongsTo(t *testing.T) {
	r, err := Open(t.TempDir(), index{})
	require.NoError(t, err)
	require.NoError(t, r.Check(Mark{"one", 1}, nil), "an empty stockroom is anybody's")
	in, err := r.Receive(t.Context(), strings.NewReader("a"))
	require.NoError(t, err)
	name, err := in.Commit(nil)
	require.NoError(t, err)
	known := map[string]bool{name: true}
	require.NoError(t, r.Check(Mark{"one", 5}, known), "an earlier version wrote no mark")
	var other *StrangerError
	require.ErrorAs(t, r.Check(Mark{"one", 5}, nil), &other)
	require.ErrorContains(t, other, "none of them: it was lost, or begun anew")
	require.NoError(t, r.SetMark(Mark{"one", 5}))
	require.NoError(t, r.Check(Mark{"one", 5}, known))
	require.NoError(t, r.Check(Mark{"one", 6}, known))
	require.ErrorContains(t, r.Check(Mark{"one", 4}, known), "it is older than the stockroom (it has counted to 4, and the stockroom has seen 5)")
	require.ErrorContains(t, r.Check(Mark{"two", 9}, known), "it is not the one that the stockroom's mark.json names")
}

func TestASourceThatBreaksOffIsNoContent(t *testing.T) {
	r, err := Open(t.TempDir(), index{})
	require.NoError(t, err)
	s, err := r.Segment("d")
	require.NoError(t, err)
	_, err = s.Append(t.Context(), io.MultiReader(strings.NewReader("half"), iotest.ErrReader(io.ErrUnexpectedEOF)))
	require.ErrorIs(t, err, io.ErrUnexpectedEOF)
}
