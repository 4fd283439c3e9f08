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
)

// SFTP is a tree behind an SSH server, over a few connections: small files need
// many calls under way, which one connection carries; large ones are faster
// over several, since an SSH channel's window is worth only so much over a
// distance. Connections are opened one by one as calls pile up; where the host
// refuses another, those that are open do.
type SFTP struct {
	t    SFTPTarget
	root string

	mu      sync.Mutex
	conns   []*sftpConn
	most    int  // connections that are hoped for
	dialing bool // another one is under way
	closed  bool
	trip    time.Duration // one round trip, as it was when the host was opened
	flow    flow
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

// full tells whether connections carry about what their windows let them.
func (s *SFTP) full() bool {
	s.flow.mu.Lock()
	defer s.flow.mu.Unlock()
	most := float64(len(s.conns)) * window / max(s.trip, time.Millisecond).Seconds()
	return len(s.flow.recent) == steady && slices.Min(s.flow.recent) > 0.65*most
}

// sftpConn is one connection with one session.
type sftpConn struct {
	*sftp.Client
	ssh     *ssh.Client
	heard   *heard
	busy    atomic.Int64 // calls and open files
	waiting atomic.Int64 // answers that are waited for
	since   atomic.Int64 // from when on, in the time of heard
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
	case lost(err):
		return err
	}
	return refusal
}

// take gives the connection on which the least is under way.
func (s *SFTP) take() (*sftpConn, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.conns) == 0 {
		return nil, errLost
	}
	c := slices.MinFunc(s.conns, func(a, b *sftpConn) int { return int(a.busy.Load() - b.busy.Load()) })
	busy := c.busy.Add(1)
	if (busy > piled || busy > few && s.full()) && len(s.conns) < s.most && !s.dialing && !s.closed {
		s.dialing = true
		go s.another()
	}
	return c, nil
}

// give says that a call is over; a connection that broke is used no more.
func (s *SFTP) give(c *sftpConn, err error) {
	c.busy.Add(-1)
	if err == nil || !lost(err) {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.conns = slices.DeleteFunc(s.conns, func(o *sftpConn) bool { return o == c })
	_ = c.Close()
}

// another opens one more connection.
func (s *SFTP) another() {
	ctx, cancel := context.WithTimeout(context.Background(), dialTimeout)
	defer cancel()
	c, err := dialSFTP(ctx, s.t)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.dialing = false
	switch {
	case err != nil:
		s.most = len(s.conns) // so many it allows
	case s.closed:
		_ = c.Close()
	default:
		s.conns = append(s.conns, c)
		s.flow.mu.Lock()
		s.flow.recent = nil // what the new one brings is seen anew
		s.flow.mu.Unlock()
	}
}

// Connections is how many connections are open.
func (s *SFTP) Connections() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.conns)
}

// InFlight implements [Host]: over a distance it is round trips that take the
// time, so many go side by side.
func (s *SFTP) InFlight() int { return 256 }

// Close implements [Host].
func (s *SFTP) Close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.closed = true
	var errs []error
	for _, c := range s.conns {
		errs = append(errs, c.Close())
	}
	s.conns = nil
	return errors.Join(errs...)
}
