// Package client is the typed client of the service's API. The command line,
// the demo and tests use it; it knows nothing that the API does not say.
package client

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"syscall"

	"restlesscrate/internal/api"
)

// Client talks to one service: its calls by subject, over one line. It is safe for many
// goroutines.
type Client struct {
	*line
	*ServerCalls
	*RulebookCalls
	*CrateCalls
	*FeedCalls
	*DeploymentCalls
	*ControlCalls
	*InsightCalls
	*TextCalls
	*AccessCalls
}

// line is the way to a service.
type line struct {
	base  string
	token string
	http  *http.Client
}

// The calls by subject.
type (
	// ServerCalls are about servers and how they are reached.
	ServerCalls struct{ *line }
	// RulebookCalls are about rulebooks.
	RulebookCalls struct{ *line }
	// CrateCalls are about archives and crates.
	CrateCalls struct{ *line }
	// FeedCalls are about feeds.
	FeedCalls struct{ *line }
	// DeploymentCalls are about drafts and runs.
	DeploymentCalls struct{ *line }
	// ControlCalls are about stopping, starting and listening to servers.
	ControlCalls struct{ *line }
	// InsightCalls are about what is on servers.
	InsightCalls struct{ *line }
	// TextCalls are about the settings texts of servers.
	TextCalls struct{ *line }
	// AccessCalls are about who may sign in, and about the service itself.
	AccessCalls struct{ *line }
)

// New makes a client. base is the service's address, such as
// http://127.0.0.1:7420.
func New(base, token string) *Client {
	l := &line{base: strings.TrimRight(base, "/"), token: token, http: &http.Client{}}
	return &Client{l, &ServerCalls{l}, &RulebookCalls{l}, &CrateCalls{l}, &FeedCalls{l}, &DeploymentCalls{l}, &ControlCalls{l}, &InsightCalls{l}, &TextCalls{l}, &AccessCalls{l}}
}

// UnreachableError says that no service answers.
type UnreachableError struct {
	Base string
	Err  error
}

func (e *UnreachableError) Error() string {
	return fmt.Sprintf("no service answers at %s: %v", e.Base, e.Err)
}
func (e *UnreachableError) Unwrap() error { return e.Err }

// send makes one call. A refusal comes back as an *[api.Problem].
func (c *line) send(ctx context.Context, method, path string, contentType string, body io.Reader, size int64, header map[string]string) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, c.base+api.Prefix+path, body)
	if err != nil {
		return nil, err
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	if size > 0 {
		req.ContentLength = size
	}
	for k, v := range header {
		req.Header.Set(k, v)
	}
	res, err := c.http.Do(req)
	if err != nil {
		var ue *url.Error
		if errors.As(err, &ue) && ctx.Err() == nil {
			return nil, &UnreachableError{Base: c.base, Err: ue.Err}
		}
		return nil, err
	}
	if res.StatusCode < 400 {
		return res, nil
	}
	defer res.Body.Close()
	p := &api.Problem{}
	if err := json.NewDecoder(io.LimitReader(res.Body, 4<<20)).Decode(p); err != nil || p.Code == "" {
		return nil, fmt.Errorf("the service at %s answered %s, which is no answer of Restless Crate", c.base, res.Status)
	}
	return nil, p
}

func call[Out any](ctx context.Context, c *line, method, path string, in any) (out Out, err error) {
	var raw []byte
	contentType := ""
	if in != nil {
		if raw, err = json.Marshal(in); err != nil {
			return out, err
		}
		contentType = "application/json"
	}
	res, err := c.again(ctx, method, path, contentType, raw)
	if err != nil {
		return out, err
	}
	defer res.Body.Close()
	if res.StatusCode == http.StatusNoContent {
		return out, nil
	}
	if err := json.NewDecoder(res.Body).Decode(&out); err != nil {
		return out, fmt.Errorf("read the answer: %w", err)
	}
	return out, nil
}

