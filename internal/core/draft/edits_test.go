package draft

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
)

// fair is a world with a running order and stalls in it.
type fair struct {
	*world
	text string               // of the running order
	more map[tree.Path]string // other texts that are there
	list Listed
}

var order = settings.List{Form: "line", Entry: "call {key}", Disabled: "# {entry}", Order: "needs"}

func newFair(text string, stalls ...tree.Path) *fair {
	f := &fair{world: newWorld(), text: text}
	for _, s := range stalls {
		f.write("stalls/"+s+"/stall.lf", string(s))
	}
	f.list = Listed{Path: "fair.order", Name: "order", List: order, Rules: []NameRule{{Folder: "stalls", Folders: true}}, Proves: true}
	return f
}

func (f *fair) stall(name, version string, before ...string) Wanted {
	w := f.wanted(name, version, map[tree.Path]string{"stalls/" + tree.Path(name) + "/stall.lf": name + version})
	w.Listings = []Wish{{Path: "fair.order", Before: before, Listing: Listing{Addon: name, Label: w.Label(), Crate: w.Crate, Name: "order", List: order, Key: name}}}
	return w
}

// draft drafts on what is there now.
func (f *fair) draft(change func(*Request)) *Draft {
	req := f.request()
	req.Lists = []Listed{f.list}
	change(req)
	obs := f.observe()
	if f.text != "" {
		obs.Paths["fair.order"], obs.Texts = Seen{State: content(f.text)}, map[tree.Path][]byte{"fair.order": []byte(f.text)}
	}
	for p, text := range f.more {
		obs.Paths[p], obs.Texts[p] = Seen{State: content(text)}, []byte(text)
	}
	return Make(req, obs)
}

// done takes a draft for done: the tree, the text and the ledger are as it says.
func (f *fair) done(t *testing.T, d *Draft) {
	for _, c := range d.Changes {
		if c.Path == "fair.order" {
			after, done, err := ApplyEdits([]byte(f.text), c.Edits)
			require.NoError(t, err)
			f.text, c.Edits = string(after), done
		}
		if text, is := f.more[c.Path]; is {
			after, done, err := ApplyEdits([]byte(text), c.Edits)
			require.NoError(t, err)
			f.more[c.Path], c.Edits = string(after), done
		}
		f.ledger[c.Path] = Row{State: c.After, Claims: c.ClaimsAfter, Listed: c.ListedAfter, Tweaks: c.TweaksAfter}
		if f.files[c.Path] = c.After; c.After.Being == tree.Absent {
			delete(f.files, c.Path)
			delete(f.ledger, c.Path)
		}
		f.number++
		f.events = append(f.events, Event{Seq: int64(f.number), Deployment: d.WayBack, Change: c})
	}
}

func said(t *testing.T, d *Draft, code string) string {
	t.Helper()
	for _, x := range d.Findings {
		if x.Code == code {
			return x.What
		}
	}
	require.Fail(t, "no finding "+code, "%v", d.Findings)
	return ""
}

func TestADeploymentListsWhatItPuts(t *testing.T) {
	f := newFair("# order\ncall gate\n", "gate")
	d := f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1"), f.stall("base", "1", "drum")} })
	var step *Step
	for i := range d.Steps {
		if d.Steps[i].Verb == EditText {
			step = &d.Steps[i]
		}
	}
	require.NotNil(t, step)
	require.Equal(t, tree.Path("fair.order"), step.Path)
	require.Equal(t, "lists base@1, lists drum@1", step.Reason)
	require.Equal(t, "--- before fair.order\n+++ after fair.order\n@@ -1,2 +1,4 @@\n # order\n call gate\n+call base\n+call drum\n", step.Diff)
	var kinds []MotionKind
	for _, id := range step.Motions {
		m := d.Motions.At(id - 1)
		require.Equal(t, Swap, m.Phase)
		kinds = append(kinds, m.Kind)
	}
	require.Equal(t, []MotionKind{EditMotion, AsideMotion, InMotion}, kinds)
	for m := range d.Motions.All() {
		if m.Kind == AsideMotion || m.Kind == InMotion {
			require.Greater(t, m.Group, d.Motions.At(step.Motions[0]-1).Group, "nothing is swapped before the text is written")
		}
	}
	require.Equal(t, 1, d.Counts.Edited)
	require.Equal(t, "fair.order also names gate, which no add-on of the ledger is; that is left as it is.", said(t, d, "entries-by-hand"))
	require.NotContains(t, codes(d), "warn listed-nothing fair.order")
	require.NotContains(t, codes(d), "warn not-listed fair.order")

	f.done(t, d)
	again := f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1"), f.stall("base", "1", "drum")} })
	require.Zero(t, again.Motions.Len())
	require.Empty(t, again.Changes)
	require.Equal(t, []string{"note nothing-to-do "}, codes(again))
}

