package draft

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
)

func TestMomentsAreComparedByAddOnAndByFile(t *testing.T) {
	content := func(text string) tree.State {
		return tree.State{Being: tree.Content, Digest: tree.Sum([]byte(text)), Size: int64(len(text))}
	}
	claim := func(label string) []Claim { return []Claim{{Addon: label[:4], Label: label}} }
	events := []Event{
		{Seq: 1, Change: Change{Path: "a", After: content("1"), ClaimsAfter: claim("lamp@1")}},
		{Seq: 2, Change: Change{Path: "f", After: tree.State{Being: tree.Folder}, ClaimsAfter: claim("lamp@1")}},
		{Seq: 3, Change: Change{Path: "hand", Before: content("hand"), After: content("drum"), ClaimsAfter: claim("drum@1")}},
		{Seq: 4, Change: Change{Path: "a", Before: content("1"), After: content("2"), ClaimsBefore: claim("lamp@1"), ClaimsAfter: claim("lamp@2")}},
		{Seq: 5, Change: Change{Path: "f", Before: tree.State{Being: tree.Folder}, ClaimsBefore: claim("lamp@1")}},
		{Seq: 6, Change: Change{Path: "order", Before: content("x"), After: content("y"), ListedAfter: []Listing{{Addon: "drum", Off: true}}}},
	}
	between := func(was, is int64) Between { return Compare(MomentAfter(events, was), MomentAfter(events, is)) }
	require.Equal(t, []AddonTurn{{"drum", "", "drum@1"}, {"lamp", "", "lamp@1"}}, between(0, 3).Addons)
	require.Equal(t, []PathTurn{{"a", tree.State{}, content("1"), "lamp@1"}, {"hand", content("hand"), content("drum"), "drum@1"}}, between(0, 3).Paths, "what lay there by hand was there before")
	require.Equal(t, []AddonTurn{{"drum", "drum@1", "drum@1, disabled"}, {"lamp", "lamp@1", "lamp@2"}}, between(3, 9).Addons)
	require.Equal(t, []PathTurn{{"a", content("1"), content("2"), "lamp@2"}, {"order", content("x"), content("y"), ""}}, between(3, 9).Paths)
	require.Equal(t, []AddonTurn{{"drum", "drum@1", ""}, {"lamp", "lamp@1", ""}}, between(3, 0).Addons, "the other way round")
	require.Zero(t, between(4, 4))
}

// Any history, split anywhere: what differs on the way there and back is the same, mirrored, and
// there is none exactly where every path and every add-on stood the same.
func TestComparingIsTheSameBothWays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		now := map[tree.Path]Stood{}
		var events []Event
		for seq := range rapid.IntRange(0, 12).Draw(t, "events") {
			p := rapid.SampledFrom([]tree.Path{"a", "b", "c/d"}).Draw(t, "path")
			was := now[p]
			var is Stood
			if n := rapid.IntRange(0, 2).Draw(t, "content"); n > 0 {
				is = Stood{State: tree.State{Being: tree.Content, Digest: tree.Sum([]byte{byte(n)}), Size: 1}, Claims: []Claim{{Addon: "x", Label: rapid.SampledFrom([]string{"x@1", "x@2"}).Draw(t, "label")}}}
			}
			now[p] = is
			events = append(events, Event{Seq: int64(seq + 1), Change: Change{Path: p, Before: was.State, ClaimsBefore: was.Claims, After: is.State, ClaimsAfter: is.Claims}})
		}
		at := func(name string) Moment {
			return MomentAfter(events, int64(rapid.IntRange(0, len(events)).Draw(t, name)))
		}
		x, y := at("x"), at("y")
		there, back := Compare(x, y), Compare(y, x)
		for i := range back.Addons {
			back.Addons[i].Was, back.Addons[i].Is = back.Addons[i].Is, back.Addons[i].Was
		}
		require.Equal(t, there.Addons, back.Addons)
		require.Len(t, back.Paths, len(there.Paths))
		differs := map[tree.Path]bool{}
		for i, p := range there.Paths {
			differs[p.Path] = true
			require.Equal(t, []any{p.Path, p.Was, p.Is}, []any{back.Paths[i].Path, back.Paths[i].Is, back.Paths[i].Was})
		}
		for p := range now {
			require.Equal(t, x[p].State != y[p].State, differs[p])
		}
		require.Equal(t, MomentAfter(events, int64(len(events)))["a"], now["a"], "the last moment is now")
	})
}
