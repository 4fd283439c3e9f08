package client

import (
	"context"
	"net/http"

	"restlesscrate/internal/api"
)

// Narrowing gives how the search on a server stands.
func (c *InsightCalls) Narrowing(ctx context.Context, server string) (api.Narrowing, error) {
	return call[api.Narrowing](ctx, c.line, http.MethodGet, onServer(server, "/narrowing"), nil)
}

// BeginNarrowing begins a search and waits until the first half is off.
func (c *InsightCalls) BeginNarrowing(ctx context.Context, server string, b api.BeginNarrowing, each Each) (api.Narrowing, error) {
	return c.narrow(ctx, server, "/narrowing", b, each)
}

// AnswerNarrowing says whether it still happens, and waits for the next half or the end.
func (c *InsightCalls) AnswerNarrowing(ctx context.Context, server string, tried int, still bool, each Each) (api.Narrowing, error) {
	return c.narrow(ctx, server, "/narrowing/answer", api.AnswerNarrowing{Tried: tried, Still: still}, each)
}

// EndNarrowing gives a search up and waits until everything is as it was.
func (c *InsightCalls) EndNarrowing(ctx context.Context, server string, each Each) (api.Narrowing, error) {
	return c.narrow(ctx, server, "/narrowing/end", nil, each)
}

func (c *InsightCalls) narrow(ctx context.Context, server, path string, in any, each Each) (api.Narrowing, error) {
	return worked[api.Narrowing](ctx, c.line, onServer(server, path), in, each)
}
