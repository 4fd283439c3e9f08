package layout

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTheLastAtPartsNameAndVersion(t *testing.T) {
	for text, want := range map[string]Ref{
		"gate":                {Name: "gate"},
		"gate@1.0":            {Name: "gate", Version: "1.0"},
		"gate@1.0~3fa9c1":     {Name: "gate", Version: "1.0", Digits: "3fa9c1"},
		"gate~3fa9c1":         {Name: "gate", Digits: "3fa9c1"},
		"@gate":               {Name: "@gate"},
		"@gate@1.0":           {Name: "@gate", Version: "1.0"},
		"north@gate@1.0":      {Name: "north@gate", Version: "1.0"},
		"North Gate 2@1.0~ab": {Name: "North Gate 2", Version: "1.0~ab"},
	} {
		r, err := ParseRef(text)
		require.NoError(t, err, text)
		require.Equal(t, want, r, text)
	}
	for _, text := range []string{"", "gate@", "~3fa9c1"} {
		_, err := ParseRef(text)
		require.Error(t, err, text)
	}
}
