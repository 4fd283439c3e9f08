package timeline_test

import (
	"maps"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/timeline"
)

func TestWhatIsTakenBackAndByWhich(t *testing.T) {
	one := func(n int) timeline.Done { return timeline.Done{Number: n} }
	back := func(n, of int) timeline.Done { return timeline.Done{Number: n, Back: of} }
	to := func(n, to int) timeline.Done { return timeline.Done{Number: n, Whole: true, To: to} }
	for name, c := range map[string]struct {
		list []timeline.Done
		by   map[int]int
	}{
		"nothing":                        {[]timeline.Done{one(1), one(2)}, map[int]int{}},
		"one":                            {[]timeline.Done{one(1), one(2), back(3, 1)}, map[int]int{1: 3}},
		"one, and that again":            {[]timeline.Done{one(1), back(2, 1), back(3, 2)}, map[int]int{2: 3}},
		"to a moment":                    {[]timeline.Done{one(1), one(2), one(3), to(4, 1)}, map[int]int{2: 4, 3: 4}},
		"to before the first, and forth": {[]timeline.Done{one(1), one(2), to(3, 0), to(4, 2)}, map[int]int{3: 4}},
		"to before it was taken back":    {[]timeline.Done{one(1), one(2), back(3, 1), to(4, 2)}, map[int]int{3: 4}},
		"a moment at which it was taken": {[]timeline.Done{one(1), back(2, 1), one(3), to(4, 2)}, map[int]int{1: 2, 3: 4}},
	} {
		require.Equal(t, c.by, timeline.TakenBack(c.list), name)
	}
}

// Against a model that keeps what is in force after each deployment, and reverses the difference
// that one made.
func TestTakenBackAgreesWithTheStatesOneAfterTheOther(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		states := []map[int]bool{{}}
		var list []timeline.Done
		for n := 1; n <= rapid.IntRange(1, 12).Draw(rt, "long"); n++ {
			d, now := timeline.Done{Number: n}, maps.Clone(states[n-1])
			by := timeline.TakenBack(list)
			var force []int
			for o := 1; o < n; o++ {
				if by[o] == 0 {
					force = append(force, o)
				}
			}
			switch what := rapid.IntRange(0, 3).Draw(rt, "what"); {
			case what == 0 && len(force) > 0:
				d.Back = rapid.SampledFrom(force).Draw(rt, "of")
				for p := range states[d.Back-1] {
					if !states[d.Back][p] {
						now[p] = true
					}
				}
				for p := range states[d.Back] {
					if !states[d.Back-1][p] {
						delete(now, p)
					}
				}
			case what == 1:
				d.Whole, d.To = true, rapid.IntRange(0, n-1).Draw(rt, "to")
				now = maps.Clone(states[d.To])
			default:
				now[n] = true
			}
			states, list = append(states, now), append(list, d)
		}
		by := timeline.TakenBack(list)
		for _, d := range list {
			if d.Back == 0 && !d.Whole {
				require.Equal(rt, by[d.Number] == 0, states[len(states)-1][d.Number], "%d of %v", d.Number, list)
			}
		}
	})
}
