package client

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"strings"

	"restlesscrate/internal/api"
)

// Packlist gives what the players of a server need.
func (c *InsightCalls) Packlist(ctx context.Context, server string) (api.Packlist, error) {
	return call[api.Packlist](ctx, c.line, http.MethodGet, onServer(server, "/packlist"), nil)
}

// SayPacklist says what players must have, may have and must not have.
func (c *InsightCalls) SayPacklist(ctx context.Context, server string, s api.SayPacklist) (api.Packlist, error) {
	return call[api.Packlist](ctx, c.line, http.MethodPatch, onServer(server, "/packlist"), s)
}

// LinkPacklist gives the list a page with an unlisted address, or takes it away.
func (c *InsightCalls) LinkPacklist(ctx context.Context, server string, none bool) (api.Packlist, error) {
	method := http.MethodPost
	if none {
		method = http.MethodDelete
	}
	return call[api.Packlist](ctx, c.line, method, onServer(server, "/packlist/link"), nil)
}

// PackBundle writes what players need and may be handed out, by the address of a list's page.
func (c *InsightCalls) PackBundle(ctx context.Context, page string, to io.Writer) error {
	_, secret, _ := strings.Cut(page, "/pack/")
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.base+"/pack/"+secret+"/parts.zip", nil)
	if err != nil {
		return err
	}
	res, err := c.http.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		raw, _ := io.ReadAll(io.LimitReader(res.Body, 1000))
		return &api.Problem{Detail: strings.TrimSpace(string(raw)), Code: "no-bundle", Exit: 1}
	}
	_, err = io.Copy(to, res.Body)
	return err
}

// Bundle writes what somebody needs who helps with a server, as a zip.
func (c *InsightCalls) Bundle(ctx context.Context, server string, without []string, to io.Writer) error {
	res, err := c.send(ctx, http.MethodGet, onServer(server, "/bundle?without="+url.QueryEscape(strings.Join(without, ","))), "", nil, 0, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	_, err = io.Copy(to, res.Body)
	return err
}

// Statuses tells what is on every server, in one answer.
func (c *InsightCalls) Statuses(ctx context.Context) ([]api.Status, error) {
	return all[api.Status](ctx, c.line, "/statuses", url.Values{})
}

// Desk tells what needs a person, and how the servers stand.
func (c *InsightCalls) Desk(ctx context.Context) (api.Desk, error) {
	return call[api.Desk](ctx, c.line, http.MethodGet, "/desk", nil)
}
