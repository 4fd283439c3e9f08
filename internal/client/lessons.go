package client

import (
	"context"
	"net/http"

	"restlesscrate/internal/api"
)

// Teach has a server whose rulebook grows learn; with nothing said it gives what is known and
// asked.
func (c *ServerCalls) Teach(ctx context.Context, server string, t api.Teach) (api.Lesson, error) {
	return call[api.Lesson](ctx, c.line, http.MethodPost, onServer(server, "/lessons"), t)
}
