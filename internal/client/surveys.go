package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"restlesscrate/internal/api"
)

// Survey compares a server's tree with its ledger.
func (c *InsightCalls) Survey(ctx context.Context, server string, s api.DoSurvey, each Each) (api.Survey, error) {
	j, err := call[api.Job](ctx, c.line, http.MethodPost, onServer(server, "/surveys"), s)
	if err != nil {
		return api.Survey{}, err
	}
	return cancelled[api.Survey](ctx, c.line, j, each)
}

// SetRhythm says how often a server is looked at.
func (c *InsightCalls) SetRhythm(ctx context.Context, server string, r api.SetRhythm) (api.Rhythm, error) {
	return call[api.Rhythm](ctx, c.line, http.MethodPut, onServer(server, "/rhythm"), r)
}

// LastSurvey gives what the last survey found.
func (c *InsightCalls) LastSurvey(ctx context.Context, server string) (api.Survey, error) {
	return call[api.Survey](ctx, c.line, http.MethodGet, onServer(server, "/surveys/last"), nil)
}

// Ignored lists what surveys of a server do not tell of.
func (c *InsightCalls) Ignored(ctx context.Context, server string) ([]api.Ignored, error) {
	return all[api.Ignored](ctx, c.line, onServer(server, "/ignored"), url.Values{})
}

// Ignore has surveys of a server not tell of what a glob names.
func (c *InsightCalls) Ignore(ctx context.Context, server string, i api.Ignored) error {
	_, err := call[nothing](ctx, c.line, http.MethodPut, onServer(server, "/ignored"), i)
	return err
}

// Unignore takes that back.
func (c *InsightCalls) Unignore(ctx context.Context, server, pattern string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, onServer(server, "/ignored?")+url.Values{"pattern": {pattern}}.Encode(), nil)
	return err
}

// Adoptable finds the add-ons that lie on a server and were not deployed.
func (c *InsightCalls) Adoptable(ctx context.Context, server string, each Each) (api.Adoptable, error) {
	j, err := call[api.Job](ctx, c.line, http.MethodPost, onServer(server, "/adoptable"), nil)
	if err != nil {
		return api.Adoptable{}, err
	}
	return cancelled[api.Adoptable](ctx, c.line, j, each)
}

// Updates lists what is on a server beside the newest that is staged and fits.
func (c *InsightCalls) Updates(ctx context.Context, server string) ([]api.Update, error) {
	return all[api.Update](ctx, c.line, onServer(server, "/updates"), url.Values{})
}

// LookedForUpdates notes that a person has looked for updates now.
func (c *InsightCalls) LookedForUpdates(ctx context.Context, server string) error {
	_, err := call[nothing](ctx, c.line, http.MethodPost, onServer(server, "/updates/looked"), nil)
	return err
}

// Compare tells what differs between how a server stood after one deployment and after another; to
// of -1 is now.
func (c *InsightCalls) Compare(ctx context.Context, server string, from, to int) (api.Between, error) {
	return call[api.Between](ctx, c.line, http.MethodGet, onServer(server, fmt.Sprintf("/comparison?from=%d&to=%d", from, to)), nil)
}

// Hold says how an add-on is updated.
func (c *InsightCalls) Hold(ctx context.Context, server, addon string, h api.Hold) error {
	_, err := call[nothing](ctx, c.line, http.MethodPut, onServer(server, "/addons/"+esc(addon)+"/hold"), h)
	return err
}
