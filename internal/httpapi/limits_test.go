package httpapi

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/require"
)

// A call that is worked on for long after its body was read is not taken for one whose
// caller has left: deadlines of bodies end with them.
func TestADeadlineOfABodyEndsWithIt(t *testing.T) {
	s := &Server{Now: time.Now}
	s.calls, s.denied = newMeters(time.Now, callRate, callBurst), newMeters(time.Now, deniedRate, deniedBurst)
	left := make(chan error, 1)
	e := echo.New()
	e.Use(s.gate().limited)
	e.POST("/x", func(c *echo.Context) error {
		if _, err := io.ReadAll(c.Request().Body); err != nil {
			return err
		}
		// What reads bodies by itself asks for a deadline of its own.
		if err := (&exchange{c: c}).SetReadDeadline(time.Now().Add(-time.Second)); err != nil {
			return err
		}
		select {
		case <-c.Request().Context().Done():
			left <- c.Request().Context().Err()
		case <-time.After(200 * time.Millisecond): // that it does not end has no other end
			left <- nil
		}
		return c.NoContent(http.StatusNoContent)
	})
	srv := httptest.NewServer(e)
	t.Cleanup(srv.Close)
	res, err := http.Post(srv.URL+"/x", "application/json", strings.NewReader("{}"))
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.NoError(t, <-left)
	require.Equal(t, http.StatusNoContent, res.StatusCode)
}
