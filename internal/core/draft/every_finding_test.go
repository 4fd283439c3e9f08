package draft

import (
	"maps"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/needs"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/testbed/findingtest"
)

// A scene is a world and what is asked of it. Without anything of its own, lamp@1 is on a
// server that is stopped, a running order names it, and lamp@2 is asked for.
type scene func(f *fair, r *Request)

// both does one thing after the other.
func both(scenes ...scene) scene {
	return func(f *fair, r *Request) {
		for _, s := range scenes {
			s(f, r)
		}
	}
}

// found are the findings of the draft that a scene makes.
func (s scene) found(t *testing.T) []finding.Finding {
	f := newFair("call lamp\n")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("lamp", "1")} }))
	return f.draft(func(r *Request) {
		r.Power = &Power{Condition: power.Stopped, Stop: "command", Start: "command", Reload: true}
		r.Present = map[string]bool{"lamp": true}
		r.Shared = map[tree.Path]bool{"stalls": true}
		r.Wanted = []Wanted{f.stall("lamp", "2")}
		s(f, r)
	}).Findings
}

// pair is a scene in which a code is said, and the nearest one in which it must not be.
type pair struct{ is, near scene }

func nothing(*fair, *Request) {}

// Small things that scenes are made of.
func lamp(change func(w *Wanted)) scene {
	return func(_ *fair, r *Request) { change(&r.Wanted[0]) }
}

// copies has one thing on the server look like an add-on.
func copies(p tree.Path, addon string) scene {
	return func(_ *fair, r *Request) {
		r.Copies = func([]tree.Entry) []Copy { return []Copy{{Path: p, Addon: addon}} }
	}
}

func replacing(p tree.Path) scene {
	return func(_ *fair, r *Request) { r.Settles = append(r.Settles, Settle{Path: p, Do: RemoveIt}) }
}

func host(change func(h *Host)) scene { return func(_ *fair, r *Request) { change(&r.Host) } }

func runs(change func(p *Power)) scene {
	return func(_ *fair, r *Request) {
		r.Power.Condition = power.Running
		change(r.Power)
	}
}

func there(p tree.Path, text string) scene { return func(f *fair, _ *Request) { f.write(p, text) } }

func placed(p tree.Path, being tree.Being) scene {
	return func(f *fair, _ *Request) {
		for at := range f.files {
			if at.Within(p) {
				delete(f.files, at)
			}
		}
		if being != tree.Absent {
			f.files[p] = tree.State{Being: being}
		}
	}
}

// wants asks for another add-on as well, with one file.
func wants(name string, p tree.Path, text string, change ...func(w *Wanted)) scene {
	return func(f *fair, r *Request) {
		w := f.wanted(name, "1", map[tree.Path]string{p: text})
		for _, c := range change {
			c(&w)
		}
		r.Wanted = append(r.Wanted, w)
	}
}

// has puts another add-on on the server first.
func has(name string, p tree.Path, text string, change ...func(w *Wanted)) scene {
	return func(f *fair, _ *Request) {
		w := f.wanted(name, "1", map[tree.Path]string{p: text})
		for _, c := range change {
			c(&w)
		}
		for i, x := range w.Files {
			f.files[x.Path] = tree.State{Being: tree.Content, Digest: x.Digest, Size: x.Size, Mode: 0o644}
			f.ledger[x.Path] = Row{State: f.files[x.Path], Claims: []Claim{w.claim(w.Files[i], Owns)}}
			for _, up := range x.Path.Ancestors() {
				f.files[up] = tree.State{Being: tree.Folder, Mode: 0o755}
			}
		}
	}
}

func removing(names ...string) scene {
	return func(_ *fair, r *Request) {
		r.Wanted = nil
		for _, n := range names {
			r.Remove = append(r.Remove, Removal{n, n})
		}
	}
}

func reads(is string) scene { return func(f *fair, _ *Request) { f.text = is } }

// unread has the running order be not there.
func unread(f *fair, _ *Request) {
	f.text = ""
	delete(f.files, "fair.order")
	delete(f.ledger, "fair.order")
}

func list(change func(f *fair, l *settings.List)) scene {
	return func(f *fair, r *Request) {
		for i := range r.Wanted {
			for j := range r.Wanted[i].Listings {
				change(f, &r.Wanted[i].Listings[j].Listing.List)
			}
		}
	}
}

const lampFile tree.Path = "stalls/lamp/stall.lf"

// overlays makes an add-on's files lie over others'.
func overlays(w *Wanted) {
	for i := range w.Files {
		w.Files[i].Overlay = true
	}
}

