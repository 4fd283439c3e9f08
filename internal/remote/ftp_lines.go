package remote

import (
	"crypto/tls"
	"errors"
	"io"
	"net"
	"sync/atomic"
	"time"
)

// deadlined gives every read and write a deadline of its own.
type deadlined struct{ net.Conn }

func (d *deadlined) Read(p []byte) (int, error) {
	if err := d.SetReadDeadline(time.Now().Add(stall)); err != nil {
		return 0, err
	}
	return d.Conn.Read(p)
}

func (d *deadlined) Write(p []byte) (int, error) {
	if err := d.SetWriteDeadline(time.Now().Add(stall)); err != nil {
		return 0, err
	}
	return d.Conn.Write(p)
}

// dataAddress is where a data connection goes: to the port that the host says, and to
// the host itself whatever it says. Hosts behind a router tell an address that leads
// nowhere, and hostile ones that of a machine which only this service can reach.
func (c *ftpConn) dataAddress(said string) string {
	_, port, err := net.SplitHostPort(said)
	host, _, err2 := net.SplitHostPort(c.raw.RemoteAddr().String())
	if err != nil || err2 != nil {
		return said
	}
	return net.JoinHostPort(host, port)
}

// longestReply is how much a host may say between two commands, in bytes.
const longestReply = 1 << 20

// brief is a control connection that limits the length of an answer.
type brief struct {
	net.Conn
	said atomic.Int64
}

func (b *brief) Write(p []byte) (int, error) {
	b.said.Store(0)
	return b.Conn.Write(p)
}

func (b *brief) Read(p []byte) (int, error) {
	n, err := b.Conn.Read(p)
	if b.said.Add(int64(n)) > longestReply {
		return n, errors.New("the host's answer does not end")
	}
	return n, err
}

// longestFTPListing is how long a listing may be, in bytes.
const longestFTPListing = 32 << 20

// listed is a data connection that limits the length of a listing.
type listed struct {
	net.Conn
	c    *ftpConn
	read int64
}

func (l *listed) Read(p []byte) (int, error) {
	n, err := l.Conn.Read(p)
	if l.read += int64(n); l.c.listing.Load() && l.read > longestFTPListing {
		l.c.endless.Store(true)
		_ = l.c.raw.Close() // nobody waits for what it has to say of it
		return n, errEndless
	}
	return n, err
}

// tlsData is a data connection under TLS. A host's last TLS records, which
// nobody asked for, must be read before it is closed: closing over them resets
// the connection, and the host takes the upload for broken.
type tlsData struct {
	*tls.Conn
	raw net.Conn
}

// Close says that nothing more comes, waits for the host to say the same, and
// closes.
func (d *tlsData) Close() error {
	const lastRecords = 64 << 10
	err := d.CloseWrite()
	if tcp, ok := d.raw.(*net.TCPConn); ok && err == nil {
		if err = tcp.CloseWrite(); err == nil {
			err = tcp.SetReadDeadline(time.Now().Add(5 * time.Second))
		}
		if err == nil {
			_, _ = io.CopyN(io.Discard, tcp, lastRecords) // its end is an error, and the one that is waited for
		}
	}
	// Whether the host has everything it says itself on the control connection.
	_ = d.raw.Close()
	return err
}
