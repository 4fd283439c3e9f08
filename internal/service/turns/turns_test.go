package turns

import (
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestOneAtATimeOnAServerAndSeveralServersSideBySide(t *testing.T) {
	var all Turns
	end, err := all.Take(t.Context(), 1)
	require.NoError(t, err)
	other, err := all.Take(t.Context(), 2) // another server does not wait
	require.NoError(t, err)
	other()
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = all.Take(ended, 1)
	require.ErrorIs(t, err, context.Canceled)
	end()

	n := 0 // the race detector tells where two are in it at once
	var wg sync.WaitGroup
	for range 50 {
		wg.Go(func() {
			end, err := all.Take(t.Context(), 1)
			if err == nil {
				n++
				end()
			}
		})
	}
	wg.Wait()
	require.Equal(t, 50, n)
}
