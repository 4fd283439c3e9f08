package rulebook

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestPlayersAreCountedOnlyWhereTheAnswerTells(t *testing.T) {
	p := Players{Send: "hands", Count: `^(?P<count>\d+) hands? aboard`}
	for answer, want := range map[string]int{"0 hands aboard\n": 0, "1 hand aboard: ada": 1, "welcome\r\n12 hands aboard: ada, bo\r\n": 12,
		"": -1, "who?": -1, "many hands aboard": -1, "99999999999999999999 hands aboard": -1} {
		on, ok := p.Read(answer)
		require.Equal(t, want >= 0, ok, answer)
		if ok {
			require.Equal(t, want, on, answer)
		}
	}
	_, ok := Players{}.Read("0 hands aboard")
	require.False(t, ok)
}
