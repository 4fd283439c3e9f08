package records

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// Whatever an add-on has in an event (a claim, an entry, an edit), the events of it are those of all
// that touch it.
func TestTheEventsOfAnAddonAreThoseThatTouchIt(t *testing.T) {
	addons := rapid.SampledFrom([]string{"lamps", "lamp", "tea & cake", `the "old" gate`, "größe"})
	db, n := open(t), 0
	rapid.Check(t, func(r *rapid.T) {
		n++
		s := server(t, db, fmt.Sprintf("saltpan-%d", n))
		claimed := rapid.SliceOfNDistinct(rapid.Custom(func(r *rapid.T) draft.Claim {
			a := addons.Draw(r, "claims")
			return draft.Claim{Addon: a, Label: a + "@1", Crate: tree.Sum([]byte(a)), Role: rapid.SampledFrom(roles).Draw(r, "role")}
		}), 0, 2, func(c draft.Claim) string { return c.Addon })
		listed := rapid.SliceOfN(rapid.Custom(func(r *rapid.T) draft.Listing {
			return draft.Listing{Addon: addons.Draw(r, "lists"), Key: "an entry"}
		}), 0, 2)
		for range rapid.IntRange(1, 4).Draw(r, "deployments") {
			var changes []draft.Change
			for _, p := range []tree.Path{"a", "b", "list"} {
				c := draft.Change{Path: p, Before: tree.Nothing, After: content("x"), ClaimsBefore: claimed.Draw(r, "before"), ClaimsAfter: claimed.Draw(r, "after"), ListedBefore: listed.Draw(r, "listed before"), ListedAfter: listed.Draw(r, "listed after")}
				if rapid.Bool().Draw(r, "edited") {
					c.Edits = []draft.Edit{{Addon: addons.Draw(r, "edits")}}
				}
				changes = append(changes, c)
			}
			concluded(r, db, drafted(t, db, s), changes)
		}
		all, err := db.Events(t.Context(), s.ID)
		require.NoError(r, err)
		for _, a := range []string{"lamps", "lamp", "tea & cake", `the "old" gate`, "größe", "nobody", "an entry"} {
			want := slices.DeleteFunc(slices.Clone(all), func(e model.Event) bool { return !e.Touches(a) })
			got, err := db.EventsOf(t.Context(), s.ID, a)
			require.NoError(r, err)
			require.ElementsMatch(r, want, got, a)
			require.True(r, slices.IsSortedFunc(got, func(a, b model.Event) int { return int(a.Seq - b.Seq) }))
		}
	})
}