// lying has night lie over the lamp's file on the server.
func lying(f *fair, _ *Request) {
	row := f.ledger[lampFile]
	night := f.wanted("night", "1", map[tree.Path]string{lampFile: "dark"})
	row.Claims = append(slices.Clone(row.Claims), night.claim(night.Files[0], Overlays))
	row.State = content("dark")
	f.ledger[lampFile], f.files[lampFile] = row, row.State
	f.held[row.State.Digest] = true
}

// back takes the lamp's file back to bytes of before.
func back(later string) scene {
	return func(f *fair, r *Request) {
		was := content("was")
		f.held[was.Digest] = true
		r.Wanted = nil
		r.Back = []Return{{Path: lampFile, From: f.ledger[lampFile].State, To: was, Later: later, Why: "as it was"}}
	}
}

func set(s Set) scene {
	return func(_ *fair, r *Request) { r.Sets = append(r.Sets, s) }
}

var land = Set{Variable: "land", Before: "valley", After: "hollow", Hand: "Set the land.", Why: "you said so"}

// every is each code of a draft.
var every = map[string]pair{
	// What stands on the server.
	"unknown-file":      {both(there("extra", "theirs"), wants("sign", "extra", "ours")), both(there("extra", "ours"), wants("sign", "extra", "ours"))},
	"already-there":     {both(there("extra", "ours"), wants("sign", "extra", "ours")), wants("sign", "extra", "ours")},
	"changed-file":      {there(lampFile, "changed"), there("stalls/lamp/other", "changed")},
	"missing-file":      {placed(lampFile, tree.Absent), placed("stalls/none", tree.Absent)},
	"behind-link":       {both(removing("lamp"), placed("stalls/lamp", tree.Foreign)), both(removing("lamp"), placed("stalls/lamp2", tree.Foreign))},
	"foreign-in-way":    {placed(lampFile, tree.Foreign), placed("stalls/link", tree.Foreign)},
	"folder-in-way":     {placed(lampFile, tree.Folder), placed("stalls/lamp/more", tree.Folder)},
	"file-in-way":       {both(placed("signs", tree.Content), wants("sign", "signs/a", "a")), both(placed("signs.old", tree.Content), wants("sign", "signs/a", "a"))},
	"case-clash":        {both(there("Signs/a", "x"), wants("sign", "signs/a", "a"), func(_ *fair, r *Request) { r.CaseBlind = true }), both(there("Signs/a", "x"), wants("sign", "signs/a", "a"))},
	"protected":         {both(wants("sign", "fair.seal", "a"), func(_ *fair, r *Request) { r.Protected = []string{"*.seal"} }), both(wants("sign", "fair.sea", "a"), func(_ *fair, r *Request) { r.Protected = []string{"*.seal"} })},
	"name-too-long":     {wants("sign", tree.Path(strings.Repeat("a", 256)), "a"), wants("sign", tree.Path(strings.Repeat("a", 255)), "a")},
	"left-alone":        {both(there("stalls/lamp/log", "its own"), removing("lamp")), both(there("log", "its own"), removing("lamp"))},
	"folder-stays":      {both(has("sign", "signs/a", "a"), removing("sign")), both(has("sign", "signs/a", "a"), there("signs/b", "theirs"), removing("sign"))},
	"bytes-gone":        {func(f *fair, _ *Request) { delete(f.held, tree.Sum([]byte("lamp2"))) }, func(f *fair, _ *Request) { delete(f.held, tree.Sum([]byte("lamp1"))) }},
	"over-upload-limit": {host(func(h *Host) { h.UploadLimit = 4 }), host(func(h *Host) { h.UploadLimit = 5 })},

	// Whose files they are.
	"two-versions":  {func(f *fair, r *Request) { r.Wanted = append(r.Wanted, f.stall("lamp", "3")) }, func(f *fair, r *Request) { r.Wanted = append(r.Wanted, f.stall("horn", "3")) }},
	"two-claims":    {both(wants("sign", "s", "a"), wants("post", "s", "b")), both(wants("sign", "s", "a"), wants("post", "s", "a"))},
	"anothers-file": {both(has("sign", "s", "a"), wants("post", "s", "b")), both(has("sign", "s", "a"), wants("post", "s", "a"))},
	"overlaid": {lying, both(lying, func(f *fair, r *Request) {
		r.Wanted = append(r.Wanted, f.wanted("night", "1", map[tree.Path]string{lampFile: "dark"}))
		overlays(&r.Wanted[1])
	})},
	"laid-over":    {wants("night", lampFile, "dark", overlays), wants("night", "stalls/lamp/moon", "dark", overlays)},
	"base-changed": {both(lying, wants("night", lampFile, "dark", overlays)), both(lying, wants("night", lampFile, "dark", overlays), func(f *fair, r *Request) { r.Wanted[0] = f.stall("lamp", "1") })},
	"shared-goes": {func(f *fair, r *Request) {
		has("kit", "mods/lamp-1.jar", "1")(f, r)
		row := f.ledger["mods/lamp-1.jar"]
		row.Claims = append(row.Claims, Claim{Addon: "lamp", Label: "lamp@1", Role: Shares})
		f.ledger["mods/lamp-1.jar"] = row
		r.Wanted[0].Files = append(r.Wanted[0].Files, f.wanted("lamp", "2", map[tree.Path]string{"mods/lamp-2.jar": "2"}).Files...)
	}, func(f *fair, r *Request) {
		has("kit", "mods/lamp-1.jar", "1")(f, r)
		r.Wanted[0].Files = append(r.Wanted[0].Files, f.wanted("lamp", "2", map[tree.Path]string{"mods/lamp-2.jar": "2"}).Files...)
	}},
	"changed-since": {both(back(""), there(lampFile, "changed")), back("")},
	"older-version": {func(f *fair, r *Request) { r.Wanted = []Wanted{f.stall("lamp", "0.9")} }, nothing},

	// Texts that name what is loaded.
	"listed-nothing":  {both(reads("call lamp\ncall nobody\n"), horn), both(reads("call lamp\ncall post\n"), there("stalls/post/a", "a"), horn)},
	"not-listed":      {both(there("stalls/post/a", "a"), horn), both(reads("call lamp\ncall post\n"), there("stalls/post/a", "a"), horn)},
	"entries-by-hand": {both(reads("call lamp\ncall nobody\n"), horn), both(reads("call lamp\n# a word on the order\n"), horn)},
	"wrong-order":     {both(reads("call lamp\n"), horn, orderCounts, lackOf("lamp", "horn")), both(reads("call lamp\n"), horn, orderCounts, lackOf("horn", "lamp"))},
	"listed-already":  {both(reads("call lamp\ncall horn\n"), horn), both(reads("call lamp\n"), horn)},
	"load-list-made":  {both(unread, horn), both(reads("call lamp\n"), horn)},
	"no-load-list":    {both(unread, horn, list(func(_ *fair, l *settings.List) { *l = settings.List{Form: "json", Entry: "{key}"} })), both(unread, horn)},
	"text-broken":     {both(reads("{"), list(func(_ *fair, l *settings.List) { *l = settings.List{Form: "json", Entry: "{key}", At: "/on"} })), both(reads(`{"on": ["lamp"]}`), list(func(_ *fair, l *settings.List) { *l = settings.List{Form: "json", Entry: "{key}", At: "/on"} }))},
	"entry-unwritable": {both(reads("call lamp\n"), func(f *fair, r *Request) {
		r.Wanted = append(r.Wanted, f.stall("horn", "1"))
		r.Wanted[1].Listings[0].Listing.Key = "ho\nrn"
	}), both(reads("call lamp\n"), horn)},
	"text-is-put": {func(f *fair, r *Request) { wants("orders", "fair.order", "call lamp\n")(f, r); horn(f, r) }, func(f *fair, r *Request) { wants("orders", "fair.order2", "call lamp\n")(f, r); horn(f, r) }},
	"entries-go": {func(f *fair, r *Request) {
		row := f.ledger["fair.order"]
		row.State = content(f.text)
		f.ledger["fair.order"] = row
		back("")(f, r)
		was := content("call nobody\n")
		f.held[was.Digest] = true
		r.Back = []Return{{Path: "fair.order", From: row.State, To: was, Whole: true, Why: "as it was"}}
	}, func(f *fair, r *Request) { back("")(f, r) }},
	"after-first-run": {both(unread, horn, first, func(_ *fair, r *Request) { r.Power.Start = "" }), both(unread, horn, first)},
	"two-legs":        {both(unread, horn, first), both(reads("call lamp\n"), horn, first)},

	// Values and what is done by hand.
	"no-settings-file": {set(Set{Variable: "land", Before: "valley", After: "hollow", Path: "fair.conf", List: valueList}), both(set(Set{Variable: "land", Before: "valley", After: "hollow", Path: "fair.order", List: valueList}), reads("land=valley\ncall lamp\n"))},
	"value-unwritable": {both(set(Set{Variable: "land", Before: "valley", After: "hollow", Path: "fair.order", List: valueList}), reads("call lamp\n")), both(set(Set{Variable: "land", Before: "valley", After: "hollow", Path: "fair.order", List: valueList}), reads("land=valley\ncall lamp\n"))},
	"nothing-sets":     {set(Set{Variable: "land", Before: "valley", After: "hollow"}), set(land)},
	"value-drift": {func(_ *fair, r *Request) {
		r.Drifts = []Drift{{Variable: "land", Recorded: "hollow", Found: "valley", Path: "fair.conf"}}
	}, nothing},
	"stays-behind": {func(f *fair, r *Request) {
		s := land
		s.Stay = []string{"tree@1"}
		set(s)(f, r)
	}, set(land)},
	"value":       {lamp(func(w *Wanted) { w.Values = []Value{{"row", "east"}} }), nothing},
	"part-taken":  {lamp(func(w *Wanted) { w.Parts = []Part{{"glass", true, 1}} }), lamp(func(w *Wanted) { w.Parts = []Part{{"glass", false, 1}} })},
	"part-left":   {lamp(func(w *Wanted) { w.Parts = []Part{{"glass", false, 1}} }), lamp(func(w *Wanted) { w.Parts = []Part{{"glass", true, 1}} })},
	"member-kept": {func(_ *fair, r *Request) { r.Kept = []string{"horn stays as it is"} }, nothing},
	"author-says": {lamp(func(w *Wanted) { w.Says = []Says{{"README#1", "stop it first"}} }), nothing},

	// What add-ons are for.
	"base-missing":       {lamp(func(w *Wanted) { w.Lacks = "tent" }), nothing},
	"build-chosen":       {lamp(func(w *Wanted) { w.Build = "the one from 9.3" }), nothing},
	"other-kind":         {lamp(func(w *Wanted) { w.OtherKind = "ride" }), nothing},
	"other-game-version": {fitting(fit.Outside), fitting(fit.Fits)},
	"other-loader":       {fitting(fit.OtherLoader), fitting(fit.Unknown)},
	"players-only":       {fitting(fit.PlayersOnly), fitting(fit.Outside)},

	// What is settled.
	"as-recorded":    {settling(AcceptIt, ""), settling(AcceptIt, "changed")},
	"not-acceptable": {both(settling(AcceptIt, ""), placed("stalls/lamp/stall.lf", tree.Foreign)), settling(AcceptIt, "changed")},
	"no-tweak":       {settling(TweakIt, "\x00bytes"), settling(TweakIt, "changed")},

	"older-copy":        {both(there("stalls/lamp-0.9.pak", "x"), copies("stalls/lamp-0.9.pak", "lamp")), both(there("stalls/lamp-0.9.pak", "x"), copies("stalls/lamp-0.9.pak", "horn"))},
	"older-goes":        {both(there("stalls/lamp-0.9.pak", "x"), copies("stalls/lamp-0.9.pak", "lamp"), replacing("stalls/lamp-0.9.pak")), both(there("stalls/lamp-0.9.pak", "x"), copies("stalls/lamp-0.9.pak", "lamp"))},
	"data-stays":        {both(there("stalls/lamp/takings.log", "x"), removing("lamp")), both(there("stalls/takings.log", "x"), removing("lamp"))},
	"names-change":      {func(_ *fair, r *Request) { r.Renamed = []Renamed{{"horn", "lamp", 3, 2, 9}} }, nothing},
	"nothing-names-old": {func(_ *fair, r *Request) { r.Renamed = []Renamed{{"horn", "lamp", 0, 0, 9}} }, func(_ *fair, r *Request) { r.Renamed = []Renamed{{"horn", "lamp", 1, 1, 9}} }},
	"names-of-old":      {func(_ *fair, r *Request) { r.Instead = [][2]string{{"horn", "lamp"}} }, nothing},
	"left-over":         {there("stalls/lamp/mine.txt", "x"), there("stalls/mine.txt", "x")},

	// What is taken in.
	"adopt-missing": {adopting("", ""), adopting("horn1", "call horn\n")},
	"adopt-differs": {adopting("other", "call horn\n"), adopting("horn1", "call horn\n")},
	"not-named":     {adopting("horn1", "call lamp\n"), adopting("horn1", "call lamp\ncall horn\n")},

	// What add-ons are to one another.
	"need-missing":     {company(needs.Missing, "lamp", nil), both(company(needs.Missing, "lamp", nil), there("stalls/tent/stall.lf", "x"), wants("horn", "stalls/horn/stall.lf", "x"))},
	"need-unknown":     {both(company(needs.Missing, "lamp", nil), there("stalls/tent/stall.lf", "x"), wants("horn", "stalls/horn/stall.lf", "x")), company(needs.Missing, "lamp", nil)},
	"need-unfit":       {company(needs.Unfit, "lamp", tent), company(needs.Recommended, "lamp", tent)},
	"need-disabled":    {company(needs.Disabled, "lamp", tent), company(needs.Recommended, "lamp", tent)},
	"does-not-go-with": {company(needs.Conflict, "lamp", tent), company(needs.Recommended, "lamp", tent)},
	"replaces":         {company(needs.Replaced, "lamp", tent), company(needs.Recommended, "lamp", tent)},
	"recommends":       {company(needs.Recommended, "lamp", nil), company(needs.Missing, "lamp", nil)},
	"needs-circle":     {company(needs.Circle, "lamp", tent), nothing},
	"still-needed":     {company(needs.Missing, "bell", nil), company(needs.Missing, "lamp", nil)},
	"comes-along":      {func(_ *fair, r *Request) { r.Company.Along = map[string]string{"lamp": "the bell needs it"} }, nothing},

	// What becomes of the server.
	"may-be-running": {func(_ *fair, r *Request) { r.Power = nil }, nothing},
	"is-started":     {keelOn(power.Stopped), keelOn(power.Running)},
	"is-stopped":     {nothing, runs(func(*Power) {})},
	"left-running":   {runs(func(p *Power) { p.Leave = true }), runs(func(*Power) {})},
	"not-started":    {runs(func(p *Power) { p.Start = "" }), runs(func(*Power) {})},
	"away":           {runs(func(*Power) {}), runs(func(p *Power) { p.Leave = true })},
	"placed-alone":   {both(runs(func(*Power) {}), lamp(func(w *Wanted) { w.Effect.When = "placed" })), runs(func(*Power) {})},
	"risky-reload": {both(runs(func(*Power) {}), lamp(func(w *Wanted) { w.Effect = Effect{When: "reload", Reload: "again lamp", Risky: "players fall"} })),
		both(runs(func(*Power) {}), lamp(func(w *Wanted) { w.Effect = Effect{When: "reload", Reload: "again lamp"} }))},
	"starts-yourself": {both(keelOn(power.Running), func(_ *fair, r *Request) { r.Power.Stop = "" }), keelOn(power.Running)},
	"several-starts":  {keelOn(power.Running), both(keelOn(power.Running), func(_ *fair, r *Request) { r.Launches = r.Launches[1:] })},

	// What the server writes.
	"data-not-copied": {both(data, runs(func(p *Power) { p.Leave = true })), both(data, runs(func(*Power) {}))},
	"renewed":         {renew(""), nothing},
	"data-back":       {both(there("world.before-1/a", "a"), renew("world.before-1")), renew("")},
	"renewed-gone":    {renew("world.before-1"), both(there("world.before-1/a", "a"), renew("world.before-1"))},
	"renew-running":   {both(renew(""), runs(func(p *Power) { p.Leave = true })), renew("")},
	"renew-by-hand":   {both(renew(""), host(func(h *Host) { h.RenameFolders = false })), renew("")},
	"goes-on":         {both(there("worlds/hollow/a", "a"), newName), newName},

	// What the host can do.
	"host-untested":  {host(func(h *Host) { h.Tested = false }), nothing},
	"no-work-folder": {host(func(h *Host) { h.RenameFromWork = false }), nothing},
	"no-lock":        {host(func(h *Host) { h.NoWork = true }), nothing},
	"no-room":        {host(func(h *Host) { h.Free = 4 }), host(func(h *Host) { h.Free = 1000 })},
	"own-disk":       {both(func(f *fair, r *Request) { r.Own = 2; f.held = map[tree.Digest]bool{tree.Sum([]byte("lamp2")): true} }), func(f *fair, r *Request) { r.Own = 2 }},
	"swap-time":      {host(func(h *Host) { h.RenameMS, h.SideBySide = 2000, 1 }), host(func(h *Host) { h.RenameMS, h.SideBySide = 200, 1 })},
	"nothing-to-do":  {func(f *fair, r *Request) { r.Wanted = []Wanted{f.stall("lamp", "1")} }, nothing},
}

