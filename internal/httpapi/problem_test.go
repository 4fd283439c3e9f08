package httpapi

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/require"
)

// What nobody waits for has not failed; what fails by itself is in the log.
func TestACallThatIsGivenUpIsNoFailureOfTheService(t *testing.T) {
	var log bytes.Buffer
	s := &Server{Log: slog.New(slog.NewTextHandler(&log, nil))}
	gone, stop := context.WithCancel(t.Context())
	stop()
	require.Error(t, s.fail(gone, context.Canceled))
	require.NotContains(t, log.String(), "ERROR")
	require.Error(t, s.fail(t.Context(), errors.New("the disk is gone")))
	require.Contains(t, log.String(), `level=ERROR msg="unexpected failure" err="the disk is gone"`)
}
