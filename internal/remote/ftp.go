package remote

import (
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/textproto"
	"path"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jlaffaye/ftp"

	"restlesscrate/internal/remote/pool"
)

// FTPTarget is everything needed to reach a tree over FTP.
type FTPTarget struct {
	Host, User, Password string
	Port                 int
	Root                 string // absolute, or relative to where the user arrives
	TLS                  bool   // explicit TLS (RFC 4217), for control and data
	Cert                 string // the confirmed certificate, from [HostKeyError.Offered]; empty: none yet
	Connections          int    // at most so many at a time; 0: 4
	Ahead                bool   // the host takes commands that are sent ahead; see [FTP.ProveAhead]
}

// FTP is a tree behind an FTP server. A connection does one thing at a time,
// so there are several; the server's refusal of a further one is taken for
// their number.
type FTP struct {
	t     FTPTarget
	root  string
	sums  sums // which the host makes of files itself
	line  *ftpDialer
	conns *pool.Pool[*ftpConn]
}

// ftpDialer opens connections to a host.
type ftpDialer struct {
	t      FTPTarget
	hidden bool // the listing of the server must be asked for hidden files
	cache  tls.ClientSessionCache
}

// ftpConn is one connection. Every read and write of it, and of its data
// connections, has a deadline.
type ftpConn struct {
	*ftp.ServerConn
	raw     net.Conn
	ahead   *ahead      // nil under TLS
	hashes  bool        // it was told by which algorithm to hash
	listing atomic.Bool // what comes on a data connection is a listing
	endless atomic.Bool // and it did not end
}

// stall is how long a connection may stand still before it counts as lost.
const stall = 60 * time.Second

// rested is how long a connection may wait before it is asked whether it is
// still there.
const rested = 20 * time.Second

// OpenFTP connects, checks the certificate, signs in and looks at the root.
// Errors are a *[HostKeyError], *[SignInError], *[RootError], or wrap [ErrLine].
func OpenFTP(ctx context.Context, t FTPTarget) (*FTP, error) {
	if t.Connections <= 0 {
		t.Connections = 4
	}
	line := &ftpDialer{t: t, cache: tls.NewLRUClientSessionCache(t.Connections * 2)}
	c, err := line.dial(ctx)
	if err != nil {
		return nil, err
	}
	if !c.IsTimePreciseInList() { // no MLSD: plain listings leave hidden files out unless they are asked for
		_ = c.Quit()
		line.hidden = true
		if c, err = line.dialAgain(ctx); err != nil {
			return nil, err
		}
	}
	root, err := c.enter(t.Root)
	if err != nil {
		return nil, errors.Join(&RootError{Root: t.Root, Err: err}, c.Quit())
	}
	f := &FTP{t: t, root: root, line: line, sums: c.sums()}
	f.conns = f.connections(c)
	return f, nil
}

// dialAgain dials where a connection has just been closed: a server that allows
// few may need a moment to notice.
func (d *ftpDialer) dialAgain(ctx context.Context) (c *ftpConn, err error) {
	for wait := 20 * time.Millisecond; ; wait *= 2 {
		var said *textproto.Error
		if c, err = d.dial(ctx); !errors.As(err, &said) || said.Code != ftp.StatusNotAvailable || wait > time.Second {
			return c, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(wait):
		}
	}
}

// enter finds out what the root is called from the top.
func (c *ftpConn) enter(root string) (string, error) {
	if root != "" && root != "." {
		if err := c.ChangeDir(root); err != nil {
			return "", ftpPlain(err)
		}
	}
	dir, err := c.CurrentDir()
	if err != nil {
		return "", ftpPlain(err)
	}
	return path.Clean("/" + dir), nil
}

