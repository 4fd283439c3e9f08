package retention

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func names(list []Archive) (out []string) {
	for _, a := range list {
		out = append(out, a.Filename)
	}
	return out
}

func TestEachReasonToStay(t *testing.T) {
	list := []Archive{
		{Digest: "a", Filename: "oldest.zip", Size: 10, Age: 90, Newer: 3},
		{Digest: "b", Filename: "deployed.zip", Size: 10, Age: 80, Newer: 2, Servers: []string{"one", "two", "three"}},
		{Digest: "c", Filename: "learnt.zip", Size: 10, Age: 70, Newer: 2, Wanted: "one learns from it"},
		{Digest: "d", Filename: "last.zip", Size: 10, Age: 60},
		{Digest: "e", Filename: "young.zip", Size: 10, Age: 5, Newer: 1},
	}
	for _, x := range []struct {
		policy Policy
		gone   []string
	}{
		{Policy{}, nil},
		{Policy{OlderThan: 50}, []string{"oldest.zip", "last.zip"}},
		{Policy{Versions: 1}, []string{"oldest.zip", "young.zip"}},
		{Policy{Versions: 2}, []string{"oldest.zip"}},
		{Policy{OlderThan: 50, Versions: 1}, []string{"oldest.zip"}},
		{Policy{Below: 45}, []string{"oldest.zip"}},
		{Policy{Below: 35}, []string{"oldest.zip", "last.zip"}},
		{Policy{Below: 50}, nil},
		{Policy{Only: []string{"e", "b"}}, []string{"young.zip"}},
	} {
		gone, kept := x.policy.Choose(list, 50)
		require.Equal(t, x.gone, names(gone), "%+v", x.policy)
		require.Len(t, kept, len(list)-len(gone))
	}
	_, kept := Policy{Only: []string{"e", "b"}}.Choose(list, 50)
	require.Equal(t, "it was not named", kept[0].Why)
	require.Equal(t, "it is on one and 2 more", kept[1].Why)
}

// Whatever a policy says: nothing goes that is on a server or wanted, each archive is told
// once, and no more goes for space than has to.
func TestNothingThatIsNeededGoes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var list []Archive
		total := int64(0)
		for i := range rapid.IntRange(0, 12).Draw(t, "n") {
			a := Archive{Digest: fmt.Sprint(i), Filename: fmt.Sprint(i), Size: int64(rapid.IntRange(1, 9).Draw(t, "size")), Age: int64(rapid.IntRange(0, 9).Draw(t, "age")), Newer: rapid.IntRange(0, 3).Draw(t, "newer")}
			if rapid.Bool().Draw(t, "on") {
				a.Servers = []string{"s"}
			}
			if rapid.Bool().Draw(t, "wanted") {
				a.Wanted = "wanted"
			}
			total += a.Size
			list = append(list, a)
		}
		p := Policy{OlderThan: int64(rapid.IntRange(0, 9).Draw(t, "older")), Versions: rapid.IntRange(0, 3).Draw(t, "versions"), Below: int64(rapid.IntRange(0, 40).Draw(t, "below"))}
		gone, kept := p.Choose(list, total)
		require.Len(t, append(names(gone), make([]string, len(kept))...), len(list))
		left := total
		for _, a := range gone {
			require.Empty(t, a.Servers)
			require.Empty(t, a.Wanted)
			require.True(t, p.Versions == 0 || a.Newer >= p.Versions)
			require.True(t, a.Age >= p.OlderThan)
			if p.Below > 0 {
				require.Greater(t, left, p.Below, "one more than had to")
			}
			left -= a.Size
		}
	})
}
