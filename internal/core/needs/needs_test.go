package needs

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/version"
)

// item reads "tide-lamps@2.1 needs tide-base >=3, rope; conflicts gulls; off".
func item(text string) *Item {
	label, rest, _ := strings.Cut(text, " ")
	name, ver, _ := strings.Cut(label, "@")
	i := &Item{ID: label, Key: layout.Key(name), Name: name, Version: ver}
	for part := range strings.SplitSeq(rest, ";") {
		verb, list, _ := strings.Cut(strings.TrimSpace(part), " ")
		into := map[string]*[]Want{"needs": &i.Needs, "conflicts": &i.Conflicts, "replaces": &i.Replaces, "recommends": &i.Recommends}[verb]
		if verb == "off" {
			i.Off = true
		}
		if into == nil {
			continue
		}
		for w := range strings.SplitSeq(list, ",") {
			other, rng, _ := strings.Cut(strings.TrimSpace(w), " ")
			*into = append(*into, MakeWant(other, rng))
		}
	}
	return i
}

func items(texts ...string) (out []*Item) {
	for _, t := range texts {
		out = append(out, item(t))
	}
	return out
}

func said(all []Problem) (out []string) {
	for _, p := range all {
		s := fmt.Sprintf("%s: %s, %s", p.Of.Name, p.Sort, p.Want)
		if p.With != nil {
			s += ", with " + p.With.Label()
		}
		out = append(out, s)
	}
	return out
}

func labels(all []*Item) (out []string) {
	for _, i := range all {
		out = append(out, i.Label())
	}
	return out
}

func TestWhatIsWrongWithASet(t *testing.T) {
	for _, c := range []struct {
		name string
		set  []string
		want []string
	}{
		{"all is there", []string{"lamps@2 needs base >=3", "base@3.1"}, nil},
		{"one is missing", []string{"lamps@2 needs base >=3"}, []string{"lamps: missing, base >=3"}},
		{"one is too old", []string{"lamps@2 needs base >=3", "base@2.9"}, []string{"lamps: unfit, base >=3, with base@2.9"}},
		{"names are folded", []string{"Lamps@2 needs BASE", "base@1"}, nil},
		{"an unmarked version may do", []string{"lamps@2 needs base >=3", "base@unmarked"}, nil},
		{"a range that cannot be read asks for nothing more", []string{"lamps@2 needs base >>what", "base@1"}, nil},
		{"disabled does nothing", []string{"lamps@2 needs base", "base@1 off"}, []string{"lamps: disabled, base, with base@1"}},
		{"too old and disabled is too old", []string{"lamps@2 needs base >=3", "base@1 off"}, []string{"lamps: unfit, base >=3, with base@1"}},
		{"what is disabled needs nothing", []string{"lamps@2 needs base; conflicts gulls; off", "gulls@1"}, nil},
		{"a conflict", []string{"lamps@2 conflicts gulls", "gulls@1"}, []string{"lamps: conflict, gulls, with gulls@1"}},
		{"a conflict with another version", []string{"lamps@2 conflicts gulls <1", "gulls@1"}, nil},
		{"a conflict with a version that is not known is not told", []string{"lamps@2 conflicts gulls <1", "gulls@unmarked"}, nil},
		{"a conflict with what is disabled", []string{"lamps@2 conflicts gulls", "gulls@1 off"}, nil},
		{"a replacement", []string{"lamps@2 replaces old-lamps", "old-lamps@1"}, []string{"lamps: replaced, old-lamps, with old-lamps@1"}},
		{"a recommendation", []string{"lamps@2 recommends gulls"}, []string{"lamps: recommended, gulls"}},
		{"itself", []string{"lamps@2 needs lamps; conflicts lamps; replaces lamps"}, nil},
		{"a circle, once", []string{"a@1 needs b", "b@1 needs c", "c@1 needs a"}, []string{"a: circle, b, with b@1"}},
		{"a circle through what is disabled is none", []string{"a@1 needs b", "b@1 needs a; off"}, []string{"a: disabled, b, with b@1"}},
		{"two circles", []string{"a@1 needs b", "b@1 needs a", "c@1 needs d", "d@1 needs c"}, []string{"a: circle, b, with b@1", "c: circle, d, with d@1"}},
	} {
		require.Equal(t, c.want, said(Check(items(c.set...))), c.name)
	}
}

