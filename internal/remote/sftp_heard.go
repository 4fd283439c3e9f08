package remote

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
	"sync/atomic"
	"time"
)

// heard is what comes from a host's SFTP subsystem: it tells whether anything does,
// and how much of it is listings.
type heard struct {
	io.Reader
	last  atomic.Int64 // when something came, in nanoseconds since begun
	names atomic.Int64 // bytes of packets that carry names
	begun time.Time

	mu     sync.Mutex
	limits map[*limit]struct{} // of listings that are waited for

	// The packet that is passing through (draft-ietf-secsh-filexfer-02, 3).
	head [5]byte
	have int
	left int64
	kind byte
}

// packetName is the type of packets that carry a piece of a listing.
const packetName = 104

func newHeard(r io.Reader) *heard { return &heard{Reader: r, begun: time.Now()} }

func (h *heard) Read(p []byte) (int, error) {
	n, err := h.Reader.Read(p)
	if n > 0 {
		h.last.Store(int64(time.Since(h.begun)))
		h.follow(p[:n])
	}
	return n, err
}

// follow counts what belongs to listings.
func (h *heard) follow(p []byte) {
	for len(p) > 0 {
		if h.left == 0 {
			n := copy(h.head[h.have:], p)
			h.have, p = h.have+n, p[n:]
			if h.have < len(h.head) {
				return
			}
			h.have, h.kind = 0, h.head[4]
			h.left = max(0, int64(binary.BigEndian.Uint32(h.head[:]))-1)
			continue
		}
		n := min(h.left, int64(len(p)))
		if h.kind == packetName {
			h.named(h.names.Add(n))
		}
		h.left -= n
		p = p[n:]
	}
}

// limit is how many bytes of listings may have come in all, and what is done then.
type limit struct {
	most int64
	over func()
}

// limited has over called once so many more bytes of listings have come, until the
// function that it gives is called.
func (h *heard) limited(more int64, over func()) (stop func()) {
	l := &limit{h.names.Load() + more, over}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.limits == nil {
		h.limits = map[*limit]struct{}{}
	}
	h.limits[l] = struct{}{}
	return func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.limits, l)
	}
}

// named looks whether that is more than some listing may have.
func (h *heard) named(bytes int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.limits {
		if bytes > l.most {
			delete(h.limits, l)
			l.over()
		}
	}
}

// Limits of what a host may say of one folder.
const (
	// longestListing is how many bytes of listings may come while one is waited
	// for; others may be under way on the same connection.
	longestListing = 32 << 20
	mostEntries    = 250_000
)

// errEndless is returned for a listing that does not end.
var errEndless = errors.New("its listing does not end")

// listing lists a folder. It gives up on a listing that does not end.
func (c *sftpConn) listing(ctx context.Context, name string) ([]os.FileInfo, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	stop := c.heard.limited(longestListing, func() { cancel(errEndless) })
	list, err := c.ReadDirContext(ctx, name)
	stop()
	if cause := context.Cause(ctx); cause != nil && errors.Is(cause, errEndless) {
		return nil, errEndless
	}
	if err == nil && len(list) > mostEntries {
		return nil, fmt.Errorf("%w: it has more than %d entries", errEndless, mostEntries)
	}
	return list, err
}

// waits notes that an answer of the host is waited for, or no longer.
func (c *sftpConn) waits(n int64) {
	if now := c.waiting.Add(n); now == 1 && n == 1 {
		c.since.Store(int64(time.Since(c.heard.begun)))
	}
}

// silent tells for how long an answer has been waited for and nothing came.
func (c *sftpConn) silent() time.Duration {
	if c.waiting.Load() == 0 {
		return 0
	}
	return time.Since(c.heard.begun) - time.Duration(max(c.since.Load(), c.heard.last.Load()))
}

// listen asks now and then whether the host is still there, and ends the connection
// when it does not answer: a line that was cut without a word would keep calls
// waiting for a quarter of an hour. A host that answers that and nothing else is
// given up as well. It returns with the connection.
func (c *sftpConn) listen(patience time.Duration) {
	for {
		answered := make(chan error, 1)
		go func() {
			// Any answer will do, also that the request is not known.
			_, _, err := c.ssh.SendRequest("keepalive@openssh.com", true, nil)
			answered <- err
		}()
		silent := time.NewTimer(patience)
		select {
		case err := <-answered:
			silent.Stop()
			if err != nil {
				return // the connection is over
			}
		case <-silent.C:
			_ = c.Close()
			return
		}
		for range 4 {
			time.Sleep(patience / 8)
			if c.silent() > 2*patience {
				_ = c.Close()
				return
			}
		}
	}
}