// again makes a call, and once more where its answer was lost on the way. What
// creates or runs something carries a key, so that it is done once all the same;
// other acts are not repeated.
func (c *line) again(ctx context.Context, method, path, contentType string, raw []byte) (*http.Response, error) {
	var header map[string]string
	keyed := method == http.MethodPost && (strings.Contains(path, "/deployments") || path == "/servers" || path == "/rulebooks")
	if keyed {
		header = map[string]string{"Idempotency-Key": rand.Text()}
	}
	for try := 1; ; try++ {
		var body io.Reader
		if raw != nil {
			body = bytes.NewReader(raw)
		}
		res, err := c.send(ctx, method, path, contentType, body, 0, header)
		var gone *UnreachableError
		if try > 1 || !keyed && method != http.MethodGet || !errors.As(err, &gone) || errors.Is(err, syscall.ECONNREFUSED) || ctx.Err() != nil {
			return res, err
		}
	}
}

type nothing struct{}

// all follows the cursors of a list to its end.
func all[T any](ctx context.Context, c *line, path string, q url.Values) ([]T, error) {
	out := []T{} // an empty list is one for programs too
	for {
		p, err := call[api.Page[T]](ctx, c, http.MethodGet, path+"?"+q.Encode(), nil)
		if err != nil {
			return nil, err
		}
		out = append(out, p.Items...)
		if p.Next == "" {
			return out, nil
		}
		q.Set("cursor", p.Next)
	}
}

func esc(s string) string { return url.PathEscape(s) }

// Servers lists the servers.
func (c *ServerCalls) Servers(ctx context.Context) ([]api.Server, error) {
	return all[api.Server](ctx, c.line, "/servers", url.Values{})
}

// AddServer adds a server.
func (c *ServerCalls) AddServer(ctx context.Context, n api.NewServer) (api.Server, error) {
	return call[api.Server](ctx, c.line, http.MethodPost, "/servers", n)
}

// Server shows a server.
func (c *ServerCalls) Server(ctx context.Context, name string) (api.Server, error) {
	return call[api.Server](ctx, c.line, http.MethodGet, "/servers/"+esc(name), nil)
}

// EditServer changes a server.
func (c *ServerCalls) EditServer(ctx context.Context, name string, e api.ServerEdit) (api.Server, error) {
	return call[api.Server](ctx, c.line, http.MethodPatch, "/servers/"+esc(name), e)
}

// DropServer forgets a server.
func (c *ServerCalls) DropServer(ctx context.Context, name string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, "/servers/"+esc(name), nil)
	return err
}

// TestServer connects and finds out what the host can do.
func (c *ServerCalls) TestServer(ctx context.Context, name string) (api.Server, error) {
	return call[api.Server](ctx, c.line, http.MethodPost, "/servers/"+esc(name)+"/test", nil)
}

// ReadFacts reads what a server's tree and log tell of it.
func (c *ServerCalls) ReadFacts(ctx context.Context, name string) (api.Server, error) {
	return call[api.Server](ctx, c.line, http.MethodPost, "/servers/"+esc(name)+"/facts", nil)
}

// UnlockServer is TestServer that takes away what a lost service has left.
func (c *ServerCalls) UnlockServer(ctx context.Context, name string) (api.Server, error) {
	return call[api.Server](ctx, c.line, http.MethodPost, "/servers/"+esc(name)+"/test?unlock=true", nil)
}

// TrustServer confirms the host's key.
func (c *ServerCalls) TrustServer(ctx context.Context, name, fingerprint string) (api.Server, error) {
	return call[api.Server](ctx, c.line, http.MethodPost, "/servers/"+esc(name)+"/trust", api.TrustKey{Fingerprint: fingerprint})
}

// Rulebooks lists the rulebooks.
func (c *RulebookCalls) Rulebooks(ctx context.Context) ([]api.Rulebook, error) {
	return all[api.Rulebook](ctx, c.line, "/rulebooks", url.Values{})
}

// Rulebook shows a rulebook's revision; 0 is the newest.
func (c *RulebookCalls) Rulebook(ctx context.Context, name string, revision int) (api.Rulebook, error) {
	return call[api.Rulebook](ctx, c.line, http.MethodGet, fmt.Sprintf("/rulebooks/%s?revision=%d", esc(name), revision), nil)
}