func TestNeedsNameAnAddonByItsKeyOrItsName(t *testing.T) {
	lamp := &Item{ID: "1", Key: "mk.lamp", Name: "Harbour Lamp", Version: "2"}
	require.Empty(t, Check([]*Item{lamp, item("a@1 needs MK.Lamp >=2")}))
	require.Len(t, Check([]*Item{lamp, item("a@1 needs mk.lamp >=3")}), 1)
	other := item("a@1")
	other.Needs = []Want{MakeWant("harbour lamp", ">=2")}
	require.Empty(t, Check([]*Item{lamp, other}))
}

func TestWhoNeedsWhatIsToGo(t *testing.T) {
	set := items("lamps@2 needs base >=3", "signs@1 needs base", "gulls@1 needs lamps", "old@1 needs base; off", "base@3")
	going := func(keys ...string) func(string) bool {
		return func(k string) bool { return slices.Contains(keys, k) }
	}
	require.Equal(t, []string{"lamps: missing, base >=3, with base@3", "signs: missing, base, with base@3"}, said(Needing(set, going("base"))))
	require.Equal(t, []string{"gulls: missing, lamps, with lamps@2"}, said(Needing(set, going("lamps"))))
	require.Empty(t, Needing(set, going("base", "lamps", "signs", "gulls")))
}

func TestWhatIsTakenAlong(t *testing.T) {
	staged := items("base@3.1", "base@3.4", "base@4.0", "rope@1 needs hook", "hook@1", "hook@2 conflicts lamps")
	for _, c := range []struct {
		name             string
		there, wanted    []string
		take             []string
		solved           bool
		problems, remain []string
	}{
		{"the newest that fits", nil, []string{"lamps@2 needs base <4"}, []string{"base@3.4"}, true, []string{"lamps: missing, base <4"}, nil},
		{"with its own needs, without what does not go with it", nil, []string{"lamps@2 needs rope"}, []string{"hook@1", "rope@1"}, true, []string{"lamps: missing, rope"}, nil},
		{"an update of what is there", []string{"base@2"}, []string{"lamps@2 needs base >=3"}, []string{"base@4.0"}, true, []string{"lamps: unfit, base >=3, with base@2"}, nil},
		{"what nobody has", nil, []string{"lamps@2 needs moon"}, nil, false, []string{"lamps: missing, moon"}, []string{"lamps: missing, moon"}},
		{"what was wrong before stays as it is", []string{"gulls@1 needs moon"}, []string{"lamps@2"}, nil, true, nil, nil},
		{"an update that others do not bear takes theirs along", []string{"base@3.1", "signs@1 needs base <4"}, []string{"base@4.0"}, nil, false,
			[]string{"signs: unfit, base <4, with base@4.0"}, []string{"signs: unfit, base <4, with base@4.0"}},
		{"what is disabled stays so", []string{"base@2 off"}, []string{"lamps@2 needs base >=3"}, nil, false, []string{"lamps: unfit, base >=3, with base@2"}, []string{"lamps: unfit, base >=3, with base@2"}},
	} {
		ch := Change{Installed: items(c.there...), Wanted: items(c.wanted...)}
		require.Equal(t, c.problems, said(ch.Problems(nil)), c.name)
		p := ch.Solve(staged)
		require.Equal(t, c.solved, p.Solved, c.name)
		require.Equal(t, c.take, labels(p.Take), c.name)
		require.Equal(t, c.remain, said(ch.Problems(p.Take)), c.name)
	}
	ch := Change{Installed: items("base@3.1", "signs@1 needs base <4"), Wanted: items("base@4.0")}
	require.Equal(t, []string{"signs@2"}, labels(ch.Solve(append(staged, item("signs@2 needs base"))).Take))
}

// Of gate there is nothing anywhere that is known. That keeps nobody from having the rest mended.
func TestANeedThatNothingAnswersIsLeftAndTheRestIsMended(t *testing.T) {
	ch := Change{Installed: items("drums@1 needs gate"), Wanted: items("tent@1 needs drums >=2")}
	p := ch.Solve(items("drums@2 needs gate", "drums@3 needs gate, moon <2", "moon@2"))
	require.Equal(t, []string{"drums@2"}, labels(p.Take))
	require.Equal(t, []Want{MakeWant("gate", "")}, p.Left)
	require.False(t, p.Solved)
	require.Empty(t, ch.Solve(items("drums@3 needs gate, moon <2", "moon@2")).Left, "what is staged and will not do is no reason to look away")
}

