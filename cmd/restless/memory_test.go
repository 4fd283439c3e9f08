package main

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTheCeilingGivesWayToWhatIsInUse(t *testing.T) {
	require.EqualValues(t, ceiling, limitFor(10<<20, 20<<20), "little is in use")
	require.EqualValues(t, 448<<20+20<<20, limitFor(400<<20, 20<<20), "much is: an eighth of it may be garbage")

	kept := make([]byte, 32<<20)
	live, rest := inUse()
	require.Positive(t, rest)
	require.Less(t, rest, int64(64<<20), "the heap is not counted beside the heap")
	require.GreaterOrEqual(t, live, int64(0))
	require.NotNil(t, kept)
}
