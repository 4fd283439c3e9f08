package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

// patient is a service that gives one piece of a log and keeps everything else
// waiting, where the person at the command line stops.
func patient(t *testing.T, answers int) (app *App, out, errs *bytes.Buffer, ctx context.Context, url string) {
	ctx, stop := context.WithCancel(t.Context())
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if answers--; answers >= 0 {
			w.Header().Set("Content-Type", "application/json")
			assert.NoError(t, json.NewEncoder(w).Encode(api.LogPiece{Lines: []api.LogLine{{Text: "gates open"}}, Next: "1"}))
			return
		}
		stop()
		<-r.Context().Done()
	}))
	t.Cleanup(srv.Close)
	out, errs = new(bytes.Buffer), new(bytes.Buffer)
	return &App{Out: out, Err: errs}, out, errs, ctx, srv.URL
}

func TestWhoHasSeenEnoughOfALogHasNotFailed(t *testing.T) {
	app, out, errs, ctx, url := patient(t, 1)
	require.Zero(t, app.Run(ctx, []string{"restless", "--url", url, "--token", "t", "log", "here", "--follow"}))
	require.Contains(t, out.String(), "gates open")
	require.Empty(t, errs.String())
}

// A service that was not waited for is not one that cannot be reached.
func TestACommandThatIsStoppedSaysSo(t *testing.T) {
	app, _, errs, ctx, url := patient(t, 0)
	require.Equal(t, ExitFailed, app.Run(ctx, []string{"restless", "--url", url, "--token", "t", "status"}))
	require.Equal(t, "restless: stopped\n", errs.String())
}
