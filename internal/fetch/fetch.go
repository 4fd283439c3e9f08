// Package fetch downloads files over HTTP for the service, and refuses what a stranger's link must
// not reach: addresses of the service's own network, endless bodies, pages in place of files.
package fetch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"path"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Getter downloads. The zero value takes files of any length from public addresses.
type Getter struct {
	// Allowed are networks that are reached although they are not public.
	Allowed []netip.Prefix
	// Most is how long a file may be, in bytes; 0 for any.
	Most int64
	// Idle is for how long a host may send nothing; a minute if 0.
	Idle time.Duration
}

// File is a file that a host sends.
type File struct {
	Name string // as its host calls it, or the last part of its address
	URL  string // from where it came in the end
	Size int64  // of all of it, in bytes; -1 where the host does not say
	From int64  // from where on Body has it
	// Mark is what the host calls these very bytes; empty where it does not say that a piece of
	// them can be asked for.
	Mark string
	Body io.ReadCloser
}

// RefusedError says that something is not fetched, and why. Trying again does not help.
type RefusedError struct{ Why string }

func (e *RefusedError) Error() string { return e.Why }

func refused(format string, args ...any) error { return &RefusedError{fmt.Sprintf(format, args...)} }

// ErrCut is returned by a body that broke off: the rest may be asked for.
var ErrCut = errors.New("the line to the host was cut")

// mostRedirects is how often a host may send a caller elsewhere.
const mostRedirects = 10

// Open asks for a file from an offset in bytes on. mark is [File.Mark] of what was fetched before;
// where the host has something else by now, or sends no pieces, From is 0. The caller closes Body.
func (g *Getter) Open(ctx context.Context, address string, from int64, mark string) (*File, error) {
	u, err := Address(address)
	if err != nil {
		return nil, err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return nil, refused("%v", err)
	}
	req.Header.Set("User-Agent", agent)
	req.Header.Set("Accept-Encoding", "identity")
	if from > 0 && mark != "" {
		req.Header.Set("Range", fmt.Sprintf("bytes=%d-", from))
		req.Header.Set("If-Range", mark)
	}
	res, err := g.client(true).Do(req)
	if err != nil {
		return nil, g.unanswered(ctx, err)
	}
	f, err := g.file(u, res)
	if err != nil {
		return nil, errors.Join(err, res.Body.Close())
	}
	return f, nil
}

// Address reads the address of a file. One that holds a name and a password is refused: addresses
// are kept, and shown.
func Address(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	switch {
	case err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https":
		return nil, refused("%q is not the address of a file; it begins with https:// or http://", text)
	case u.User != nil:
		return nil, refused("the address holds a name or a password, and would be kept with them; fetch the file yourself, and stage it")
	}
	u.Fragment = ""
	return u, nil
}

// follow lets a host send a caller elsewhere, but not from TLS to none.
func follow(req *http.Request, via []*http.Request) error {
	switch last := via[len(via)-1]; {
	case len(via) > mostRedirects:
		return refused("it was sent elsewhere more than %d times", mostRedirects)
	case req.URL.Scheme != "http" && req.URL.Scheme != "https":
		return refused("it was sent to %s, which is no address of a file", req.URL.Redacted())
	case last.URL.Scheme == "https" && req.URL.Scheme == "http":
		return refused("%s sends on to %s, which anybody on the way can read and change", last.URL.Host, req.URL.Host)
	}
	return nil
}

