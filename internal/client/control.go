package client

import (
	"context"
	"net/http"
	"net/url"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/power"
)

func onServer(name, tail string) string { return "/servers/" + esc(name) + tail }

// Control tells how a server is stopped, started and spoken to.
func (c *ControlCalls) Control(ctx context.Context, name string) (power.Control, error) {
	return call[power.Control](ctx, c.line, http.MethodGet, onServer(name, "/control"), nil)
}

// SetControl says how a server is stopped, started and spoken to.
func (c *ControlCalls) SetControl(ctx context.Context, name string, s api.SetControl) error {
	_, err := call[nothing](ctx, c.line, http.MethodPut, onServer(name, "/control"), s)
	return err
}

// Standing asks the probes whether a server runs.
func (c *ControlCalls) Standing(ctx context.Context, name string) (api.Standing, error) {
	return call[api.Standing](ctx, c.line, http.MethodGet, onServer(name, "/standing"), nil)
}

// Act does one act on a server.
func (c *ControlCalls) Act(ctx context.Context, name string, a api.DoAct, each Each) (api.Acted, error) {
	return worked[api.Acted](ctx, c.line, onServer(name, "/acts"), a, each)
}

// RollCall finds out what has loaded on a server.
func (c *ControlCalls) RollCall(ctx context.Context, name string) (api.RollCall, error) {
	j, err := call[api.Job](ctx, c.line, http.MethodPost, onServer(name, "/roll-calls"), nil)
	if err != nil {
		return api.RollCall{}, err
	}
	return cancelled[api.RollCall](ctx, c.line, j, nil)
}

// Log gives a piece of a server's log; from is the next of an earlier piece.
func (c *ControlCalls) Log(ctx context.Context, name, from string) (api.LogPiece, error) {
	return call[api.LogPiece](ctx, c.line, http.MethodGet, onServer(name, "/log?")+url.Values{"from": {from}}.Encode(), nil)
}

// Confirm says that an add-on was seen to work in the game.
func (c *InsightCalls) Confirm(ctx context.Context, name, addon, note string) error {
	_, err := call[nothing](ctx, c.line, http.MethodPut, onServer(name, "/addons/"+esc(addon)+"/confirmation"), api.Confirm{Note: note})
	return err
}

// Written lists what a server writes itself.
func (c *InsightCalls) Written(ctx context.Context, name string) ([]api.Written, error) {
	return all[api.Written](ctx, c.line, onServer(name, "/written"), url.Values{})
}

// NoteOddity notes something harmless that looks wrong in an add-on, or forgets it.
func (c *RulebookCalls) NoteOddity(ctx context.Context, name, addon string, o api.Oddity) error {
	_, err := call[nothing](ctx, c.line, http.MethodPost, onServer(name, "/addons/"+esc(addon)+"/oddities"), o)
	return err
}

// Tick says that what a waiting deployment waits for is done.
func (c *DeploymentCalls) Tick(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/tick"), nil, each)
}

// TickUnchecked is Tick without looking whether it shows on the server.
func (c *DeploymentCalls) TickUnchecked(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/tick?unchecked=true"), nil, each)
}
