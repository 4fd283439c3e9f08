package cli

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestSizesAsPeopleWriteThem(t *testing.T) {
	for text, want := range map[string]int64{"0": 0, "512": 512, "512B": 512, "3 kB": 3000, "3KB": 3000, "100MB": 100_000_000, " 2 GB ": 2_000_000_000} {
		n, err := parseSize(text)
		require.NoError(t, err, text)
		require.Equal(t, want, n, text)
	}
	for _, text := range []string{"", "-1", "MB", "1.5GB", "10 TB", "ten", "9999999999999GB"} {
		_, err := parseSize(text)
		require.Error(t, err, text)
	}
}