// adopting takes in the horn, of which something lies on the server, and a running order.
func adopting(lies, order string) scene {
	return func(f *fair, r *Request) {
		w := f.stall("horn", "1")
		w.Adopt = true
		r.Wanted = []Wanted{w}
		if lies != "" {
			f.write("stalls/horn/stall.lf", lies)
		}
		f.text = order
	}
}

// settling settles the lamp's manifest, which was changed on the server to something.
func settling(do Settling, changed string) scene {
	return func(f *fair, r *Request) {
		const at = "stalls/lamp/stall.lf"
		r.Wanted, r.Settles = nil, []Settle{{Path: at, Do: do}}
		was := f.ledger[at].State
		r.Shipped = map[tree.Digest][]byte{was.Digest: []byte("lamp1")}
		if changed != "" {
			f.write(at, changed)
			f.more = map[tree.Path]string{at: changed}
		}
	}
}

// fitting has the lamp fit the server so.
func fitting(s fit.State) scene {
	return lamp(func(w *Wanted) { w.Fit = fit.Verdict{State: s, Why: []string{"it says so"}} })
}

var tent = &needs.Item{ID: "tent", Key: "tent", Name: "tent", Version: "1"}

// company has something be wrong between an add-on and the tent.
func company(sort needs.Sort, of string, with *needs.Item) scene {
	return func(_ *fair, r *Request) {
		i := &needs.Item{ID: of, Key: of, Name: of, Version: "2"}
		r.Company.Problems = []needs.Problem{{Sort: sort, Of: i, Want: needs.MakeWant("tent", ">=2"), With: with, Ring: []*needs.Item{i}}}
	}
}

