package client

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"restlesscrate/internal/api"
)

// Texts lists the settings texts of a server, or all its texts.
func (c *TextCalls) Texts(ctx context.Context, server string, all bool) ([]api.Text, error) {
	q := ""
	if all {
		q = "?all=true"
	}
	p, err := call[api.Page[api.Text]](ctx, c.line, http.MethodGet, "/servers/"+url.PathEscape(server)+"/texts"+q, nil)
	return p.Items, err
}

// Text shows one text; with reveal, secrets are as they are.
func (c *TextCalls) Text(ctx context.Context, server, path string, reveal bool) (api.TextShown, error) {
	q := url.Values{"path": {path}}
	if reveal {
		q.Set("reveal", "true")
	}
	return call[api.TextShown](ctx, c.line, http.MethodGet, "/servers/"+url.PathEscape(server)+"/text?"+q.Encode(), nil)
}

// Elsewhere gives where else a value of a text stands.
func (c *TextCalls) Elsewhere(ctx context.Context, server, path, at string) (api.Elsewhere, error) {
	q := url.Values{"path": {path}, "at": {at}}
	return call[api.Elsewhere](ctx, c.line, http.MethodGet, "/servers/"+url.PathEscape(server)+"/text/elsewhere?"+q.Encode(), nil)
}

// MarkSecret has a value of a text be masked wherever it is shown.
func (c *TextCalls) MarkSecret(ctx context.Context, server string, m api.SecretMark) error {
	_, err := call[struct{}](ctx, c.line, http.MethodPost, "/servers/"+url.PathEscape(server)+"/secrets", m)
	return err
}

// KeepAsset sends a file that shall take the place of another.
func (c *TextCalls) KeepAsset(ctx context.Context, body io.Reader, size int64) (out api.Asset, err error) {
	res, err := c.send(ctx, http.MethodPost, "/assets", "application/octet-stream", io.NopCloser(body), size, nil)
	if err != nil {
		return out, err
	}
	defer res.Body.Close()
	if err := json.NewDecoder(res.Body).Decode(&out); err != nil {
		return out, fmt.Errorf("read the answer: %w", err)
	}
	return out, nil
}

// FindIn gives every line of a server's texts in which a word stands.
func (c *TextCalls) FindIn(ctx context.Context, server, word string, blind bool) (api.Found, error) {
	q := url.Values{"word": {word}}
	if blind {
		q.Set("blind", "true")
	}
	return call[api.Found](ctx, c.line, http.MethodGet, "/servers/"+url.PathEscape(server)+"/find?"+q.Encode(), nil)
}

// Named gives every place of a server's texts in which a name stands.
func (c *TextCalls) Named(ctx context.Context, server, name, to string, leave []string, longer bool) (api.NamedIn, error) {
	q := url.Values{"name": {name}, "to": {to}, "leave": leave}
	if longer {
		q.Set("longer", "true")
	}
	return call[api.NamedIn](ctx, c.line, http.MethodGet, "/servers/"+url.PathEscape(server)+"/named?"+q.Encode(), nil)
}

// LintServer looks for what is wrong with a server's settings.
func (c *TextCalls) LintServer(ctx context.Context, server string) (api.Linted, error) {
	return call[api.Linted](ctx, c.line, http.MethodGet, "/servers/"+url.PathEscape(server)+"/lint", nil)
}

// LintCrate looks for what is wrong with a crate's texts.
func (c *TextCalls) LintCrate(ctx context.Context, ref string) (api.Linted, error) {
	return call[api.Linted](ctx, c.line, http.MethodGet, "/crates/"+url.PathEscape(ref)+"/lint", nil)
}

// LintText looks for what is wrong with a text.
func (c *TextCalls) LintText(ctx context.Context, t api.LintText) (api.Linted, error) {
	return call[api.Linted](ctx, c.line, http.MethodPost, "/lint", t)
}

// Tweaks lists the tweaks that hold on a server.
func (c *TextCalls) Tweaks(ctx context.Context, server string) ([]api.TweakOn, error) {
	p, err := call[api.Page[api.TweakOn]](ctx, c.line, http.MethodGet, "/servers/"+url.PathEscape(server)+"/tweaks", nil)
	return p.Items, err
}
