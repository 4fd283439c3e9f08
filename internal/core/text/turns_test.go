package text

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestValuesThatReadOtherwise(t *testing.T) {
	none := func(string) bool { return false }
	was := "# tides\nname = \"Old Quay\"\n[port]\nboats = 3\nberths = [1, 2]\npassword = \"a\"\n"
	is := "name = 'Old Quay' # the same, written otherwise\n[port]\nboats = 4\nberths = [1, 2, 3]\npassword = \"b\"\nnight = true\n"
	turns, ok := Turns([]byte(was), []byte(is), TOML, func(at string) bool { return at == "/port/password" })
	require.True(t, ok)
	require.Equal(t, []Turn{
		{At: "/port/boats", Was: "3", Is: "4"},
		{At: "/port/berths/2", Is: "3", New: true},
		{At: "/port/password", Was: Masked, Is: Masked},
		{At: "/port/night", Is: "true", New: true},
	}, turns)
	back, ok := Turns([]byte(is), []byte(was), TOML, none)
	require.True(t, ok)
	require.Equal(t, Turn{At: "/port/night", Was: "true", Gone: true}, back[len(back)-1])
	same, ok := Turns([]byte(was), []byte(was), TOML, none)
	require.True(t, ok)
	require.Empty(t, same)
	_, ok = Turns([]byte("= ="), []byte(is), TOML, none)
	require.False(t, ok, "what cannot be read is not compared by meaning")
}
