package draft

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
)

func TestNamesThatDoNotMatchAreTold(t *testing.T) {
	f := newFair("call Gate\ncall drm\ncall unamed\ncall nobody\n", "gate", "unnamed")
	deploy := func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1")} }
	what := names(f.draft(deploy))
	require.ElementsMatch(t, []string{
		`fair.order names "Gate" in line 1, and the server has no such thing; it has "gate", which differs in case.`,
		`fair.order names "drm" in line 2, and there is no such thing on the server.`, // drum is named already
		`fair.order names "unamed" in line 3, and the server has no such thing; it has "unnamed".`,
		`fair.order names "nobody" in line 4, and there is no such thing on the server.`,
		`gate is on the server, and fair.order does not name it.`,
		`unnamed is on the server, and fair.order does not name it.`,
	}, what)

	f.list.Proves = false // such as where a manifest says what an entry is made from
	require.ElementsMatch(t, []string{
		`gate is on the server, and fair.order does not name it.`,
		`unnamed is on the server, and fair.order does not name it.`,
	}, names(f.draft(deploy)))

	f.list.Elsewhere = func(p tree.Path) bool { return p == "stalls/gate" } // a group folder
	require.NotContains(t, names(f.draft(deploy)), `gate is on the server, and fair.order does not name it.`)
}

// names are what a draft says of names that do not match.
func names(d *Draft) (what []string) {
	for _, x := range d.Findings {
		if x.Code == "listed-nothing" || x.Code == "not-listed" {
			what = append(what, x.What)
		}
	}
	return what
}

func TestWhatADraftTakesOutIsNotCalledUnlisted(t *testing.T) {
	f := newFair("call gate\n", "gate")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1"), f.stall("horn", "1")} }))
	require.Empty(t, names(f.draft(func(r *Request) { r.Remove = []Removal{{Addon: "drum", Name: "drum"}} })))

	f.text = "call gate\ncall horn\n" // somebody takes an entry out
	require.Equal(t, []string{"fair.order does not name drum any more, which drum@1 needs; somebody has taken the entry out."},
		names(f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("horn", "2"), f.stall("flute", "1")} })))
	require.Empty(t, names(f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1")} })), "it is put in again")
}
