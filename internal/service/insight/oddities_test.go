package insight

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

func TestWhatIsOddAndHarmlessIsNotedOfAnAddOn(t *testing.T) {
	w := open(t)
	one := w.crate("1", "one")
	w.run(w.draft(draft.Change{Path: "lamp", After: content("one"), ClaimsAfter: claim(one)}))
	require.NoError(t, w.db.AddOddity(t.Context(), model.Oddity{Rulebook: "harbour", Addon: "lamps", Text: "warns of wicks at start", Actor: "mara"}))
	st, err := w.Status(t.Context(), "saltpan")
	require.NoError(t, err)
	require.Equal(t, []string{"warns of wicks at start", "says hello twice"}, st.Addons[0].Oddities, "noted by people, and of its whole kind by the rulebook")
}

func TestAnAddOnIsFoundByAnyWayOfWritingItsName(t *testing.T) {
	w := open(t)
	one := w.crate("1", "one")
	w.run(w.draft(draft.Change{Path: "lamp", After: content("one"), ClaimsAfter: claim(one)}))
	srv, crate, err := w.Addon(t.Context(), "saltpan", "Lamps")
	require.NoError(t, err)
	require.Equal(t, "saltpan", srv.Name)
	require.Equal(t, one.Digest, crate)
	_, _, err = w.Addon(t.Context(), "saltpan", "gulls")
	require.Equal(t, fault.Unknown, fault.As(err).Kind)
	require.ErrorContains(t, err, `there is no add-on "gulls" on saltpan`)
	_, _, err = w.Addon(t.Context(), "nowhere", "lamps")
	require.Equal(t, "server-unknown", fault.As(err).Code)
}
