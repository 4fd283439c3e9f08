package client

import (
	"context"
	"net/http"
	"net/url"

	"restlesscrate/internal/api"
)

// Schedules lists what is done by itself.
func (c *FeedCalls) Schedules(ctx context.Context) ([]api.Schedule, error) {
	return all[api.Schedule](ctx, c.line, "/schedules", url.Values{})
}

// Schedule gives a schedule with what came of it.
func (c *FeedCalls) Schedule(ctx context.Context, name string) (api.Schedule, error) {
	return call[api.Schedule](ctx, c.line, http.MethodGet, "/schedules/"+esc(name), nil)
}

// AddSchedule has something done by itself.
func (c *FeedCalls) AddSchedule(ctx context.Context, n api.NewSchedule) (api.Schedule, error) {
	return call[api.Schedule](ctx, c.line, http.MethodPost, "/schedules", n)
}

// DropSchedule has it done no more.
func (c *FeedCalls) DropSchedule(ctx context.Context, name string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, "/schedules/"+esc(name), nil)
	return err
}

// Notices lists where results are told.
func (c *FeedCalls) Notices(ctx context.Context) ([]api.Notice, error) {
	return all[api.Notice](ctx, c.line, "/notices", url.Values{})
}

// AddNotice has results told.
func (c *FeedCalls) AddNotice(ctx context.Context, n api.NewNotice) (api.Notice, error) {
	return call[api.Notice](ctx, c.line, http.MethodPost, "/notices", n)
}

// TestNotice tells a made-up result there.
func (c *FeedCalls) TestNotice(ctx context.Context, name string) error {
	_, err := call[nothing](ctx, c.line, http.MethodPost, "/notices/"+esc(name)+"/test", nil)
	return err
}

// DropNotice tells results there no more.
func (c *FeedCalls) DropNotice(ctx context.Context, name string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, "/notices/"+esc(name), nil)
	return err
}
