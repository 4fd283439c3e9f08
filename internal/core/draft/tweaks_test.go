package draft

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// board has an add-on have brought a text, which people have changed, and bring another now.
func board(base, mine, now string, more ...scene) scene {
	return func(f *fair, r *Request) {
		w := f.wanted("board", "1", map[tree.Path]string{"fair.order": base})
		claim := w.claim(w.Files[0], Owns)
		next := f.wanted("board", "2", map[tree.Path]string{"fair.order": now})
		next.Files[0].Settings = true
		f.text = mine
		f.files["fair.order"] = content(mine)
		f.ledger["fair.order"] = Row{State: content(mine), Claims: []Claim{claim}}
		r.Wanted = []Wanted{next}
		r.Shipped = map[tree.Digest][]byte{tree.Sum([]byte(base)): []byte(base), tree.Sum([]byte(now)): []byte(now)}
		both(more...)(f, r)
	}
}

// holds has tweaks hold on the text already.
func holds(all ...tweak.Tweak) scene {
	return func(f *fair, _ *Request) {
		row := f.ledger["fair.order"]
		for _, t := range all {
			row.Tweaks = append(row.Tweaks, Tweaked{ID: TweakID("fair.order", t), Tweak: t})
		}
		f.ledger["fair.order"] = row
	}
}

// tweaks asks for nothing but a tweak.
func tweaks(t tweak.Tweak, change ...func(*Tweaked)) scene {
	return func(_ *fair, r *Request) {
		k := Tweaked{ID: TweakID("fair.order", t), Tweak: t}
		for _, c := range change {
			c(&k)
		}
		r.Wanted, r.Tweaks = nil, []TweakWish{{Path: "fair.order", Tweaked: k}}
	}
}

// puts has a person edit the text as a whole.
func puts(was, now string) scene {
	return func(_ *fair, r *Request) {
		r.Wanted, r.Puts = nil, []TextPut{{Path: "fair.order", Format: "json", Was: []byte(was), Now: []byte(now)}}
	}
}

func setting(at, value string) tweak.Tweak {
	return tweak.Tweak{Do: tweak.Set, Format: "ini", At: at, Value: value}
}

func keeps(side merge.Side) scene {
	return func(_ *fair, r *Request) {
		r.Keep = map[tree.Path]map[string]merge.Side{"fair.order": {"/rows": side}}
	}
}

