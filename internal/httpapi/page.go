package httpapi

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"restlesscrate/internal/api"
)

// patience is for how long a caller may read nothing of a long list.
const patience = time.Minute

// streamed answers with a page whose items are written as they come, so that a long one is
// never in memory whole. each is called once, with what writes some items; next is what
// it gives. An error before the first item becomes a problem; a later one cuts the
// connection, since nothing else tells a caller that the list is not whole.
func streamed[T any](s *Server, each func(ctx context.Context, put func([]T) error) (next string, err error)) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(x huma.Context) {
		w := bufio.NewWriterSize(x.BodyWriter(), 1<<16)
		lines := json.NewEncoder(w)
		sep := `{"items":[`
		var gone error // the caller does not read any more
		// A caller who does not read keeps what is read for them open: that has an end. The
		// next call on the connection has none of it.
		until := func(t time.Time) {
			if rw, ok := x.BodyWriter().(http.ResponseWriter); ok {
				_ = http.NewResponseController(rw).SetWriteDeadline(t) // a connection without deadlines has none
			}
		}
		defer until(time.Time{})
		begin := func() {
			x.SetHeader("Content-Type", "application/json")
			x.SetStatus(http.StatusOK)
		}
		put := func(items []T) error {
			until(time.Now().Add(patience))
			for i := range items {
				if sep == `{"items":[` {
					begin()
				}
				_, err1 := w.WriteString(sep)
				sep = ","
				if gone = errors.Join(err1, lines.Encode(&items[i])); gone != nil { // a line for each
					return gone
				}
			}
			return nil
		}
		next, err := each(x.Context(), put)
		var end []byte
		if err == nil {
			end, err = json.Marshal(next)
		}
		switch {
		case err != nil && sep != ",":
			s.problem(x, err)
			return
		case gone != nil:
			return
		case err != nil:
			_ = s.fail(x.Context(), err) // it tells the log, where the caller has not just left
			panic(http.ErrAbortHandler)
		case sep != ",":
			begin()
			_, _ = w.WriteString(sep)
		}
		// What cannot be written here, nobody reads.
		if _, _ = w.WriteString("]"); next != "" {
			_, _ = w.WriteString(`,"next":` + string(end))
		}
		_, _ = w.WriteString("}\n")
		_ = w.Flush()
	}}
}

// problem answers with what went wrong.
func (s *Server) problem(x huma.Context, err error) {
	var p statusError
	errors.As(s.fail(x.Context(), err), &p)
	x.SetHeader("Content-Type", p.ContentType(""))
	x.SetStatus(p.Status)
	_ = json.NewEncoder(x.BodyWriter()).Encode(p.Problem) // the caller may have gone
}

// listing is an operation that answers with a page by [streamed].
func listing[T any](h huma.API, o huma.Operation) huma.Operation {
	schema := h.OpenAPI().Components.Schemas.Schema(typeOf[api.Page[T]](), true, "")
	o.Responses = map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"application/json": {Schema: schema}}}}
	return o
}