// CompareRulebook tells what changed between two revisions; to 0 is the newest.
func (c *RulebookCalls) CompareRulebook(ctx context.Context, name string, from, to int) (api.RulebookTurn, error) {
	return call[api.RulebookTurn](ctx, c.line, http.MethodGet, fmt.Sprintf("/rulebooks/%s/turns?from=%d&to=%d", esc(name), from, to), nil)
}

// AddRulebook adds a rulebook or its next revision.
func (c *RulebookCalls) AddRulebook(ctx context.Context, text string, over bool) (api.Rulebook, error) {
	return call[api.Rulebook](ctx, c.line, http.MethodPost, "/rulebooks", api.RulebookText{Text: text, Over: over})
}

// CheckRulebook reads a rulebook and keeps nothing.
func (c *RulebookCalls) CheckRulebook(ctx context.Context, text string) (api.Rulebook, error) {
	return call[api.Rulebook](ctx, c.line, http.MethodPost, "/rulebooks/check", api.RulebookText{Text: text})
}

// DropRulebook takes a rulebook out of use.
func (c *RulebookCalls) DropRulebook(ctx context.Context, name string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, "/rulebooks/"+esc(name), nil)
	return err
}

// Crates lists crates, the newest first; empty arguments mean all.
func (c *CrateCalls) Crates(ctx context.Context, rulebook, addon string) ([]api.Crate, error) {
	return all[api.Crate](ctx, c.line, "/crates", url.Values{"rulebook": {rulebook}, "addon": {addon}})
}

// Pallets lists packs whose add-ons came together, the newest first.
func (c *CrateCalls) Pallets(ctx context.Context, rulebook string) ([]api.Pallet, error) {
	return all[api.Pallet](ctx, c.line, "/pallets", url.Values{"rulebook": {rulebook}})
}

// RenamePallet gives a pallet another name, and its later versions too.
func (c *CrateCalls) RenamePallet(ctx context.Context, name, rulebook, to string) error {
	_, err := call[nothing](ctx, c.line, http.MethodPost, "/pallets/"+esc(name)+"/name?"+url.Values{"rulebook": {rulebook}}.Encode(), api.Rename{Name: to})
	return err
}

func crate(ref, rulebook, tail string) string {
	return "/crates/" + esc(ref) + tail + "?" + url.Values{"rulebook": {rulebook}}.Encode()
}

// Crate shows a crate.
func (c *CrateCalls) Crate(ctx context.Context, ref, rulebook string) (api.Crate, error) {
	return call[api.Crate](ctx, c.line, http.MethodGet, crate(ref, rulebook, ""), nil)
}

// Readme gives the author's notes of a crate.
func (c *CrateCalls) Readme(ctx context.Context, ref, rulebook string) ([]api.Readme, error) {
	p, err := call[api.Page[api.Readme]](ctx, c.line, http.MethodGet, crate(ref, rulebook, "/readme"), nil)
	return p.Items, err
}

// TryRulebook shows what a rulebook would make of an archive that is kept.
func (c *RulebookCalls) TryRulebook(ctx context.Context, text, archive string) (api.StagedByBook, error) {
	return call[api.StagedByBook](ctx, c.line, http.MethodPost, "/rulebooks/try", api.TryRulebook{Text: text, Archive: archive})
}

// ReadTree tells what a rulebook makes of a server's tree.
func (c *ServerCalls) ReadTree(ctx context.Context, text, server string) (api.OnTree, error) {
	return call[api.OnTree](ctx, c.line, http.MethodPost, "/rulebooks/read-tree", api.ReadTree{Text: text, Server: server})
}

// Propose makes a rulebook from a server's tree, downloads and answers.
func (c *RulebookCalls) Propose(ctx context.Context, p api.Propose) (api.Proposed, error) {
	return call[api.Proposed](ctx, c.line, http.MethodPost, "/rulebooks/propose", p)
}

