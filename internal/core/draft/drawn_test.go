package draft

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// beside has another text, gate.ini, be there.
func beside(is string) scene {
	return func(f *fair, _ *Request) { f.more = map[tree.Path]string{"gate.ini": is} }
}

// drawn is a tweak whose value is drawn from there.
func drawn(at string) (tweak.Tweak, func(*Tweaked)) {
	from := "{gate.ini:" + at + "}"
	return setting("/rows", from), func(k *Tweaked) { k.From = from }
}

// drew has such a tweak hold already, and nothing else be asked for.
func drew(at string) scene {
	return func(f *fair, r *Request) {
		k := Tweaked{ID: "t-1", Tweak: setting("/rows", "3"), From: "{gate.ini:" + at + "}"}
		f.ledger["fair.order"] = Row{State: content(f.text), Tweaks: []Tweaked{k}}
		r.Wanted, r.Templates = nil, map[string]string{"t-1": k.From}
	}
}

// ring has gate.ini draw a value from the running order, and that draw one from a text.
func ring(from tree.Path) scene {
	return func(f *fair, r *Request) {
		one, how := drawn("/rows")
		tweaks(one, how)(f, r)
		other := "{gate.ini:/rows}"
		if from == "gate.ini" {
			other = "{fair.order:/rows}"
		}
		r.Tweaks = append(r.Tweaks, TweakWish{Path: "gate.ini", Tweaked: Tweaked{ID: "t-2", Tweak: setting("/lamps", other), From: other}})
		r.Tweaks[1].Tweaked.Tweak.Make = true
	}
}

func TestAValueIsDrawnFromAnotherTextAndGoesWithIt(t *testing.T) {
	f := newFair("rows = 3 # all\n")
	f.more = map[tree.Path]string{"gate.ini": "[gate]\nrows = 7\n"}
	one, how := drawn("/gate/rows")
	f.done(t, f.draft(func(r *Request) { tweaks(one, how)(f, r) }))
	require.Equal(t, "rows = 7 # all\n", f.text)
	k := f.ledger["fair.order"].Tweaks[0]
	require.Equal(t, "7", k.Tweak.Value)
	require.Equal(t, TweakID("fair.order", k.Tweak), k.ID)

	// Nothing is written while it says the same.
	again := func(r *Request) { r.Templates = map[string]string{k.ID: k.From} }
	require.Empty(t, f.draft(again).Changes)

	// The other text is changed by hand: the next draft, whatever it is about, writes it again.
	f.more["gate.ini"] = "[gate]\nrows = 9\n"
	d := f.draft(func(r *Request) { again(r); r.Wanted = []Wanted{f.stall("lamp", "1")} })
	require.Equal(t, "lists lamp@1, in place of "+k.ID+", {gate.ini:/gate/rows} says 9 now", changeReason(d, "fair.order"))
	f.done(t, d)
	require.Equal(t, "rows = 9 # all\ncall lamp\n", f.text)
	k = f.ledger["fair.order"].Tweaks[0]

	// It is changed by the same deployment that would draw from it.
	f.done(t, f.draft(func(r *Request) {
		again(r)
		r.Tweaks = []TweakWish{{Path: "gate.ini", Tweaked: Tweaked{ID: "t-9", Tweak: setting("/gate/rows", "12")}}}
	}))
	require.Equal(t, "rows = 12 # all\ncall lamp\n", f.text)
	k = f.ledger["fair.order"].Tweaks[0]

	// Its way back leads to what was there before any of them.
	f.done(t, f.draft(func(r *Request) { r.Untweak = []string{k.ID} }))
	require.Equal(t, "rows = 3 # all\ncall lamp\n", f.text)
}

func TestAValueThatIsThereAlreadyIsKeptInStep(t *testing.T) {
	f := newFair("rows = 7\n")
	f.more = map[tree.Path]string{"gate.ini": "rows = 7\n"}
	one, how := drawn("/rows")
	f.done(t, f.draft(func(r *Request) { tweaks(one, how)(f, r) }))
	require.Equal(t, "rows = 7\n", f.text)
	k := f.ledger["fair.order"].Tweaks[0]
	f.more["gate.ini"] = "rows = 9\n"
	f.done(t, f.draft(func(r *Request) { r.Templates = map[string]string{k.ID: k.From} }))
	require.Equal(t, "rows = 9\n", f.text)
}

func TestSourcesAreToldFromOtherWords(t *testing.T) {
	require.Empty(t, Sources("{game} and {version-of-lamp} {a:b}"))
	require.Equal(t, []Source{{"conf/a b.ini", "/x/y"}, {"a.zip!/in.toml", "/z"}}, Sources("{conf/a b.ini:/x/y}-{a.zip!/in.toml:/z}"))
}

// changeReason is why a text is edited.
func changeReason(d *Draft, p tree.Path) string {
	for _, s := range d.Steps {
		if s.Path == p && s.Verb == EditText {
			return s.Reason
		}
	}
	return ""
}