func TestAnUpdateAWithdrawalAndARemovalKeepTheListRight(t *testing.T) {
	f := newFair("call gate # first\n", "gate")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1")} }))
	require.Equal(t, "call gate # first\ncall drum\n", f.text)

	// By hand in between, which stays over everything that follows.
	f.text = "call gate # first\ncall drum # loud\ncall hand\n"
	f.done(t, f.draft(func(r *Request) { r.Toggles = []Toggle{{Addon: "drum", Name: "drum", Off: true}} }))
	require.Equal(t, "call gate # first\n# call drum # loud\ncall hand\n", f.text)
	require.True(t, f.ledger["fair.order"].Listed[0].Off)

	d := f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "2")} })
	f.done(t, d)
	require.Equal(t, "call gate # first\n# call drum # loud\ncall hand\n", f.text, "what is disabled stays so over an update")
	require.Equal(t, "drum@2", f.ledger["fair.order"].Listed[0].Label)
	require.True(t, f.ledger["fair.order"].Listed[0].Off)

	f.done(t, f.draft(func(r *Request) { r.Toggles = []Toggle{{Addon: "drum", Name: "drum"}} }))
	require.Equal(t, "call gate # first\ncall drum # loud\ncall hand\n", f.text)

	// Another name for the same add-on stands where the old one stood.
	w := f.stall("drum", "3")
	w.Listings[0].Listing.Key = "drums"
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{w} }))
	require.Equal(t, "call gate # first\ncall drums\ncall hand\n", f.text)

	d = f.draft(func(r *Request) { r.Remove = []Removal{{Addon: "drum", Name: "drum"}} })
	require.Contains(t, codes(d), "warn listed-nothing fair.order", "the entry by hand names nothing")
	f.done(t, d)
	require.Equal(t, "call gate # first\ncall hand\n", f.text)
	require.Empty(t, f.ledger["fair.order"].Listed)
}

func TestARollbackTakesItsEntriesBackAndNoOthers(t *testing.T) {
	f := newFair("call gate\n", "gate")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1"), f.stall("swing", "1")} }))
	first := len(f.events)
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("late", "1")} }))
	require.Equal(t, "call gate\ncall drum\ncall swing\ncall late\n", f.text)
	f.text += "call hand\n"

	ofFirst := func(e Event) bool { return e.Seq <= int64(first) }
	d := f.draft(func(r *Request) {
		for _, b := range Inverse(f.events, ofFirst) {
			if b.OfAddon("swing"); b.Path == "fair.order" || b.Path.Within("stalls/swing") {
				r.Back = append(r.Back, b)
			}
		}
	})
	f.done(t, d)
	require.Equal(t, "call gate\ncall drum\ncall late\ncall hand\n", f.text, "one add-on's entry goes back")
	require.NotContains(t, codes(d), "block changed-since fair.order", "a text that others changed in between is no hindrance")

	removed := len(f.events)
	f.done(t, f.draft(func(r *Request) { r.Remove = []Removal{{Addon: "drum", Name: "drum"}} }))
	require.Equal(t, "call gate\ncall late\ncall hand\n", f.text)
	f.done(t, f.draft(func(r *Request) { r.Back = Inverse(f.events, func(e Event) bool { return e.Seq > int64(removed) }) }))
	require.Equal(t, "call gate\ncall drum\ncall late\ncall hand\n", f.text, "what a removal took out stands where it stood")
	require.Len(t, f.ledger["fair.order"].Listed, 2)

	f.done(t, f.draft(func(r *Request) { r.Back = AsOf(f.events, 0, "the beginning", func(Event) bool { return true }) }))
	require.Equal(t, "call gate\ncall hand\n", f.text)
	require.Empty(t, f.ledger["fair.order"].Listed)
}

func TestATextThatIsNotThereIsMadeAndGoesWithItsDeployment(t *testing.T) {
	f := newFair("")
	d := f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1")} })
	require.Equal(t, "fair.order is not on the server; it is made.", said(t, d, "load-list-made"))
	f.done(t, d)
	require.Equal(t, "call drum\n", f.text)
	d = f.draft(func(r *Request) { r.Back = Inverse(f.events, func(Event) bool { return true }) })
	for _, c := range d.Changes {
		if c.Path == "fair.order" {
			require.Equal(t, tree.Absent, c.After.Being)
		}
	}
	f.list.List = settings.List{Form: "json", Entry: "{key}", At: "/load"}
	g := newFair("")
	g.list = f.list
	w := g.stall("drum", "1")
	w.Listings[0].Listing.List = f.list.List
	d = g.draft(func(r *Request) { r.Wanted = []Wanted{w} })
	require.Equal(t, "fair.order, which names what the server loads, is not on the server.", said(t, d, "no-load-list"))
}

