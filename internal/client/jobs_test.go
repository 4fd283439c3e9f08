package client

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

// drafting is a service that drafts until nobody waits any more, and answers what is asked
// of it then as cancel says.
func drafting(t *testing.T, cancel http.HandlerFunc) (c *Client, ctx context.Context) {
	ctx, leave := context.WithCancel(t.Context())
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasSuffix(r.URL.Path, "/deployments"):
			w.WriteHeader(http.StatusAccepted)
			fmt.Fprint(w, `{"id":"job-1","kind":"draft","subject":"far","state":"running"}`)
		case strings.HasSuffix(r.URL.Path, "/events"):
			leave()
			<-r.Context().Done()
		default:
			cancel(w, r)
		}
	}))
	t.Cleanup(srv.Close)
	return New(srv.URL, "t"), ctx
}

// A draft that was finished just before it was to be cancelled is there, and is given.
func TestWhatWasFasterThanItsCancelIsGiven(t *testing.T) {
	c, ctx := drafting(t, func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost {
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusConflict)
			fmt.Fprint(w, `{"code":"job-ended","detail":"the draft of far has ended already","status":409,"exit":1}`)
			return
		}
		fmt.Fprint(w, `{"id":"job-1","state":"done","result":{"name":"far#1"}}`)
	})
	d, err := c.Draft(ctx, "far", api.NewDraft{}, nil)
	require.NoError(t, err)
	require.Equal(t, "far#1", d.Name)
}

// What could not be cancelled is not said to be: it may go on.
func TestWhatCannotBeCancelledIsSaidToGoOn(t *testing.T) {
	c, ctx := drafting(t, func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusBadGateway) })
	_, err := c.Draft(ctx, "far", api.NewDraft{}, nil)
	var left *LeftError
	require.ErrorAs(t, err, &left)
	require.Equal(t, "job-1", left.Job.ID)
	require.ErrorContains(t, err, "it could not be cancelled")
	require.False(t, errors.Is(err, context.Canceled))
}