// tweakScenes are the scenes of what is said of tweaks and of merged texts.
func tweakScenes() map[string]pair {
	conflict := board("rows = 3\nlamps = 2\n", "rows = 4\nlamps = 2\n", "rows = 5\nlamps = 2\n")
	merged := board("rows = 3\nlamps = 2\n", "rows = 4\nlamps = 2\n", "rows = 3\nlamps = 9\n")
	ini := reads("rows = 3\n")
	return map[string]pair{
		"settings-conflict": {conflict, merged},
		"conflict-decided":  {both(conflict, keeps(merge.Mine)), conflict},
		"settings-merged":   {merged, conflict},
		"tweak-again":       {board("rows = 3\n", "rows = 4\n", "rows = 3\nlamps = 1\n", holds(setting("/rows", "4"))), merged},
		"tweak-needless":    {board("rows = 3\n", "rows = 4\n", "rows = 4\nlamps = 1\n", holds(setting("/rows", "4"))), merged},
		"tweak-unfit":       {board("rows = 3\n", "rows = 4\n", "lamps = 1\n", holds(setting("/rows", "4"))), merged},
		"tweaks-go":         {board("rows = 3\n", "rows = 4\n", "rows = 3\nlamps = 1\n", holds(setting("/rows", "4")), func(_ *fair, r *Request) { r.Shipped = nil }), board("rows = 3\n", "rows = 4\n", "rows = 3\nlamps = 1\n", holds(setting("/rows", "4")))},
		"text-breaks":       {both(reads("{\"a\": 1}\n"), puts("{\"a\": 1}\n", "{\"a\": \n")), both(reads("{\"a\": 1}\n"), puts("{\"a\": 1}\n", "{\"a\": 2}\n"))},
		"tweak-idle":        {both(ini, tweaks(setting("/rows", "3"))), both(ini, tweaks(setting("/rows", "4")))},
		"tweak-held":        {both(ini, tweaks(setting("/rows", "3"), func(k *Tweaked) { k.From = "{game}" })), both(ini, tweaks(setting("/rows", "3")))},
		"tweak-waits":       {both(ini, tweaks(setting("/rows", "4"), func(k *Tweaked) { k.If = "absent" })), both(ini, tweaks(setting("/rows", "4"), func(k *Tweaked) { k.If = "lamp" }))},
		"move-alone":        {both(renamed, horn), renamed},
		"move-by-hand":      {both(renamed, host(func(h *Host) { h.RenameFolders = false })), renamed},
		"swap-type":         {swap("own", sound), swap("own", sound2)},
		"swap-measures":     {swap("own", wide), swap("own", sound2)},
		"swap-larger":       {swap("own", heavy), swap("own", sound2)},
		"swap-unknown":      {swap("own", unlooked), swap("own", sound2)},
		"swap-again":        {swapHolds(lamp2), swapHolds(lamp(func(w *Wanted) { w.Files[0].Digest = tree.Sum([]byte("lamp1")) }))},
		"swap-goes":         {swapHolds(lamp(func(w *Wanted) { w.Files = nil })), swapHolds(lamp2)},
		"text-there":        {both(ini, tweaks(begun("rows = 4\n"))), both(ini, tweaks(begun("rows = 3\n")))},
		"made-stays":        {both(ini, unmade("rows = 4\n")), both(ini, unmade("rows = 3\n"))},
		"source-missing":    {both(ini, beside("rows = 7\n"), tweaks(drawn("/none"))), both(ini, beside("rows = 7\n"), tweaks(drawn("/rows")))},
		"source-gone":       {both(ini, beside("lamps = 7\n"), drew("/rows")), both(ini, beside("rows = 7\n"), drew("/rows"))},
		"source-loop":       {both(ini, beside("rows = 7\n"), ring("gate.ini")), both(ini, beside("rows = 7\n"), ring("fair.order"))},
		"tweak-unwritable":  {both(ini, tweaks(setting("/none", "3"))), both(ini, tweaks(setting("/rows", "4")))},
	}
}

func TestATweakIsDoneKeptAndTakenBack(t *testing.T) {
	f := newFair("rows = 3 # all\n")
	tw := setting("/rows", "4")
	id := TweakID("fair.order", tw)
	d := f.draft(func(r *Request) { tweaks(tw)(f, r) })
	c := changeAt(d, "fair.order")
	require.Len(t, c.TweaksAfter, 1)
	require.NotNil(t, c.TweaksAfter[0].Undo)
	require.Equal(t, []string{"sets /rows to 4"}, c.Did())
	f.done(t, d)
	require.Equal(t, "rows = 4 # all\n", f.text)

	f.text = "# by hand\nrows = 4 # all\n"
	f.files["fair.order"] = content(f.text)
	d = f.draft(func(r *Request) { r.Untweak = []string{id} })
	f.done(t, d)
	require.Equal(t, "# by hand\nrows = 3 # all\n", f.text)
	require.Empty(t, f.ledger["fair.order"].Tweaks)
}