func TestWhatGoesIsNotTakenAlongAgain(t *testing.T) {
	ch := Change{Installed: items("old-lamps@1", "gulls@1 needs old-lamps"), Going: func(k string) bool { return k == "old-lamps" }, Wanted: items("lamps@2")}
	require.Equal(t, []string{"gulls: missing, old-lamps"}, said(ch.Problems(nil)))
	require.False(t, ch.Solve(items("old-lamps@1", "old-lamps@2")).Solved)
	require.Equal(t, []string{"gulls@2"}, labels(ch.Solve(items("gulls@2 needs lamps")).Take))
}

// model says, without any of the package's own deciding, what of a set does not hold.
func model(set []*Item) (out []string) {
	for _, i := range set {
		for n, list := range [][]Want{i.Needs, i.Conflicts} {
			for _, w := range list {
				var other *Item
				for _, o := range set {
					if strings.EqualFold(o.Key, w.Name) {
						other = o
					}
				}
				in := false
				if other != nil {
					r, err := version.ParseRange(w.Range)
					in = w.Range == "" || err == nil && r.Contains(other.Version)
				}
				switch {
				case i.Off:
				case n == 0 && other != i && (other == nil || !in || other.Off), n == 1 && other != nil && other != i && in && !other.Off:
					id := ""
					if other != nil {
						id = other.ID
					}
					out = append(out, fmt.Sprint(i.ID, n, w.Name, id))
				}
			}
		}
	}
	return out
}

// The search is compared with trying everything: it finds a way exactly where there is one,
// what it finds is one, and nothing can be left out of it.
func TestTheSearchAgreesWithTryingEverything(t *testing.T) {
	keys := []string{"a", "b", "c", "d", "e"}
	rapid.Check(t, func(t *rapid.T) {
		draw := func(key string, n int) *Item {
			i := &Item{ID: fmt.Sprintf("%s@%d", key, n), Key: key, Name: strings.ToUpper(key), Version: fmt.Sprint(n)}
			for range rapid.IntRange(0, 2).Draw(t, "needs") {
				i.Needs = append(i.Needs, MakeWant(rapid.SampledFrom(keys).Draw(t, "need"), rapid.SampledFrom([]string{"", ">=2", "<2", "=1", ">2"}).Draw(t, "range")))
			}
			if rapid.IntRange(0, 3).Draw(t, "conflict") == 0 {
				i.Conflicts = append(i.Conflicts, MakeWant(rapid.SampledFrom(keys).Draw(t, "conflicts"), rapid.SampledFrom([]string{"", ">=2", "<2"}).Draw(t, "range")))
			}
			return i
		}
		var c Change
		var staged []*Item
		going := map[string]bool{}
		c.Going = func(k string) bool { return going[k] }
		for _, k := range keys {
			pool := []*Item{draw(k, 1), draw(k, 2), draw(k, 3)}
			if rapid.Bool().Draw(t, "there") {
				there := *rapid.SampledFrom(pool).Draw(t, "installed")
				there.Off = rapid.IntRange(0, 4).Draw(t, "off") == 0
				c.Installed = append(c.Installed, &there)
				going[k] = rapid.IntRange(0, 4).Draw(t, "goes") == 0
			}
			if !going[k] && rapid.IntRange(0, 2).Draw(t, "want") == 0 {
				c.Wanted = append(c.Wanted, rapid.SampledFrom(pool).Draw(t, "wanted"))
			}
			staged = append(staged, pool[:rapid.IntRange(0, 3).Draw(t, "staged")]...)
		}
		old := model(c.Installed)
		changed := func(set []*Item, i string) bool { // whether the item with an ID is a new one
			return !slices.ContainsFunc(c.Installed, func(o *Item) bool { return o.ID == i }) || slices.ContainsFunc(c.Wanted, func(o *Item) bool { return o.ID == i })
		}
		holds := func(take []*Item) bool {
			set := c.After(take)
			for _, bad := range model(set) {
				if !slices.Contains(old, bad) || slices.ContainsFunc(set, func(i *Item) bool { return strings.HasPrefix(bad, i.ID) && changed(set, i.ID) }) {
					return false
				}
			}
			return true
		}
		var try func(n int, take []*Item) bool
		try = func(n int, take []*Item) bool {
			if n == len(keys) {
				return holds(take)
			}
			if try(n+1, take) {
				return true
			}
			k := keys[n]
			if going[k] || slices.ContainsFunc(c.Wanted, func(i *Item) bool { return i.Key == k }) {
				return false
			}
			for _, i := range staged {
				if i.Key != k {
					continue
				}
				still := *i
				for _, o := range c.Installed {
					still.Off = still.Off || o.Key == k && o.Off
					if o.Key == k && o.ID == i.ID {
						still.ID = "" // it is there already
					}
				}
				if still.ID != "" && try(n+1, append(slices.Clone(take), &still)) {
					return true
				}
			}
			return false
		}
		p := c.Solve(staged)
		require.False(t, p.GaveUp)
		nowhere := func(key string) bool { // nothing of it is there, is wanted or is staged
			return !slices.ContainsFunc(slices.Concat(c.Wanted, staged), func(i *Item) bool { return i.Key == key }) && (going[key] || !slices.ContainsFunc(c.Installed, func(i *Item) bool { return i.Key == key }))
		}
		strict := holds
		require.Equal(t, try(0, nil), p.Solved)
		if !p.Solved { // what nothing answers is left, and all else is as right as it can be
			holds = func(take []*Item) bool {
				set := slices.Clone(c.After(take))
				for n, i := range set {
					still := *i
					still.Needs = slices.DeleteFunc(slices.Clone(i.Needs), func(w Want) bool { return nowhere(w.Name) })
					set[n] = &still
				}
				for _, bad := range model(set) {
					if !slices.Contains(old, bad) || slices.ContainsFunc(set, func(i *Item) bool { return strings.HasPrefix(bad, i.ID) && changed(set, i.ID) }) {
						return false
					}
				}
				return true
			}
			require.Equal(t, try(0, nil), len(p.Left) > 0)
			if len(p.Left) == 0 {
				require.Empty(t, p.Take)
			} else {
				require.True(t, holds(p.Take), "%v", labels(p.Take))
			}
			holds = strict
		}
		if !p.Solved {
			return
		}
		require.True(t, holds(p.Take), "%v", labels(p.Take))
		for n := range p.Take {
			require.False(t, holds(slices.Delete(slices.Clone(p.Take), n, n+1)), "%s is not needed", p.Take[n].Label())
		}
	})
}

