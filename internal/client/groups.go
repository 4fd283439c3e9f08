package client

import (
	"context"
	"net/http"
	"net/url"

	"restlesscrate/internal/api"
)

// Groups lists the servers that are deployed to together.
func (c *DeploymentCalls) Groups(ctx context.Context) ([]api.Group, error) {
	return all[api.Group](ctx, c.line, "/groups", url.Values{})
}

// Group gives a group with what was done on it last.
func (c *DeploymentCalls) Group(ctx context.Context, name string) (api.Group, error) {
	return call[api.Group](ctx, c.line, http.MethodGet, "/groups/"+esc(name), nil)
}

// AddGroup names servers that are deployed to together.
func (c *DeploymentCalls) AddGroup(ctx context.Context, n api.NewGroup) (api.Group, error) {
	return call[api.Group](ctx, c.line, http.MethodPost, "/groups", n)
}

// DropGroup forgets a group.
func (c *DeploymentCalls) DropGroup(ctx context.Context, name string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, "/groups/"+esc(name), nil)
	return err
}

// DraftGroup drafts the same on every server of a group.
func (c *DeploymentCalls) DraftGroup(ctx context.Context, name string, n api.NewDraft, each Each) (api.GroupRun, error) {
	return worked[api.GroupRun](ctx, c.line, "/groups/"+esc(name)+"/drafts", n, each)
}

// RunGroup runs the drafts of a group that were read.
func (c *DeploymentCalls) RunGroup(ctx context.Context, name string, r api.RunGroup, each Each) (api.GroupRun, error) {
	return worked[api.GroupRun](ctx, c.line, "/groups/"+esc(name)+"/run", r, each)
}

// TakeGroupBack takes back what was done on a group last.
func (c *DeploymentCalls) TakeGroupBack(ctx context.Context, name string, each Each) (api.GroupRun, error) {
	return worked[api.GroupRun](ctx, c.line, "/groups/"+esc(name)+"/back", nil, each)
}

// Promotion says what would go from one server to another.
func (c *DeploymentCalls) Promotion(ctx context.Context, from, to string, each Each) (api.Promotion, error) {
	return worked[api.Promotion](ctx, c.line, onServer(to, "/promotion?from="+url.QueryEscape(from)), nil, each)
}

// KeepApart says that a value differs between two servers on purpose, or no more.
func (c *DeploymentCalls) KeepApart(ctx context.Context, to string, k api.KeepApart) error {
	_, err := call[nothing](ctx, c.line, http.MethodPut, onServer(to, "/apart"), k)
	return err
}

// CompareServers tells what differs between two servers; q has the moments.
func (c *DeploymentCalls) CompareServers(ctx context.Context, q url.Values) (api.Between, error) {
	return call[api.Between](ctx, c.line, http.MethodGet, "/comparison?"+q.Encode(), nil)
}