// ordered is a crate that puts the running order itself, as a whole.
func (f *fair) ordered(version, text string) Wanted {
	return f.wanted("board", version, map[tree.Path]string{"fair.order": text})
}

func TestATextThatACratePutKeepsItsOwnerWhenEntriesAreWritten(t *testing.T) {
	f := newFair("")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.ordered("1", "call gate\n")} }))
	f.text = "call gate\n"
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1")} }))
	require.Equal(t, "call gate\ncall drum\n", f.text)
	require.Equal(t, "board", f.ledger["fair.order"].Claims[0].Addon)

	all := func(Event) bool { return true }
	d := f.draft(func(r *Request) { r.Back = AsOf(f.events, 0, "fair#0", all) })
	at := changeAt(d, "fair.order")
	require.Equal(t, tree.Absent, at.After.Being, "it was put by us, so it goes")
	require.Empty(t, at.ClaimsAfter)
	require.Empty(t, at.ListedAfter)

	d = f.draft(func(r *Request) { r.Back = Inverse(f.events, func(e Event) bool { return e.Touches("drum") }) })
	at = changeAt(d, "fair.order")
	require.Equal(t, content("call gate\n").Digest, at.After.Digest, "the entry goes, the text stays")
	require.Equal(t, "board", at.ClaimsAfter[0].Addon)
}

func TestATextThatIsReplacedTellsWhoseEntriesGo(t *testing.T) {
	f := newFair("")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.ordered("1", "call gate\n")} }))
	f.text = "call gate\n"
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1")} }))
	goes := "fair.order was put as a whole, and holds entries of drum@1; they go with these bytes."
	require.Equal(t, goes, said(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.ordered("2", "call lamp\n")} }), "entries-go"))
	require.Equal(t, goes, said(t, f.draft(func(r *Request) { r.Remove = []Removal{{Addon: "board", Name: "board"}} }), "entries-go"))
	d := f.draft(func(r *Request) { r.Remove = []Removal{{Addon: "board", Name: "board"}, {Addon: "drum", Name: "drum"}} })
	for _, x := range d.Findings {
		require.NotContains(t, []string{"entries-go", "text-is-put"}, x.Code, "both go, so nothing is lost")
	}
	require.Equal(t, tree.Absent, changeAt(d, "fair.order").After.Being)
}

func changeAt(d *Draft, p tree.Path) Change {
	for _, c := range d.Changes {
		if c.Path == p {
			return c
		}
	}
	return Change{}
}

func TestAListThatTheTextDoesNotHoldYetIsBegun(t *testing.T) {
	f := newFair("[fair]\nopen=1\n")
	f.list.List = settings.List{Form: "joined", Entry: "{key}", Match: `(?m)^calls=(.*)$`, Separator: ",", Missing: "calls=", Below: "[fair]"}
	w := f.stall("drum", "1")
	w.Listings[0].Listing.List = f.list.List
	d := f.draft(func(r *Request) { r.Wanted = []Wanted{w} })
	require.Equal(t, "fair.order does not hold the list yet; the line calls= begins it, below [fair].", said(t, d, "load-list-made"))
	f.done(t, d)
	require.Equal(t, "[fair]\ncalls=drum\nopen=1\n", f.text)
	f.done(t, f.draft(func(r *Request) { r.Back = Inverse(f.events, func(Event) bool { return true }) }))
	require.Equal(t, "[fair]\nopen=1\n", f.text)
}

func TestAnEntryOfAGroupStaysFromItsFirstMemberToItsLast(t *testing.T) {
	f := newFair("call gate\n", "gate")
	member := func(name string) Wanted {
		w := f.stall(name, "1")
		w.Listings[0].Listing.Key = "row-east"
		return w
	}
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{member("drum")} }))
	require.Equal(t, "call gate\ncall row-east\n", f.text)
	d := f.draft(func(r *Request) { r.Wanted = []Wanted{member("horn")} })
	require.NotContains(t, codes(d), "note listed-already fair.order")
	f.done(t, d)
	f.done(t, f.draft(func(r *Request) { r.Toggles = []Toggle{{Addon: "drum", Name: "drum", Off: true}} }))
	require.Equal(t, "call gate\ncall row-east\n", f.text, "horn has the same entry and stays")
	f.done(t, f.draft(func(r *Request) { r.Remove = []Removal{{Addon: "drum", Name: "drum"}} }))
	require.Equal(t, "call gate\ncall row-east\n", f.text)
	f.done(t, f.draft(func(r *Request) { r.Remove = []Removal{{Addon: "horn", Name: "horn"}} }))
	require.Equal(t, "call gate\n", f.text)
}