// orderCounts has the order in the running order count.
func orderCounts(f *fair, r *Request) {
	list(func(_ *fair, l *settings.List) { l.Order = settings.ByNeeds })(f, r)
	for i := range r.Lists {
		r.Lists[i].List.Order = settings.ByNeeds
	}
}

func lackOf(who, whom string) scene {
	return func(_ *fair, r *Request) { r.Company.Requires = map[string][]string{who: {whom}} }
}

func horn(f *fair, r *Request) { r.Wanted = append(r.Wanted, f.stall("horn", "1")) }

func first(_ *fair, r *Request) { r.FirstRun = []string{"fair.order"} }

func data(f *fair, r *Request) {
	f.write("world/a", "a")
	r.Data = []DataFolder{{Path: "world", Why: "lamp may change it"}}
}

func renew(from tree.Path) scene {
	return func(f *fair, r *Request) {
		f.write("world/a", "a")
		r.Renew = []DataFolder{{Path: "world", Why: "you said so", From: from}}
	}
}

func newName(f *fair, r *Request) {
	f.write("worlds/valley/a", "a")
	r.NewNames = []NewName{{From: "worlds/valley", To: "worlds/hollow"}}
}

// keelOn asks for a loader that two starts install.
func keelOn(how power.Condition) scene {
	return func(f *fair, r *Request) {
		keel(f, &Power{Condition: how, Stop: "command", Start: "command", Takes: []string{Program}})(r)
	}
}

