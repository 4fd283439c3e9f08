package cli

import (
	"bytes"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

// puts are steps that put files into a folder.
func puts(folder string, n int, change func(*api.Step)) (out []api.Step) {
	for i := range n {
		s := api.Step{ID: i + 1, Leg: 1, Phase: "prepare", Verb: "put", Path: fmt.Sprintf("%s%d", folder, i), Reason: "new with lamps@1", Bytes: 1000}
		if change != nil {
			change(&s)
		}
		out = append(out, s)
	}
	return out
}

func numbered(lists ...[]api.Step) (out []api.Step) {
	for _, l := range lists {
		for _, s := range l {
			s.ID = len(out) + 1
			out = append(out, s)
		}
	}
	return out
}

func TestStepsOfAKindAreFolded(t *testing.T) {
	for name, c := range map[string]struct {
		steps []api.Step
		want  []string
	}{
		"of one folder each":  {numbered(puts("a/b/", 8, nil), puts("a/c/", 8, nil), puts("d/", 9, nil)), []string{"16 files in a/", "9 files in d/"}},
		"at the root":         {puts("", 8, nil), []string{"8 files in ./"}},
		"names that go on":    {numbered(puts("a/bc/", 8, nil), puts("a/b", 1, nil)), []string{"9 files in a/"}},
		"few":                 {puts("a/", 2, nil), []string{"a/0", "a/1"}},
		"for another reason":  {numbered(puts("a/", 8, nil), puts("a/", 1, func(s *api.Step) { s.Reason = "back to what it was" })), []string{"8 files in a/", "a/0"}},
		"with more to say":    {puts("a/", 8, func(s *api.Step) { s.What = "as it was" }), []string{"a/0 as it was", "a/1 as it was", "a/2 as it was", "a/3 as it was", "a/4 as it was", "a/5 as it was", "a/6 as it was", "a/7 as it was"}},
		"where the first was": {numbered(puts("a/", 1, nil), puts("x", 1, func(s *api.Step) { s.Verb = "keep" }), puts("a/b/", 7, nil)), []string{"8 files in a/", "x0"}},
	} {
		var got []string
		for _, f := range folded(c.steps) {
			got = append(got, f.line()[1])
		}
		require.Equal(t, c.want, got, name)
	}
}

func TestADraftIsShortUnlessEachStepIsAskedFor(t *testing.T) {
	d := api.Deployment{Name: "saltpan#1", Steps: numbered(puts("stalls/lamps/", 20_000, nil), puts("stalls/reed.lf", 1, func(s *api.Step) { s.Verb = "edit" }))}
	var out bytes.Buffer
	a := &App{Out: &out}
	a.printSteps(d)
	require.Contains(t, out.String(), "put   20000 files in stalls/lamps/  new with lamps@1  20.0 MB")
	require.Contains(t, out.String(), "edit  stalls/reed.lf0")
	require.Contains(t, out.String(), "deployment show saltpan#1 --steps shows each of 20001 steps")
	out.Reset()
	a.everyStep = true
	a.printSteps(d)
	require.Contains(t, out.String(), "stalls/lamps/19999")
}
