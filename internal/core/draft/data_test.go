package draft

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/tree"
)

// ledgerOf drafts lamps on a server whose data folder holds some bytes.
func ledgerOf(host Host, written string) *Draft {
	w := newWorld()
	w.write("data/now", written)
	req := w.request()
	free := req.Host
	free.Copies, free.Free, free.Rate, free.RenameMS, free.SideBySide = host.Copies, host.Free, host.Rate, host.RenameMS, host.SideBySide
	req.Host = free
	req.Power = &Power{Condition: power.Running, Stop: "command", Start: "command"}
	req.Data = []DataFolder{{Path: "data", Why: "lamps may change it"}}
	req.Wanted = []Wanted{w.wanted("lamps", "1", map[tree.Path]string{"lamp": "lit"})}
	return Make(req, w.observe())
}

func copyStep(d *Draft) (Step, Motion) {
	for _, s := range d.Steps {
		if s.Verb == CopyData {
			return s, d.Motions.At(s.Motions[0] - 1)
		}
	}
	return Step{}, Motion{}
}

// A world that grows between the draft and the run does not make the draft untrue.
func TestWhatAServerGoesOnWritingIsNoPartOfTheDigest(t *testing.T) {
	for _, copies := range []bool{false, true} {
		before, after := ledgerOf(Host{Set: ability.Set{Copies: copies, Free: -1}}, "day 1"), ledgerOf(Host{Set: ability.Set{Copies: copies, Free: -1}}, strings.Repeat("day 2 ", 300_000))
		a, _ := copyStep(before)
		b, _ := copyStep(after)
		require.NotEqual(t, a, b)
		require.Equal(t, before.Digest(), after.Digest())
	}
	require.NotEqual(t, ledgerOf(Host{Set: ability.Set{Free: -1}}, "day 1").Digest(), ledgerOf(Host{Set: ability.Set{Copies: true, Free: -1}}, "day 1").Digest(), "who copies it does count")
}

func TestDataIsCopiedByTheHostWhereItCan(t *testing.T) {
	d := ledgerOf(Host{Set: ability.Set{Free: -1}}, "day 1")
	s, m := copyStep(d)
	require.Equal(t, "1 file", s.What)
	require.EqualValues(t, 5, s.Bytes)
	require.False(t, m.OnHost)
	require.Equal(t, Counts{In: 1, Send: 3, Keep: 5}, d.Counts)

	d = ledgerOf(Host{Set: ability.Set{Copies: true, Free: -1}}, strings.Repeat("x", 1_500_000))
	s, m = copyStep(d)
	require.Equal(t, "1 file, 2 MB, on the host itself", s.What)
	require.Zero(t, s.Bytes, "nothing crosses the line")
	require.True(t, m.OnHost)
	require.Equal(t, Counts{In: 1, Send: 3, Copied: 1_500_000}, d.Counts)

	d = ledgerOf(Host{Set: ability.Set{Copies: true, Free: 1_000_000}}, strings.Repeat("x", 1_500_000))
	require.Equal(t, "The host has 1000000 bytes free and 3 are to be sent and 1500000 to be copied there.", said(t, d, "no-room"))
}

func TestHowLongFetchingTakesIsTold(t *testing.T) {
	what := func(h Host, size int) string {
		h.Free = -1
		s, _ := copyStep(ledgerOf(h, strings.Repeat("x", size)))
		return s.What
	}
	require.Equal(t, "1 file, about 3 s to fetch", what(Host{Rate: 500_000}, 1_500_000))
	require.Equal(t, "1 file, about 4 s to fetch", what(Host{Set: ability.Set{RenameMS: 400}, Rate: 500_000, SideBySide: 1}, 1_500_000), "and two round trips for each file")
	require.Equal(t, "1 file", what(Host{Rate: 500_000}, 100), "a moment is not worth telling")
	require.Equal(t, "1 file", what(Host{}, 1_500_000))
	require.Equal(t, "1 file, fetched while the server is stopped", what(Host{}, 11<<20), "how fast is not known yet")
	d := ledgerOf(Host{Set: ability.Set{Free: -1}, Rate: 100_000}, strings.Repeat("x", 1_500_000))
	require.Equal(t, "The server is away for as long as it takes to stop and start, and 15 s of ours. Everything that can be done before is done before.", said(t, d, "away"))
}