// valueList finds a value in a text.
var valueList = settings.List{Form: "value", Match: `(?m)^land=(\S*)$`}

// scenes are all of them.
func scenes() map[string]pair {
	out := tweakScenes()
	maps.Copy(out, every)
	return out
}

func TestEveryFindingIsSaidWhereItIsSoAndNowhereElse(t *testing.T) {
	for code, c := range scenes() {
		t.Run(code, func(t *testing.T) {
			findingtest.Said(t, code, c.is.found(t), c.near.found(t))
		})
	}
}

// Nothing but that the server is stopped is said of what is as it should be.
func TestNothingIsSaidOfWhatIsAsItShouldBe(t *testing.T) {
	found := scene(nothing).found(t)
	require.Len(t, found, 1, "%v", found)
	require.Equal(t, "is-stopped", found[0].Code)
}

func TestEveryCodeOfADraftHasItsScenes(t *testing.T) {
	written := regexp.MustCompile(`(?:report\((?:finding\.\w+|level)|refuse\(|block\(|Code:|code :?=|^const \w+ =|OwnDisk =|swapTime =),? ?"([a-z]+(?:-[a-z]+)*)"|(?:refuse|block)\("([a-z-]+)"`)
	codes := findingtest.Codes(t, written)
	require.Greater(t, len(codes), 60)
	for _, code := range codes {
		require.Contains(t, scenes(), code, "there is no scene for it")
	}
}