func TestATweakDependsOnAnotherAddOn(t *testing.T) {
	f := newFair("rows = 3\n")
	tw := setting("/rows", "4")
	lamp := f.wanted("lamp", "1", map[tree.Path]string{"lamp.x": "x"})
	f.done(t, f.draft(func(r *Request) { tweaks(tw, func(k *Tweaked) { k.If = "lamp" })(f, r) }))
	require.Equal(t, "rows = 3\n", f.text, "lamp is not there yet")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{lamp} }))
	require.Equal(t, "rows = 4\n", f.text)
	f.done(t, f.draft(func(r *Request) { r.Remove, r.Present = []Removal{{"lamp", "lamp"}}, map[string]bool{"lamp": true} }))
	require.Equal(t, "rows = 3\n", f.text)
	require.True(t, f.ledger["fair.order"].Tweaks[0].Off)
}

func TestATweakGoesWithItsAddOn(t *testing.T) {
	f := newFair("rows = 3\n")
	lamp := f.wanted("lamp", "1", map[tree.Path]string{"lamp.x": "x"})
	f.done(t, f.draft(func(r *Request) {
		tweaks(setting("/rows", "4"), func(k *Tweaked) { k.Addon = "lamp" })(f, r)
		r.Wanted = []Wanted{lamp}
	}))
	require.Equal(t, "rows = 4\n", f.text)
	f.done(t, f.draft(func(r *Request) { r.Remove = []Removal{{"lamp", "lamp"}} }))
	require.Equal(t, "rows = 3\n", f.text)
}

func TestSettingsAreKeptOverAnUpdate(t *testing.T) {
	f := newFair("")
	d := f.draft(func(r *Request) {
		board("# the board\nrows = 3\nlamps = 2\n", "# the board\n# ours\nrows = 4\nlamps = 2\n", "# the new board\nrows = 3\nlamps = 9\nnew = 1\n")(f, r)
	})
	c := changeAt(d, "fair.order")
	require.Equal(t, "board@2", c.ClaimsAfter[0].Label)
	require.Equal(t, tree.Sum([]byte("# the new board\nrows = 3\nlamps = 9\nnew = 1\n")), c.ClaimsAfter[0].Brings.Digest, "the next merge begins with what is shipped now")
	require.Empty(t, saidOf(d, "changed-file"))
	f.done(t, d)
	require.Equal(t, "# the new board\n# ours\nrows = 4\nlamps = 9\nnew = 1\n", f.text)

	back, _, err := settings.Apply([]byte(f.text), c.Edits[0].Undo)
	require.NoError(t, err)
	require.Equal(t, "# the board\n# ours\nrows = 4\nlamps = 2\n", string(back), "the way back restores settings too")
}

func TestWhereTheAuthorChangedNothingTheServersStays(t *testing.T) {
	f := newFair("")
	d := f.draft(func(r *Request) { board("rows = 3\n", "rows = 4\n", "rows = 3\n")(f, r) })
	require.Empty(t, changeAt(d, "fair.order").Edits)
	for _, x := range d.Findings {
		require.NotEqual(t, tree.Path("fair.order"), x.Path, "nothing is said of it: %s", x.What)
	}
	f.done(t, d)
	require.Equal(t, "rows = 4\n", f.text)
	require.Equal(t, "board@2", f.ledger["fair.order"].Claims[0].Label)
}

func TestATweakAimsAtAFileThatTheSameDeploymentPuts(t *testing.T) {
	f := newFair("")
	d := f.draft(func(r *Request) {
		w := f.wanted("board", "1", map[tree.Path]string{"fair.order": "rows = 3\n"})
		r.Shipped = map[tree.Digest][]byte{w.Files[0].Digest: []byte("rows = 3\n")}
		tweaks(setting("/rows", "4"))(f, r)
		r.Wanted = []Wanted{w}
	})
	require.Empty(t, saidOf(d, "text-is-put"))
	f.done(t, d)
	require.Equal(t, "rows = 4\n", f.text)
	require.Equal(t, "board@1", f.ledger["fair.order"].Claims[0].Label)
}

// saidOf gives what a draft says under a code, nothing where it does not.
func saidOf(d *Draft, code string) string {
	for _, x := range d.Findings {
		if x.Code == code {
			return x.What
		}
	}
	return ""
}