func TestEnablingBringsAnEntryBackToItsPlace(t *testing.T) {
	f := newFair("load=gate,drum,horn # three\n", "gate")
	f.list.List = settings.List{Form: "joined", Entry: "{key}", Match: `(?m)^load=([^#\n]*?) *(?:#.*)?$`, Separator: ","}
	with := func(name string) Wanted {
		w := f.stall(name, "1")
		w.Listings[0].Listing.List = f.list.List
		return w
	}
	toggle := func(off bool) {
		f.done(t, f.draft(func(r *Request) { r.Toggles = []Toggle{{Addon: "drum", Name: "drum", Off: off}} }))
	}
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{with("drum")} }))
	toggle(true)
	require.Equal(t, "load=gate,horn # three\n", f.text)
	toggle(false)
	require.Equal(t, "load=gate,drum,horn # three\n", f.text)

	toggle(true)
	f.text = "load=mine,gate,other,horn,more # four\n" // the text moves on meanwhile
	toggle(false)
	require.Equal(t, "load=mine,gate,drum,other,horn,more # four\n", f.text, "behind what stood before it")
}

func TestAnAddOnMayHaveSeveralEntries(t *testing.T) {
	f := newFair("call gate\n", "gate")
	playing := func(version string, keys ...string) Wanted {
		w := f.stall("drum", version)
		wish := w.Listings[0]
		w.Listings = nil
		for _, k := range keys {
			wish.Listing.Key = k
			w.Listings = append(w.Listings, wish)
		}
		return w
	}
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{playing("1", "drum loud", "drum soft")} }))
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("horn", "1")} }))
	require.Equal(t, "call gate\ncall drum loud\ncall drum soft\ncall horn\n", f.text)
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{playing("2", "drum loud", "drum slow")} }))
	require.Equal(t, "call gate\ncall drum loud\ncall drum slow\ncall horn\n", f.text, "what is new stands where the old one stood")
}

func TestABrokenTextIsNotWrittenTo(t *testing.T) {
	f := newFair("{\"load\": [\n\"a\" \"b\"]}")
	w := f.stall("drum", "1")
	w.Listings[0].Listing.List = settings.List{Form: "json", Entry: "{key}", At: "/load"}
	d := f.draft(func(r *Request) { r.Wanted = []Wanted{w} })
	require.Contains(t, said(t, d, "text-broken"), "fair.order cannot be read: line 2, column")
	for m := range d.Motions.All() {
		require.NotEqual(t, EditMotion, m.Kind)
	}
}

func TestARollbackOfAnAddOnTakesTheVersionItsEntryStandsForBack(t *testing.T) {
	f := newFair("call gate\n", "gate")
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "1")} }))
	before := len(f.events)
	f.done(t, f.draft(func(r *Request) { r.Wanted = []Wanted{f.stall("drum", "2"), f.stall("late", "1")} }))
	require.Equal(t, "drum@2", f.ledger["fair.order"].Listed[0].Label)

	f.done(t, f.draft(func(r *Request) {
		r.Back = Inverse(f.events, func(e Event) bool { return e.Seq > int64(before) && e.Touches("drum") })
		for i := range r.Back {
			r.Back[i].OfAddon("drum")
		}
	}))
	require.Equal(t, "call gate\ncall drum\ncall late\n", f.text)
	labels := map[string]string{}
	for _, l := range f.ledger["fair.order"].Listed {
		labels[l.Addon] = l.Label
	}
	require.Equal(t, map[string]string{"drum": "drum@1", "late": "late@1"}, labels)
}

func TestAnEntryThatChangedForItsAddOnTouchesIt(t *testing.T) {
	l := func(label string, off bool) []Listing {
		return []Listing{{Addon: "drum", Name: "order", Key: "drum", Label: label, Off: off}}
	}
	of := func(before, after []Listing) bool {
		return Event{Change: Change{ListedBefore: before, ListedAfter: after}}.Touches("drum")
	}
	require.False(t, of(l("drum@1", false), l("drum@1", false)))
	require.True(t, of(l("drum@1", false), l("drum@2", false)))
	require.True(t, of(l("drum@1", false), l("drum@1", true)))
	require.True(t, of(nil, l("drum@1", true)))
	require.False(t, of([]Listing{{Addon: "late", Label: "late@1"}}, nil))
}
