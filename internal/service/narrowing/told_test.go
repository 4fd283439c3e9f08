package narrowing

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/narrow"
	"restlesscrate/internal/model"
)

// A search says what it knows, and blames an add-on only where that was off alone.
func TestWhatASearchSays(t *testing.T) {
	on := func(byStart bool, suspects ...string) Stand {
		return Stand{Server: "pier", Most: 2, Narrowing: model.Narrowing{Search: narrow.Search{Suspects: suspects, ByStart: byStart}}}
	}
	ended := func(st Stand) Stand { st.Over = true; return st }
	down := func(st Stand) Stand { st.Down = "no answer"; return st }
	gone := func(st Stand) Stand { st.GivenUp = true; return ended(st) }
	noted := func(st Stand) Stand { st.Note = "ropes was taken off meanwhile"; return ended(st) }
	for name, c := range map[string]struct {
		st           Stand
		says, blamed string
	}{
		"several":              {on(false, "a", "b", "c"), "It may be one of 3 add-ons; 2 questions more at most.", ""},
		"one, not yet alone":   {on(false, "ropes"), "It may be ropes; 2 questions more at most.", ""},
		"found":                {ended(on(false, "ropes")), "It is ropes: with it alone off it does not happen. Everything on pier is as it was.", "ropes"},
		"found by start":       {down(ended(on(true, "ropes"))), "It is ropes: with it off the server comes up, and with it on it does not. Everything on pier is as it was.", "ropes"},
		"it came up as it was": {ended(on(true, "ropes")), "None of them keeps pier down now: it came up with ropes off, and in the end as it was. Everything on pier is as it was.", ""},
		"a circle":             {ended(on(false, "a", "b")), "It is one of a, b, which need each other and cannot be told apart. Everything on pier is as it was.", ""},
		"none":                 {ended(on(false)), "It is none of them alone: with each of them off it still happened. Everything on pier is as it was.", ""},
		"none by start":        {down(ended(on(true))), "It is none of them alone: with each of them off the server did not come up. Everything on pier is as it was.", ""},
		"given up at three":    {gone(on(false, "a", "b", "c")), "The search is given up. Everything on pier is as it was.", ""},
		"given up at one":      {gone(on(false, "ropes")), "The search is given up. Everything on pier is as it was.", ""},
		"not all as it was":    {noted(on(false, "ropes")), "It is ropes: with it alone off it does not happen. Ropes was taken off meanwhile.", "ropes"},
	} {
		require.Equal(t, c.says, c.st.Says(), name)
		require.Equal(t, c.blamed, c.st.Blamed(), name)
	}
}
