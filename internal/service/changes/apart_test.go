package changes

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rollcall"
)

func TestWhatOthersLackGoesBackFirst(t *testing.T) {
	roll := rollcall.Roll{Entries: []rollcall.Entry{
		{Addon: "hooks", Standing: rollcall.Failed, Needs: []string{"Ladle", "elsewhere"}},
		{Addon: "bells", Standing: rollcall.Failed},
		{Addon: "ladle", Standing: rollcall.Failed, Needs: []string{"elsewhere"}},
		{Addon: "ropes", Standing: rollcall.Loaded},
	}}
	require.Equal(t, []string{"ladle", "hooks"}, failing(roll, []string{"hooks", "ladle", "ropes"}), "bells is none of them, and ropes loaded")
	require.Empty(t, failing(roll, nil))
}
