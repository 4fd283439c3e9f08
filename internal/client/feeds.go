package client

import (
	"context"
	"io"
	"net/http"
	"net/url"

	"restlesscrate/internal/api"
)

// Feeds lists the feeds that are followed.
func (c *FeedCalls) Feeds(ctx context.Context) ([]api.Feed, error) {
	return all[api.Feed](ctx, c.line, "/feeds", url.Values{})
}

// Feed gives a feed with what it announces.
func (c *FeedCalls) Feed(ctx context.Context, name string) (api.Feed, error) {
	return call[api.Feed](ctx, c.line, http.MethodGet, "/feeds/"+esc(name), nil)
}

// FollowFeed follows a feed, and waits until it was read.
func (c *FeedCalls) FollowFeed(ctx context.Context, f api.NewFeed, each Each) (api.Feed, error) {
	return worked[api.Feed](ctx, c.line, "/feeds", f, each)
}

// CheckFeed looks at a feed now.
func (c *FeedCalls) CheckFeed(ctx context.Context, name string, each Each) (api.Feed, error) {
	return worked[api.Feed](ctx, c.line, "/feeds/"+esc(name)+"/check", nil, each)
}

// DropFeed follows a feed no more.
func (c *FeedCalls) DropFeed(ctx context.Context, name string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, "/feeds/"+esc(name), nil)
	return err
}

// TakeRelease downloads and stages what a feed announces: name, for the newest, or name@version.
func (c *FeedCalls) TakeRelease(ctx context.Context, name, addon string, each Each) (api.Staged, error) {
	return worked[api.Staged](ctx, c.line, "/feeds/"+esc(name)+"/take", api.TakeRelease{Addon: addon}, each)
}

// TakeAlways has the next versions of an add-on staged by themselves, or no more.
func (c *FeedCalls) TakeAlways(ctx context.Context, name, addon string, always bool) error {
	_, err := call[nothing](ctx, c.line, http.MethodPut, "/feeds/"+esc(name)+"/taken", api.TakeAlways{Addon: addon, Always: always})
	return err
}

// ArchiveBytes writes the bytes of a download as it was staged.
func (c *CrateCalls) ArchiveBytes(ctx context.Context, archive string, to io.Writer) error {
	res, err := c.send(ctx, http.MethodGet, "/archives/"+esc(archive)+"/bytes", "", nil, 0, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	_, err = io.Copy(to, res.Body)
	return err
}
