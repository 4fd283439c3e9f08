package httpapi

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/alexedwards/scs/v2/memstore"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/model"
)

// heldAccess is records that cannot be asked just now.
type heldAccess struct{ Access }

var errHeld = errors.New("database is locked")

func (heldAccess) TokenName(context.Context, string) (string, error)    { return "", errHeld }
func (heldAccess) UseLink(context.Context, string) (string, error)      { return "", errHeld }
func (heldAccess) SessionList(context.Context) ([]model.Session, error) { return nil, errHeld }

// Records that cannot be asked are no reason to call somebody a stranger.
func TestAFailureOfTheRecordsIsNoWrongToken(t *testing.T) {
	s := &Server{Access: heldAccess{}, Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Now: time.Now, Sessions: memstore.New(), Metrics: http.NotFoundHandler(),
		BaseURL: func() string { return "http://127.0.0.1:1" }, Keyed: func(_, s string) string { return s }}
	h := s.Handler()
	for _, ask := range []func() *http.Request{
		func() *http.Request {
			r := httptest.NewRequest("GET", "/api/v1/servers", nil)
			r.Header.Set("Authorization", "Bearer rc_x")
			return r
		},
		func() *http.Request {
			r := httptest.NewRequest("POST", "/api/v1/session", strings.NewReader(`{"code":"x"}`))
			r.Header.Set("Content-Type", "application/json")
			return r
		},
	} {
		r := ask()
		r.Host = "127.0.0.1:1"
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		require.Equal(t, 500, w.Code, w.Body.String())
	}
}
