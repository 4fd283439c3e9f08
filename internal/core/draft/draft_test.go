package draft

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// lines gives verb and path of a draft's steps.
func lines(d *Draft) (out []string) {
	for _, s := range d.Steps {
		what := s.What
		if what == "" {
			what = string(s.Path)
		}
		out = append(out, string(s.Verb)+" "+what)
	}
	return out
}

func codes(d *Draft) (out []string) {
	for _, f := range d.Findings {
		out = append(out, string(f.Level)+" "+f.Code+" "+string(f.Path))
	}
	return out
}

func deployed(t *testing.T) *world {
	w := newWorld()
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.0", map[tree.Path]string{"f/lamps/a": "a1", "f/lamps/b": "b1"})}
	d := w.run(t, req)
	require.Equal(t, []string{"put f/lamps/a", "put f/lamps/b", "move 2 files into place, 2 folders made"}, lines(d))
	require.Equal(t, []string{"warn may-be-running "}, codes(d))
	require.Equal(t, Counts{In: 2, Send: 4}, d.Counts)
	return w
}

func TestUpdateTakesTheOldFileAwayAndLeavesTheServersOwn(t *testing.T) {
	w := deployed(t)
	w.write("f/lamps/made-by-server", "x")
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/a": "a2"})}
	d := w.run(t, req)
	require.Equal(t, []string{
		"put f/lamps/a", "move 1 file into place", "remove f/lamps/b", "tidy 2 old files set aside"}, lines(d))
	require.Equal(t, "no longer part of lamps@1.1", d.Steps[2].Reason)
	require.Equal(t, Counts{Changed: 1, Out: 1, Send: 2}, d.Counts)
	require.Equal(t, tree.Content, w.being("f/lamps/made-by-server"))
	require.Equal(t, "lamps@1.1", w.ledger["f/lamps/a"].Claims[0].Label)
}

func TestRemoveTakesItsFoldersUnlessSomethingElseIsInThem(t *testing.T) {
	w := deployed(t)
	req := w.request()
	req.Remove = []Removal{{"lamps", "lamps"}}
	clean := Make(req, w.observe())
	require.Contains(t, lines(clean), "remove f/lamps")
	require.Contains(t, lines(clean), "remove f")

	w.write("f/lamps/own.log", "x")
	d := Make(req, w.observe())
	require.NotContains(t, lines(d), "remove f/lamps")
	require.Contains(t, codes(d), "note left-alone f/lamps")
}

func TestWhatTheLedgerDoesNotExpectIsABlockThatCanBeAccepted(t *testing.T) {
	w := deployed(t)
	w.write("f/lamps/a", "edited by hand")
	w.write("f/lamps/c", "somebody's")
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/a": "a2", "f/lamps/b": "b1", "f/lamps/c": "c1"})}
	d := Make(req, w.observe())
	require.Equal(t, []string{"block changed-file f/lamps/a", "block unknown-file f/lamps/c", "warn may-be-running "}, codes(d))
	require.Len(t, finding.Open(d.Findings, nil), 2)
	require.Len(t, finding.Open(d.Findings, []finding.Accept{{Code: "changed-file"}}), 1)
	require.Empty(t, finding.Open(d.Findings, []finding.Accept{{Code: "changed-file"}, {Code: "unknown-file", Path: "f/lamps/c"}}))
	require.Len(t, finding.Open(d.Findings, []finding.Accept{{Code: "changed-file"}, {Code: "unknown-file", Path: "f/lamps/d"}}), 1)
	require.Contains(t, lines(d), "keep f/lamps/a")
	require.Contains(t, lines(d), "keep f/lamps/c")
}

func TestAReplacedFileSaysWhatReplacesWhat(t *testing.T) {
	reasons := func(d *Draft) map[tree.Path]string {
		out := map[tree.Path]string{}
		for _, s := range d.Steps {
			if s.Verb == Put {
				out[s.Path] = s.Reason
			}
		}
		return out
	}
	w := deployed(t)
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/a": "a2", "f/lamps/b": "b1", "f/lamps/c": "c1"})}
	require.Equal(t, map[tree.Path]string{"f/lamps/a": "lamps@1.1 brings other bytes than lamps@1.0", "f/lamps/c": "new with lamps@1.1"}, reasons(Make(req, w.observe())))

	w.write("f/lamps/a", "edited by hand")
	req = w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.0", map[tree.Path]string{"f/lamps/a": "a1", "f/lamps/b": "b1"})}
	require.Equal(t, map[tree.Path]string{"f/lamps/a": "back to the bytes of lamps@1.0"}, reasons(Make(req, w.observe())))
}

