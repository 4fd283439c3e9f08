package httpapi

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/humatest"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/fault"
)

func TestAListIsWrittenAsItComes(t *testing.T) {
	type item struct {
		Name string `json:"name"`
	}
	s := &Server{Log: slog.New(slog.DiscardHandler)}
	answer := func(each func(ctx context.Context, put func([]item) error) (string, error)) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		streamed(s, each).Body(humatest.NewContext(&huma.Operation{}, httptest.NewRequest(http.MethodGet, "/", nil), w))
		return w
	}
	some := []item{{"drum"}, {"gate"}}

	w := answer(func(_ context.Context, put func([]item) error) (string, error) {
		return "gate", errors.Join(put(some[:1]), put(nil), put(some[1:]))
	})
	require.Equal(t, http.StatusOK, w.Code)
	require.Equal(t, "application/json", w.Header().Get("Content-Type"))
	require.JSONEq(t, `{"items":[{"name":"drum"},{"name":"gate"}],"next":"gate"}`, w.Body.String())

	w = answer(func(context.Context, func([]item) error) (string, error) { return "", nil })
	require.JSONEq(t, `{"items":[]}`, w.Body.String(), "there may be none")

	w = answer(func(context.Context, func([]item) error) (string, error) {
		return "", fault.New(fault.Unknown, "server-unknown", "there is no server %q", "reed")
	})
	require.Equal(t, http.StatusNotFound, w.Code, "nothing was written yet")
	require.Equal(t, "application/problem+json", w.Header().Get("Content-Type"))
	require.Contains(t, w.Body.String(), "server-unknown")

	require.PanicsWithValue(t, http.ErrAbortHandler, func() {
		answer(func(_ context.Context, put func([]item) error) (string, error) {
			return "", errors.Join(put(some), errors.New("the disk is gone"))
		})
	}, "a list that broke off is never taken for whole")
}
