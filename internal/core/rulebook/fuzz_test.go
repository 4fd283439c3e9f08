package rulebook

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/require"
)

// FuzzParse reads any text: it gives a rulebook, or faults that all have a place.
func FuzzParse(f *testing.F) {
	f.Add([]byte(good))
	for _, s := range Starters() {
		f.Add(s.Text)
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		b, err := Parse(text)
		if err == nil {
			require.True(t, IsName(b.Name))
			require.NotEmpty(t, b.Kinds)
			return
		}
		var faults *Error
		require.True(t, errors.As(err, &faults))
		for _, x := range faults.Faults {
			require.Positive(t, x.Line)
			require.Positive(t, x.Column)
			require.NotEmpty(t, x.What)
		}
	})
}