// dial opens one connection and signs in.
func (d *ftpDialer) dial(ctx context.Context) (*ftpConn, error) {
	var certErr *HostKeyError
	c := &ftpConn{}
	options := []ftp.DialOption{ftp.DialWithForceListHidden(d.hidden), ftp.DialWithShutTimeout(stall)}
	var conf *tls.Config
	if d.t.TLS {
		conf = &tls.Config{ServerName: d.t.Host, MinVersion: tls.VersionTLS12, ClientSessionCache: d.cache,
			// The certificate is pinned instead: hosts sign their own.
			InsecureSkipVerify: true,
			VerifyConnection: func(s tls.ConnectionState) error {
				if len(s.PeerCertificates) == 0 {
					return errors.New("the host shows no certificate")
				}
				if certErr = checkCert(d.t.Cert, s.PeerCertificates[0]); certErr != nil {
					return certErr
				}
				return nil
			}}
		options = append(options, ftp.DialWithExplicitTLS(conf))
	}
	dialer := net.Dialer{Timeout: dialTimeout, KeepAlive: 15 * time.Second}
	control := true
	stop := func() bool { return true }
	defer func() { stop() }()
	options = append(options, ftp.DialWithDialFunc(func(network, address string) (net.Conn, error) {
		if !control {
			address = c.dataAddress(address)
		}
		within := ctx
		if !control { // the one who dialled has gone by then
			within = context.WithoutCancel(ctx)
		}
		conn, err := dialer.DialContext(within, network, address)
		if err != nil {
			return nil, err
		}
		if control {
			control, c.raw = false, conn
			stop = context.AfterFunc(ctx, func() { conn.Close() })
			timed := &deadlined{Conn: &brief{Conn: conn}}
			if conf == nil {
				c.ahead = newAhead(timed, d.t.Ahead)
				return c.ahead, nil
			}
			return timed, nil // under TLS the library sees the words, and we do not
		}
		timed := &deadlined{Conn: &listed{Conn: conn, c: c}}
		if d.t.Ahead && c.ahead != nil {
			return &aheadData{Conn: timed, control: c.ahead}, nil
		}
		if conf != nil {
			return &tlsData{Conn: tls.Client(timed, conf), raw: conn}, nil
		}
		return timed, nil
	}))
	server, err := ftp.Dial(net.JoinHostPort(d.t.Host, strconv.Itoa(d.t.Port)), options...)
	if err != nil {
		if said := new(textproto.Error); d.t.TLS && errors.As(err, &said) && said.Code >= 500 {
			return nil, fmt.Errorf("%w: the host offers no TLS: %s", ErrLine, said.Msg)
		}
		return nil, d.failed(ctx, certErr, err)
	}
	c.ServerConn = server
	if err := server.Login(d.t.User, d.t.Password); err != nil {
		_ = c.raw.Close()
		return nil, d.failed(ctx, certErr, err)
	}
	return c, nil
}

func (d *ftpDialer) failed(ctx context.Context, cert *HostKeyError, err error) error {
	var said *textproto.Error
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case cert != nil:
		return cert
	case errors.As(err, &said) && said.Code == ftp.StatusNotLoggedIn:
		return &SignInError{User: d.t.User, Err: errors.New(strings.TrimSpace(said.Msg))}
	}
	return fmt.Errorf("%w: %w", ErrLine, err)
}

const certForm = "certificate "

// checkCert compares an offered certificate with the confirmed one.
func checkCert(confirmed string, offered *x509.Certificate) *HostKeyError {
	sum := sha256.Sum256(offered.Raw)
	e := &HostKeyError{Certificate: true, Fingerprint: "SHA256:" + base64.RawStdEncoding.EncodeToString(sum[:])}
	e.Offered = certForm + e.Fingerprint
	switch {
	case confirmed == e.Offered:
		return nil
	case confirmed != "":
		e.Changed, e.Expected = true, strings.TrimPrefix(confirmed, certForm)
	}
	return e
}

// ftpBroken tells whether a connection cannot be used after an error.
func ftpBroken(err error) bool {
	var said *textproto.Error
	return err != nil && (!errors.As(err, &said) || said.Code == ftp.StatusNotAvailable || errors.Is(err, io.EOF))
}

// ftpPlain turns what a server says into the errors of [Host], as far as its
// words tell.
func ftpPlain(err error) error {
	var said *textproto.Error
	if !errors.As(err, &said) {
		return fmt.Errorf("%w: %v", ErrLine, err)
	}
	if said.Code == ftp.StatusNotAvailable {
		return fmt.Errorf("%w: %s", ErrLine, said.Msg)
	}
	return errors.New(strings.TrimSpace(said.Msg))
}
