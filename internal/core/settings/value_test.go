package settings_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/settings"
)

func TestAValueGoesBackOnlyWhereItIsStillWhatWasSet(t *testing.T) {
	l := settings.List{Form: settings.ValueForm, Match: `(?m)^port = (.*)$`}
	text, undo, err := settings.Apply([]byte("port = a\n"), settings.Op{List: l, Do: settings.Set, Key: "b"})
	require.NoError(t, err)
	require.Equal(t, "port = b\n", string(text))

	back, _, err := settings.Apply([]byte("# more\nport = b\n\n"), undo)
	require.NoError(t, err)
	require.Equal(t, "# more\nport = a\n\n", string(back), "others changed the text around it")

	stays, nothing, err := settings.Apply([]byte("port = c\n"), undo)
	require.NoError(t, err)
	require.Equal(t, "port = c\n", string(stays), "a later one set it to something else")
	require.Empty(t, nothing.Do)
}
