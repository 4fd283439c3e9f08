package scrub

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestSecretsAndAddressesAreTakenOut(t *testing.T) {
	s := New([]string{"tide-and-reed", "tide-and", "abc", "tide-and-reed"})
	require.Equal(t, "password=•••• half=•••• abc", s.Text("password=tide-and-reed half=tide-and abc"))
	require.Equal(t, "ada (address-1) and bo (address-2), ada again: address-1", s.Text("ada (203.0.113.7) and bo (2001:db8::17), ada again: 203.0.113.7"))
	require.Equal(t, "127.0.0.1:7610, ::1, 0.0.0.0, 12:30:59, 1.2.3, 999.1.1.1", s.Text("127.0.0.1:7610, ::1, 0.0.0.0, 12:30:59, 1.2.3, 999.1.1.1"))
	require.Equal(t, "Hull::Add, a::b, error::0x1", s.Text("Hull::Add, a::b, error::0x1"))
	require.Equal(t, 2, s.Addresses())
}

// Wherever a secret stands, nothing of it is left; and what holds none is left alone.
func TestNoSecretIsLeft(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		secrets := rapid.SliceOfN(rapid.StringMatching(`[a-z]{4,9}`), 0, 4).Draw(t, "secrets")
		parts := rapid.SliceOf(rapid.OneOf(rapid.StringMatching(`[G-Z =:.]{0,6}`), rapid.SampledFrom(append(secrets, "X")))).Draw(t, "parts")
		text := strings.Join(parts, "")
		got := New(secrets).Text(text)
		for _, x := range secrets {
			require.NotContains(t, got, x)
		}
		if got == text {
			return
		}
		require.True(t, strings.Contains(got, Masked), "%q became %q", text, got)
	})
}
