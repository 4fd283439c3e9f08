package insight

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/fault"
)

func TestWhatIsOddAndHarmlessIsNotedOfAnAddOn(t *testing.T) {
	w := open(t)
	one := w.crate("1", "one")
	w.run(w.draft(draft.Change{Path: "lamp", After: content("one"), ClaimsAfter: claim(one)}))
	require.NoError(t, w.NoteOddity(t.Context(), "saltpan", "Lamps", " warns of wicks at start ", false, "mara"))
	require.NoError(t, w.NoteOddity(t.Context(), "saltpan", "lamps", "warns of wicks at start", false, "jo"))
	st, err := w.Status(t.Context(), "saltpan")
	require.NoError(t, err)
	require.Equal(t, []string{"warns of wicks at start", "says hello twice"}, st.Addons[0].Oddities, "noted by people, and of its whole kind by the rulebook")

	require.ErrorContains(t, w.NoteOddity(t.Context(), "saltpan", "gulls", "shriek", false, "mara"), `there is no add-on "gulls" on saltpan`)
	require.ErrorContains(t, w.NoteOddity(t.Context(), "saltpan", "lamps", "  ", false, "mara"), "say what is odd")
	err = w.NoteOddity(t.Context(), "saltpan", "lamps", "smokes", true, "mara")
	require.Equal(t, fault.Unknown, fault.As(err).Kind)
	require.NoError(t, w.NoteOddity(t.Context(), "saltpan", "lamps", "warns of wicks at start", true, "mara"))
	st, err = w.Status(t.Context(), "saltpan")
	require.NoError(t, err)
	require.Equal(t, []string{"says hello twice"}, st.Addons[0].Oddities)
}
