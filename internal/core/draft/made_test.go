package draft

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
)

// begun makes the running order from a template.
func begun(text string) tweak.Tweak { return tweak.Tweak{Do: tweak.Begin, Format: "ini", Text: text} }

// unmade takes it away again, which was made as text.
func unmade(text string) scene {
	return func(f *fair, r *Request) {
		f.ledger["fair.order"] = Row{State: content(f.text), Tweaks: []Tweaked{{ID: "t-1", Tweak: begun(text)}}}
		r.Wanted, r.Untweak = nil, []string{"t-1"}
	}
}

// wish asks for a text that is made for lamp, in place of an earlier one.
func wish(text, instead string) func(*Request) {
	k := Tweaked{ID: TweakID("fair.order", begun(text)), Tweak: begun(text), Addon: "lamp", Ruled: true}
	return func(r *Request) {
		r.Tweaks = []TweakWish{{Path: "fair.order", Tweaked: k, Instead: instead}}
	}
}

func TestATextIsMadeFromATemplateAndGoesWithItsAddOn(t *testing.T) {
	f := newFair("")
	lamp := f.wanted("lamp", "1", map[tree.Path]string{"lamp.x": "x"})
	d := f.draft(func(r *Request) { wish("# a card\nrows = 3\n", "")(r); r.Wanted = []Wanted{lamp} })
	f.done(t, d)
	require.Equal(t, "# a card\nrows = 3\n", f.text)
	row := f.ledger["fair.order"]
	require.Len(t, row.Tweaks, 1, "the ledger owns it")

	// A person changes a line of it, the template another: both hold.
	f.text = "# a card\nrows = 7\n"
	f.files["fair.order"] = content(f.text)
	f.done(t, f.draft(func(r *Request) { wish("# a card, new\nrows = 3\n", row.Tweaks[0].ID)(r); r.Wanted = []Wanted{lamp} }))
	require.Equal(t, "# a card, new\nrows = 7\n", f.text)
	require.Len(t, f.ledger["fair.order"].Tweaks, 1)

	// What was changed since stays when the add-on goes, and that is said.
	gone := func(r *Request) { r.Remove, r.Present = []Removal{{"lamp", "lamp"}}, map[string]bool{"lamp": true} }
	require.NotEmpty(t, saidOf(f.draft(gone), "made-stays"))

	// As it was made, it goes.
	f.text = "# a card, new\nrows = 3\n"
	f.files["fair.order"] = content(f.text)
	d = f.draft(gone)
	require.Empty(t, saidOf(d, "made-stays"))
	require.Equal(t, tree.Absent, changeAt(d, "fair.order").After.Being)
	f.done(t, d)
	require.Empty(t, f.ledger["fair.order"].Tweaks)
}

func TestAMadeTextThatIsGoneIsNoTrouble(t *testing.T) {
	f := newFair("")
	f.ledger["fair.order"] = Row{State: content("rows = 3\n"), Tweaks: []Tweaked{{ID: "t-1", Tweak: begun("rows = 3\n")}}}
	d := f.draft(func(r *Request) { r.Untweak = []string{"t-1"} })
	for _, x := range d.Findings {
		require.NotEqual(t, "no-settings-file", x.Code)
	}
}
