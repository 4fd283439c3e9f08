package remote

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"net"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pkg/sftp"
	"golang.org/x/crypto/ssh"

	"restlesscrate/internal/remote/pool"
)

// SFTP is a tree behind an SSH server, over a few connections: small files need
// many calls under way, which one connection carries; large ones are faster
// over several, since an SSH channel's window is worth only so much over a
// distance. Connections are opened one by one as calls pile up; where the host
// refuses another, those that are open do.
type SFTP struct {
	t    SFTPTarget
	root string

	conns *pool.Pool[*sftpConn]
	trip  time.Duration // one round trip, as it was when the host was opened
	flow  flow

	noShell  atomic.Bool  // it is known to give none
	sameTree atomic.Bool  // its shell is known to see what SFTP shows
	listing  atomic.Int64 // how many whole trees its shell lists now
}

// mostSFTP is how many connections are worth having; piled is how many calls
// under way on each make one more worth its handshake. Large files are a few
// calls only: for them it is the window of an SSH channel that decides, which
// OpenSSH sets to two MiB, so that a connection carries no more than that in a
// round trip. Where it carries nearly as much, another one carries more; where it
// carries less, the line is full, and another one would only crowd it.
const (
	mostSFTP = 4
	piled    = 24
	few      = 4
	window   = 2 << 20
)

// flow is how much is being sent.
type flow struct {
	mu     sync.Mutex
	since  time.Time
	bytes  int64
	recent []float64 // bytes a second in the last samples, the newest last
}

// sample is how long a rate is measured; steady is in how many samples it must
// have been high: what fills a line's buffers at first says nothing.
const (
	sample = 300 * time.Millisecond
	steady = 3
)

func (f *flow) sent(n int) {
	f.mu.Lock()
	defer f.mu.Unlock()
	now := time.Now()
	if f.since.IsZero() {
		f.since = now
	}
	f.bytes += int64(n)
	if took := now.Sub(f.since); took >= sample {
		f.recent = append(f.recent[max(0, len(f.recent)-steady+1):], float64(f.bytes)/took.Seconds())
		f.since, f.bytes = now, 0
	}
}

// counted counts what is read to be sent. Size is for what sends it: how many
// pieces there will be.
type counted struct {
	io.Reader
	size int64
	f    *flow
}

func (c *counted) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.f.sent(n)
	return n, err
}

// Size is how many bytes there are at most.
func (c *counted) Size() int64 { return c.size }

// anew forgets the measurements, because another connection changes them.
func (f *flow) anew() {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.recent = nil
}

// full tells whether so many connections carry nearly what their windows allow.
func (s *SFTP) full(open int) bool {
	s.flow.mu.Lock()
	defer s.flow.mu.Unlock()
	most := float64(open) * window / max(s.trip, time.Millisecond).Seconds()
	return len(s.flow.recent) == steady && slices.Min(s.flow.recent) > 0.65*most
}

// sftpConn is one connection with one session.
type sftpConn struct {
	*sftp.Client
	ssh     *ssh.Client
	heard   *heard
	waiting atomic.Int64 // answers that are waited for
	since   atomic.Int64 // from when on, in the time of heard
	over    atomic.Bool  // it has ended, by whichever side
	own     ownLister    // for listings
	keeps   bool         // its rename is known never to replace
}

// Close ends the connection at once: a polite good-bye would wait for a host
// that is silent.
func (c *sftpConn) Close() error {
	err := c.ssh.Close()
	if c.Client != nil {
		_ = c.Client.Close() // over with the line below it
	}
	if errors.Is(err, net.ErrClosed) || errors.Is(err, io.EOF) {
		return nil
	}
	return err
}

// unlessThere finds out whether a refusal, of which the protocol says no more
// than "failure", was for something that is there already.
func (c *sftpConn) unlessThere(name string, refusal error) error {
	_, err := c.Lstat(name)
	switch {
	case err == nil:
		return fs.ErrExist
	case isLost(err):
		return err
	}
	return refusal
}

// borrowed is a connection that carries a call or an open file, until it is returned.
type borrowed = *pool.Lease[*sftpConn]

// connections makes the pool that begins with a connection that is open. Where the last
// one is lost the host is, and who uses it opens it anew.
func (s *SFTP) connections(first *sftpConn) *pool.Pool[*sftpConn] {
	end := func(c *sftpConn) { _ = c.Close() }
	return pool.New(first, pool.Options[*sftpConn]{
		Most: mostSFTP, Ends: true, Cut: end, Leave: end, Patience: dialTimeout,
		Over: func(c *sftpConn) bool { return c.over.Load() },
		Dial: func(ctx context.Context, _ bool) (*sftpConn, error) {
			c, err := dialSFTP(ctx, s.t)
			if err == nil {
				s.flow.anew()
			}
			return c, err
		},
		Worth: func(users, open int) bool { return users > piled || users > few && s.full(open) },
	})
}

// borrow gives the least busy connection. The caller returns it.
func (s *SFTP) borrow(ctx context.Context) (borrowed, error) {
	l, err := s.conns.Take(ctx)
	if errors.Is(err, pool.ErrOver) || errors.Is(err, pool.ErrClosed) {
		return nil, errLost
	}
	return l, err
}

// Connections is how many connections are open.
func (s *SFTP) Connections() int {
	open, _ := s.conns.Open()
	return open
}

// InFlight implements [Host]: over a distance it is round trips that take the
// time, so many go side by side.
func (s *SFTP) InFlight() int { return 256 }

// Close implements [Host]: what is under way ends with it.
func (s *SFTP) Close() error {
	s.conns.Cut()
	return nil
}

// Listings is how many folders are listed at a time over all connections. OpenSSH opens no more
// files than the system lets it, which is a thousand and more for each.
func (s *SFTP) Listings() int { return 900 }