// file reads what a host says of a file before it comes.
func (g *Getter) file(asked *url.URL, res *http.Response) (*File, error) {
	at := res.Request.URL
	f := &File{Name: nameOf(res.Header.Get("Content-Disposition"), at, asked), URL: at.Redacted(), Size: res.ContentLength}
	if etag := res.Header.Get("ETag"); etag != "" && !strings.HasPrefix(etag, "W/") {
		f.Mark = etag
	}
	if res.Header.Get("Accept-Ranges") != "bytes" && res.StatusCode != http.StatusPartialContent {
		f.Mark = ""
	}
	switch res.StatusCode {
	case http.StatusOK:
	case http.StatusPartialContent:
		from, size, ok := piece(res.Header.Get("Content-Range"))
		if !ok {
			return nil, fmt.Errorf("%w: %s does not say which piece it sends", ErrCut, at.Host)
		}
		f.From, f.Size = from, size
	default:
		err := refused("%s answers %s", at.Host, res.Status)
		if res.StatusCode >= 500 || res.StatusCode == http.StatusTooManyRequests {
			err = fmt.Errorf("%w: %w", ErrCut, err)
		}
		return nil, err
	}
	if kind, _, _ := mime.ParseMediaType(res.Header.Get("Content-Type")); kind == "text/html" && !strings.HasSuffix(strings.ToLower(f.Name), ".html") {
		return nil, refused("%s sends a page and no file: it may want somebody to sign in, or to press a button first", at.Host)
	}
	if g.Most > 0 && f.Size > g.Most {
		return nil, g.tooLong()
	}
	f.Body = &body{of: res.Body, getter: g, at: f.From, size: f.Size}
	return f, nil
}

func (g *Getter) tooLong() error {
	return refused("it is longer than the %d bytes that the service takes", g.Most)
}

func (g *Getter) idle() time.Duration {
	if g.Idle > 0 {
		return g.Idle
	}
	return time.Minute
}

// piece reads a Content-Range (RFC 9110, section 14.4).
func piece(said string) (from, size int64, ok bool) {
	said, ok = strings.CutPrefix(said, "bytes ")
	span, all, cut := strings.Cut(said, "/")
	first, _, dash := strings.Cut(span, "-")
	from, err := strconv.ParseInt(first, 10, 64)
	if size = -1; all != "*" {
		var bad error
		size, bad = strconv.ParseInt(all, 10, 64)
		err = errors.Join(err, bad)
	}
	return from, size, ok && cut && dash && err == nil
}

// nameOf is what a file is called: as its host says, or as the address where it was found ends, or
// else the one that was asked for.
func nameOf(disposition string, addresses ...*url.URL) string {
	if _, said, err := mime.ParseMediaType(disposition); err == nil {
		if name := path.Base(strings.ReplaceAll(said["filename"], `\`, "/")); said["filename"] != "" && name != "/" && name != "." {
			return name
		}
	}
	named := ""
	for _, u := range addresses {
		name := path.Base(u.Path)
		if name == "/" || name == "." {
			continue
		}
		if path.Ext(name) != "" {
			return name
		}
		if named == "" {
			named = name
		}
	}
	if named == "" {
		named = "download"
	}
	return named
}

// dial connects to an address that may be reached. The check is of the address itself, behind
// every name and every redirect.
func (g *Getter) dial(ctx context.Context, network, address string) (net.Conn, error) {
	d := &net.Dialer{Timeout: 20 * time.Second, Control: func(_, at string, _ syscall.RawConn) error {
		ap, err := netip.ParseAddrPort(at)
		if err != nil {
			return refused("%s is no address", at)
		}
		if !g.reaches(ap.Addr()) {
			return refused("%s is no public address: it is not reached unless serve --downloads-from allows it", ap.Addr())
		}
		return nil
	}}
	return d.DialContext(ctx, network, address)
}

// inner are networks that are not the public internet, beside those that [netip.Addr] knows: RFC
// 6890 and 6598, and those in which an IPv6 address holds one of IPv4.
var inner = []netip.Prefix{netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("240.0.0.0/4"), netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("2002::/16"), netip.MustParsePrefix("2001::/32"), netip.MustParsePrefix("fec0::/10")}

func (g *Getter) reaches(a netip.Addr) bool {
	a = a.Unmap().WithZone("")
	for _, p := range g.Allowed {
		if p.Contains(a) {
			return true
		}
	}
	for _, p := range inner {
		if p.Contains(a) {
			return false
		}
	}
	return a.IsGlobalUnicast() && !a.IsPrivate() && !a.IsLoopback()
}

// plain takes the address out of what the client says: it is known, and may be long.
func plain(err error) error {
	var at *url.Error
	if errors.As(err, &at) {
		return at.Err
	}
	return err
}