func TestASearchThatIsTooLongIsGivenUp(t *testing.T) {
	var staged []*Item // pigeons and one hole fewer: nothing but trying all tells that it cannot be done
	const n = 9
	want := item("top@1")
	for p := range n {
		want.Needs = append(want.Needs, MakeWant(fmt.Sprint("p", p), ""))
		for h := range n - 1 {
			i := item(fmt.Sprintf("p%d@%d", p, h+1))
			for q := range n {
				if q != p {
					i.Conflicts = append(i.Conflicts, MakeWant(fmt.Sprint("p", q), fmt.Sprintf("=%d", h+1)))
				}
			}
			staged = append(staged, i)
		}
	}
	p := Change{Wanted: []*Item{want}}.Solve(staged)
	require.False(t, p.Solved)
	require.True(t, p.GaveUp)
}

func TestWhatSpeaksOfTheGameIsNoAddon(t *testing.T) {
	i := &Item{Key: "lamps"}
	i.Speaks([]layout.Fact{{Kind: rulebook.Needs, Name: "tidewright", Range: ">=9"}, {Kind: rulebook.Needs, Name: "base", Range: "3"}, {Kind: rulebook.Replaces, Name: "old"}, {Kind: rulebook.Game, Range: "9"}},
		func(name string) bool { return name == "tidewright" })
	require.Equal(t, []Want{MakeWant("base", "3")}, i.Needs)
	require.Equal(t, []Want{MakeWant("old", "")}, i.Replaces)
}

func TestWhatWasSoBeforeIsMarked(t *testing.T) {
	ch := Change{Installed: items("lamps@1 needs moon, sun"), Wanted: items("lamps@2 needs moon, stars")}
	var old []bool
	for _, p := range ch.Problems(nil) {
		old = append(old, p.Old)
	}
	require.Equal(t, []string{"lamps: missing, moon", "lamps: missing, stars"}, said(ch.Problems(nil)))
	require.Equal(t, []bool{true, false}, old)
}
