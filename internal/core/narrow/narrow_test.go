package narrow

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whoever it is, and whoever needs whom: it is found in few questions, and never is anything
// off while something that needs it is on.
func TestTheOneIsFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 20).Draw(t, "n")
		var all []string
		needs := map[string][]string{}
		for i := range n {
			a := fmt.Sprintf("a%02d", i)
			for j := range i {
				if rapid.IntRange(0, 5).Draw(t, "needs") == 0 {
					needs[a] = append(needs[a], fmt.Sprintf("a%02d", j))
				}
			}
			all = append(all, a)
		}
		suspects := rapid.SliceOfNDistinct(rapid.SampledFrom(all), 1, n, rapid.ID[string]).Draw(t, "suspects")
		culprit := rapid.SampledFrom(suspects).Draw(t, "culprit")
		s := Begin(suspects, needs)
		require.ElementsMatch(t, suspects, s.Suspects)
		for range Most(len(suspects)) {
			off, done := s.Next()
			require.False(t, done)
			for a, list := range needs {
				for _, needed := range list {
					require.False(t, slices.Contains(off, needed) && !slices.Contains(off, a), "%s is on and needs %s", a, needed)
				}
			}
			s.Tell(!slices.Contains(off, culprit))
			if s.Alone {
				break
			}
		}
		_, done := s.Next()
		require.True(t, done)
		require.LessOrEqual(t, s.Tried, Most(len(suspects)))
		require.Equal(t, []string{culprit}, s.Suspects)
	})
}

func TestWhereItIsNoneOfThem(t *testing.T) {
	s := Begin([]string{"a", "b", "c"}, nil)
	for {
		if _, done := s.Next(); done {
			break
		}
		s.Tell(true)
	}
	require.Empty(t, s.Suspects, "with each of them off it still happens")
	require.LessOrEqual(t, s.Tried, Most(3))
}

func TestACircleIsNoTrap(t *testing.T) {
	s := Begin([]string{"a", "b"}, map[string][]string{"a": {"b"}, "b": {"a"}})
	off, _ := s.Next()
	require.Equal(t, []string{"a", "b"}, off, "who needs one that is off is off too")
	s.Tell(false)
	_, done := s.Next()
	require.True(t, done, "they cannot be told apart")
	require.ElementsMatch(t, []string{"a", "b"}, s.Suspects)
}
