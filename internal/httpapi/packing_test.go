package httpapi

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Whoever reads the log does not get to know an address that nobody can guess.
func TestUnlistedAddressesStandInNoLog(t *testing.T) {
	for path, shown := range map[string]string{"/pack/SECRET": "/pack/…", "/pack/SECRET/list.json": "/pack/…/list.json", "/notices/SECRET": "/notices/…",
		"/api/v1/notices/reader": "/api/v1/notices/reader", "/packages": "/packages", "/": "/"} {
		require.Equal(t, shown, shownPath(path))
	}
}