func TestSameBytesAreTakenInWithoutAnUpload(t *testing.T) {
	w := newWorld()
	w.write("f/a", "same")
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1", map[tree.Path]string{"f/a": "same"})}
	d := Make(req, w.observe())
	require.Zero(t, d.Motions.Len())
	require.Equal(t, []string{"note already-there f/a"}, codes(d))
	require.Len(t, d.Changes, 1)
	w.run(t, req)
	require.Equal(t, []string{"note nothing-to-do "}, codes(Make(req, w.observe())))
}

func TestANameThatNoHostTakesIsToldBeforehand(t *testing.T) {
	w := newWorld()
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1", map[tree.Path]string{
		tree.Path("f/" + strings.Repeat("n", 255)): "fits", tree.Path("f/" + strings.Repeat("ö", 128)): "256 bytes", tree.Path(strings.Repeat("d", 256) + "/a"): "below"})}
	d := Make(req, w.observe())
	require.Equal(t, []string{"block name-too-long " + strings.Repeat("d", 256) + "/a", "block name-too-long f/" + strings.Repeat("ö", 128)}, codes(d)[:2])
	require.Len(t, codes(d), 3, "the one that fits is no matter")
}

func TestWhatNobodyCanAccept(t *testing.T) {
	w := deployed(t)
	w.files["g"] = content("a file")
	w.files["link"] = tree.State{Being: tree.Foreign}
	w.write("d/x/inner", "x")
	req := w.request()
	req.Protected = []string{"locker/**"}
	req.CaseBlind = true
	req.Wanted = []Wanted{
		w.wanted("signs", "1", map[tree.Path]string{
			"g/x": "1", "link/x": "2", "d/x": "3", "locker/key": "4", "F/lamps/z": "5", ".restless-crate/y": "6"}),
		w.wanted("other", "1", map[tree.Path]string{"f/lamps/a": "not the same"}),
	}
	d := Make(req, w.observe())
	require.Equal(t, []string{
		"block anothers-file f/lamps/a", "block case-clash F", "block case-clash F/lamps",
		"block file-in-way g", "block folder-in-way d/x", "block foreign-in-way link",
		"block protected .restless-crate/y", "block protected locker/key"}, codes(d)[:8])
	require.GreaterOrEqual(t, len(finding.Open(d.Findings, []finding.Accept{{Code: "protected"}, {Code: "case-clash"}, {Code: "anothers-file"}})), 8)
}

func TestASharedFileStaysUntilItsLastClaimGoes(t *testing.T) {
	w := deployed(t)
	req := w.request()
	req.Wanted = []Wanted{w.wanted("signs", "1", map[tree.Path]string{"f/lamps/a": "a1", "f/signs": "s"})}
	w.run(t, req)
	require.Equal(t, []Role{Owns, Shares}, []Role{w.ledger["f/lamps/a"].Claims[0].Role, w.ledger["f/lamps/a"].Claims[1].Role})
	req = w.request()
	req.Remove = []Removal{{"lamps", "lamps"}}
	w.run(t, req)
	require.Equal(t, tree.Content, w.being("f/lamps/a"))
	req = w.request()
	req.Remove = []Removal{{"signs", "signs"}}
	w.run(t, req)
	require.Empty(t, w.files)
}

func TestRollbackOfOneFileThenOfTheDeployment(t *testing.T) {
	w := deployed(t)
	before := w.files["f/lamps/a"]
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/a": "a2", "f/lamps/b": "b2"})}
	w.run(t, req)

	one := w.request()
	last := w.events[len(w.events)-1].Deployment
	one.Back = Inverse(w.events, func(e Event) bool { return e.Deployment == last && e.Change.Path == "f/lamps/a" })
	d := w.run(t, one)
	require.Equal(t, []string{"put f/lamps/a", "move 1 file into place", "tidy 1 old file set aside"}, lines(d))
	require.Equal(t, before, w.files["f/lamps/a"])

	d = w.rollback(t, 2)
	require.Equal(t, "put f/lamps/b", lines(d)[0], "a is there already: no step")
	require.Equal(t, 1, d.Counts.Same)
	require.Equal(t, "lamps@1.0", w.ledger["f/lamps/b"].Claims[0].Label)
}

