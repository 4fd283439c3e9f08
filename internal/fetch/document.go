package fetch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"time"
)

// Stamp is what a host says of the state of a document (RFC 9110, section 8.8).
type Stamp struct{ ETag, Modified string }

// Document is a short text of another host.
type Document struct {
	Raw   []byte
	URL   string // from where it came in the end
	Stamp Stamp
	Same  bool // it is as it was at the stamp that was asked with; Raw is nil
}

// NotThereError is returned where a host has no such document.
type NotThereError struct{ Address string }

func (e *NotThereError) Error() string { return "nothing is at " + e.Address }

// longestWait is how long a document may take in all.
const longestWait = 2 * time.Minute

// Document fetches a short text, whole, unless it is as it was at an earlier stamp. Errors are those of
// [Getter.Open], or a *[NotThereError]. Getter.Most is how long it may be, in bytes.
func (g *Getter) Document(ctx context.Context, address string, since Stamp) (Document, error) {
	u, err := Address(address)
	if err != nil {
		return Document{}, err
	}
	ctx, cancel := context.WithTimeoutCause(ctx, longestWait, fmt.Errorf("%w: it did not come within %s", ErrCut, longestWait))
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return Document{}, refused("%v", err)
	}
	req.Header.Set("User-Agent", agent)
	if since.ETag != "" {
		req.Header.Set("If-None-Match", since.ETag)
	}
	if since.Modified != "" {
		req.Header.Set("If-Modified-Since", since.Modified)
	}
	res, err := g.client(false).Do(req)
	if err != nil {
		return Document{}, g.unanswered(ctx, err)
	}
	defer func() { _ = res.Body.Close() }() // it was read
	d := Document{URL: res.Request.URL.String(), Stamp: Stamp{res.Header.Get("ETag"), res.Header.Get("Last-Modified")}}
	switch {
	case res.StatusCode == http.StatusNotModified && since != Stamp{}:
		d.Same, d.Stamp = true, since
		return d, nil
	case res.StatusCode == http.StatusNotFound || res.StatusCode == http.StatusGone:
		return Document{}, &NotThereError{res.Request.URL.Redacted()}
	case res.StatusCode >= 500 || res.StatusCode == http.StatusTooManyRequests:
		return Document{}, fmt.Errorf("%w: %s answers %s", ErrCut, res.Request.URL.Host, res.Status)
	case res.StatusCode != http.StatusOK:
		return Document{}, refused("%s answers %s", res.Request.URL.Host, res.Status)
	}
	d.Raw, err = io.ReadAll(&body{of: res.Body, getter: g, size: -1})
	var why *RefusedError
	if err != nil && !errors.As(err, &why) {
		err = g.unanswered(ctx, err)
	}
	return d, err
}

// agent is what we call ourselves.
const agent = "restless-crate"

// client makes a client that reaches what may be reached. The bytes of a file are asked for as they
// are; a document may come packed.
func (g *Getter) client(asIs bool) *http.Client {
	return &http.Client{CheckRedirect: follow,
		Transport: &http.Transport{DialContext: g.dial, DisableCompression: asIs, DisableKeepAlives: true, TLSHandshakeTimeout: 20 * time.Second, ResponseHeaderTimeout: g.idle()}}
}

// unanswered says why a host did not answer: it may not be asked, is not known, or the line was cut.
func (g *Getter) unanswered(ctx context.Context, err error) error {
	if cause := context.Cause(ctx); errors.Is(cause, ErrCut) {
		return cause
	}
	var why *RefusedError
	if errors.As(err, &why) {
		return why
	}
	var dns *net.DNSError
	if errors.As(err, &dns) && dns.IsNotFound {
		return refused("nothing on the net is called %s", dns.Name)
	}
	return fmt.Errorf("%w: %w", ErrCut, plain(err))
}

// Client makes a client for other calls, which reaches what may be reached.
func (g *Getter) Client() *http.Client { return g.client(false) }