// Starters lists the rulebooks that are named for a shape.
func (c *RulebookCalls) Starters(ctx context.Context) ([]api.Starter, error) {
	p, err := call[api.Page[api.Starter]](ctx, c.line, http.MethodGet, "/rulebook-starters", nil)
	return p.Items, err
}

// CompareCrates tells what a crate changes of an older one.
func (c *CrateCalls) CompareCrates(ctx context.Context, old, now, rulebook string) (api.Comparison, error) {
	return call[api.Comparison](ctx, c.line, http.MethodGet, crate(now, rulebook, "/compare")+"&"+url.Values{"with": {old}}.Encode(), nil)
}

// ListID keeps an add-on that has no download.
func (c *CrateCalls) ListID(ctx context.Context, l api.Listing) (api.Crate, error) {
	return call[api.Crate](ctx, c.line, http.MethodPost, "/crates", l)
}

// JoinCrates makes one crate of two downloads of one add-on.
func (c *CrateCalls) JoinCrates(ctx context.Context, first, second, rulebook string) (api.Crate, error) {
	return call[api.Crate](ctx, c.line, http.MethodPost, crate(first, rulebook, "/join"), api.Joining{With: second})
}

// PlaceFiles corrects where files of a crate go and gives what it became.
func (c *CrateCalls) PlaceFiles(ctx context.Context, ref, rulebook string, p api.Placing) ([]api.Crate, error) {
	out, err := call[api.Page[api.Crate]](ctx, c.line, http.MethodPost, crate(ref, rulebook, "/place"), p)
	return out.Items, err
}

// SetCrate corrects what a crate is called and gives what it became.
func (c *CrateCalls) SetCrate(ctx context.Context, ref, rulebook string, n api.Naming) ([]api.Crate, error) {
	out, err := call[api.Page[api.Crate]](ctx, c.line, http.MethodPost, crate(ref, rulebook, "/set"), n)
	return out.Items, err
}

// UnsetCrate takes back what was corrected of a crate.
func (c *CrateCalls) UnsetCrate(ctx context.Context, ref, rulebook string, u api.Unsetting) ([]api.Crate, error) {
	p, err := call[api.Page[api.Crate]](ctx, c.line, http.MethodPost, crate(ref, rulebook, "/unset"), u)
	return p.Items, err
}

// Corrections lists what people have corrected, as far as it is in force.
func (c *CrateCalls) Corrections(ctx context.Context, rulebook string) ([]api.Correction, error) {
	return all[api.Correction](ctx, c.line, "/corrections", url.Values{"rulebook": {rulebook}})
}

// DropCrate takes a crate out of the list.
func (c *CrateCalls) DropCrate(ctx context.Context, ref, rulebook string) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, crate(ref, rulebook, ""), nil)
	return err
}

// Status tells what is on a server.
func (c *InsightCalls) Status(ctx context.Context, server string) (api.Status, error) {
	return call[api.Status](ctx, c.line, http.MethodGet, "/servers/"+esc(server)+"/status", nil)
}

// Files lists files with their provenance.
func (c *InsightCalls) Files(ctx context.Context, server, below string) ([]api.File, error) {
	return all[api.File](ctx, c.line, "/servers/"+esc(server)+"/files", url.Values{"below": {below}})
}

// Gone lists files that deployments have taken away, by what took each away.
func (c *InsightCalls) Gone(ctx context.Context, server string) ([]api.Event, error) {
	return all[api.Event](ctx, c.line, "/servers/"+esc(server)+"/gone", nil)
}

// History tells what happened to a path or an add-on, the newest first.
func (c *InsightCalls) History(ctx context.Context, server, path, addon string) ([]api.Event, error) {
	return all[api.Event](ctx, c.line, "/servers/"+esc(server)+"/history", url.Values{"path": {path}, "addon": {addon}})
}

// SignInLink makes a one-time link for the console.
func (c *AccessCalls) SignInLink(ctx context.Context) (api.SignInLink, error) {
	return call[api.SignInLink](ctx, c.line, http.MethodPost, "/signin-links", nil)
}