func TestRollbackNamesWhoChangedThePathSince(t *testing.T) {
	w := deployed(t)
	for _, text := range []string{"a2", "a3"} {
		req := w.request()
		req.Wanted = []Wanted{w.wanted("lamps", "1."+text, map[tree.Path]string{"f/lamps/a": text, "f/lamps/b": "b1"})}
		w.run(t, req)
	}
	w.write("f/lamps/b", "by hand")
	req := w.request()
	req.Back = Inverse(w.events, func(e Event) bool {
		return e.Deployment == "model#2" || e.Deployment == "model#1" && e.Change.Path == "f/lamps/b"
	})
	d := Make(req, w.observe())
	require.Equal(t, []string{"block changed-since f/lamps/a", "block changed-since f/lamps/b"}, codes(d)[:2])
	require.Equal(t, "f/lamps/a was changed since, by model#3.", d.Findings[0].What)
	require.Equal(t, "f/lamps/b was changed since, outside of Restless Crate.", d.Findings[1].What)
}

func TestAsOfGoesBackToHowThingsStoodThen(t *testing.T) {
	w := deployed(t)
	then := int64(len(w.events))
	old := w.observe()
	for _, text := range []string{"a2", "a3"} {
		req := w.request()
		req.Wanted = []Wanted{w.wanted("lamps", "1."+text, map[tree.Path]string{"f/lamps/a": text})}
		w.run(t, req)
	}
	req := w.request()
	req.Back = AsOf(w.events, then, "model#1", func(Event) bool { return true })
	w.run(t, req)
	require.Equal(t, old, w.observe())
}

// What a person did by hand after a deployment is no part of how that
// deployment left things, even where a later one recorded it as its before.
func TestAsOfIsWhatTheDeploymentLeftNotWhatCameAfterIt(t *testing.T) {
	w := deployed(t)
	then := int64(len(w.events))
	w.write("f/lamps/a", "by hand")
	req := w.request()
	req.Wanted = []Wanted{w.wanted("lamps", "1.1", map[tree.Path]string{"f/lamps/a": "a2", "f/lamps/b": "b1", "f/lamps/new": "n"})}
	w.run(t, req)
	to := map[tree.Path]tree.State{}
	for _, r := range AsOf(w.events, then, "model#1", func(Event) bool { return true }) {
		to[r.Path] = r.To
		require.NotEqual(t, "lamps@1.1", append(r.Claims, Claim{})[0].Label)
	}
	require.Equal(t, content("a1"), to["f/lamps/a"])
	require.Equal(t, tree.Nothing, to["f/lamps/new"], "a path that no deployment had named yet goes back to what stood there")
}

func TestUnchangedIsTrustedOnlyWhenTheTimesProveIt(t *testing.T) {
	h := Host{Set: ability.Set{Resolution: 1000}}
	r := Reported{Size: 5, Modified: 10_000, SeenAt: 12_000}
	require.True(t, r.Trusts(5, 10_000, h))
	require.False(t, r.Trusts(6, 10_000, h))
	require.False(t, r.Trusts(5, 10_001, h))
	require.False(t, Reported{Size: 5, Modified: 10_000, SeenAt: 11_000}.Trusts(5, 10_000, h), "a change in the same tick would look the same")
	require.False(t, Reported{Size: 5, Modified: 10_000}.Trusts(5, 10_000, h), "the host's clock is not known")
	require.False(t, r.Trusts(5, 10_000, Host{}), "the host's resolution is not known")
}

func TestDecideOnEveryStateThatAHostCanBeIn(t *testing.T) {
	a, c, f := tree.Absent, tree.Content, tree.Folder
	folder := Motion{Kind: InMotion, After: tree.State{Being: tree.Folder}}
	file := Motion{Kind: InMotion, After: content("x")}
	for _, row := range []struct {
		m           Motion
		temp, final tree.Being
		want        Verdict
	}{
		{Motion{Kind: KeepMotion}, a, c, NotYet},
		{Motion{Kind: SendMotion}, a, a, NotYet}, {Motion{Kind: SendMotion}, c, a, Half},
		{Motion{Kind: AsideMotion}, a, c, NotYet}, {Motion{Kind: AsideMotion}, c, a, Done},
		{Motion{Kind: AsideMotion}, c, c, Done}, {Motion{Kind: AsideMotion}, a, a, Lost},
		{file, c, a, NotYet}, {file, a, c, Done}, {file, c, c, Occupied}, {file, a, a, Lost},
		{folder, a, a, NotYet}, {folder, a, f, Done}, {folder, a, c, Occupied},
		{Motion{Kind: DropMotion}, a, f, NotYet}, {Motion{Kind: DropMotion}, a, a, Done},
		{Motion{Kind: TidyMotion}, c, c, NotYet}, {Motion{Kind: TidyMotion}, a, c, Done},
	} {
		require.Equal(t, row.want, Decide(row.m, row.temp, row.final), "%s temp=%s final=%s", row.m.Kind, row.temp, row.final)
	}
}
