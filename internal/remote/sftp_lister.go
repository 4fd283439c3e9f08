package remote

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"runtime"
	"sync"
	"time"

	"golang.org/x/crypto/ssh"
)

// lister lists folders over a session of its own, in the SSH File Transfer Protocol, version 3
// (draft-ietf-secsh-filexfer-02). It does that one thing because of round trips: it asks for
// several pieces of a listing before the first has come, and waits for no answer to a close. Over
// a distance a tree of thousands of folders takes half the time. It is safe for many goroutines.
type lister struct {
	heard *heard // of the connection: what comes here shows as well that the host is there
	end   func() error

	mu    sync.Mutex
	next  uint32
	waits map[uint32]chan packet
	out   []byte        // packets that are to be sent
	due   chan struct{} // holds one while there are any
	err   error         // why it has ended
}

// packet is an answer.
type packet struct {
	kind byte
	body []byte // behind the id
}

// pieces is how many pieces of a listing are asked for at once: two for most folders, since the
// second says that there is no more, and more once a folder turns out to be large.
const (
	piecesFirst = 2
	piecesMost  = 64
)

// longestPacket is how long an answer may be, in bytes; OpenSSH sends no more than a quarter of it.
const longestPacket = 1 << 20

var errNoLister = errors.New("the host gives no second session")

// newLister opens a session for listings.
func newLister(c *ssh.Client, h *heard) (*lister, error) {
	session, err := c.NewSession()
	if err != nil {
		return nil, errors.Join(errNoLister, err)
	}
	in, err := session.StdinPipe()
	if err != nil {
		return nil, errors.Join(err, session.Close())
	}
	out, err := session.StdoutPipe()
	if err == nil {
		err = session.RequestSubsystem("sftp")
	}
	if err != nil {
		return nil, errors.Join(errNoLister, err, session.Close())
	}
	l := &lister{heard: h, end: session.Close, waits: map[uint32]chan packet{}, due: make(chan struct{}, 1)}
	if _, err := in.Write([]byte{0, 0, 0, 5, fxpInit, 0, 0, 0, 3}); err != nil {
		return nil, errors.Join(err, session.Close())
	}
	r := bufio.NewReaderSize(out, 256<<10)
	kind, _, err := l.read(r)
	if err == nil && kind != fxpVersion {
		err = fmt.Errorf("%w: it answered with %d", errNoLister, kind)
	}
	if err != nil {
		return nil, errors.Join(err, session.Close())
	}
	go l.hear(r)
	go l.send(in)
	return l, nil
}

// send sends what is due until the session ends. What many ask for at a time goes together: each
// write is a packet of the connection, which the host has to open by itself.
func (l *lister) send(w io.Writer) {
	var out []byte
	for range l.due {
		runtime.Gosched() // who was just answered asks for more
		l.mu.Lock()
		out, l.out = l.out, out[:0]
		l.mu.Unlock()
		if _, err := w.Write(out); err != nil {
			l.over(err)
			return
		}
	}
}

// over ends the session for all who wait.
func (l *lister) over(err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.err != nil {
		return
	}
	l.err = errors.Join(errLost, err)
	for _, w := range l.waits {
		close(w)
	}
	l.waits = nil
	close(l.due)
}

// read reads a packet.
func (l *lister) read(r io.Reader) (kind byte, body []byte, err error) {
	var head [5]byte
	if _, err := io.ReadFull(r, head[:]); err != nil {
		return 0, nil, err
	}
	n := binary.BigEndian.Uint32(head[:])
	if n == 0 || n > longestPacket {
		return 0, nil, fmt.Errorf("the host sent a packet of %d bytes", n)
	}
	body = make([]byte, n-1)
	_, err = io.ReadFull(r, body)
	l.heard.last.Store(int64(time.Since(l.heard.begun)))
	return head[4], body, err
}

// hear hands answers to who waits for them, until the session ends.
func (l *lister) hear(r io.Reader) {
	for {
		kind, body, err := l.read(r)
		if err == nil && len(body) < 4 {
			err = errors.New("the host sent a packet without a number")
		}
		if err != nil {
			l.over(err)
			return
		}
		id := binary.BigEndian.Uint32(body)
		l.mu.Lock()
		w := l.waits[id]
		delete(l.waits, id)
		l.mu.Unlock()
		if w != nil { // nobody waits for the answer to a close
			w <- packet{kind, body[4:]}
		}
	}
}

// ask sends a packet with a number, a text and what follows it. Without an answer wanted there is
// no channel.
func (l *lister) ask(kind byte, text string, answer bool, more ...byte) (<-chan packet, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.err != nil {
		return nil, l.err
	}
	l.next++
	var w chan packet
	if answer {
		w = make(chan packet, 1)
		l.waits[l.next] = w
	}
	l.out = binary.BigEndian.AppendUint32(l.out, uint32(9+len(text)+len(more)))
	l.out = append(l.out, kind)
	l.out = binary.BigEndian.AppendUint32(l.out, l.next)
	l.out = binary.BigEndian.AppendUint32(l.out, uint32(len(text)))
	l.out = append(append(l.out, text...), more...)
	select {
	case l.due <- struct{}{}:
	default: // it is sent with the others
	}
	return w, nil
}

// wait waits for an answer.
func (l *lister) wait(ctx context.Context, w <-chan packet) (packet, error) {
	select {
	case p, ok := <-w:
		if !ok {
			l.mu.Lock()
			defer l.mu.Unlock()
			return p, l.err
		}
		return p, nil
	case <-ctx.Done():
		return packet{}, ctx.Err()
	}
}

// list lists a folder.
func (l *lister) list(ctx context.Context, name string) (out []Info, err error) {
	w, err := l.ask(fxpOpendir, name, true)
	if err != nil {
		return nil, err
	}
	p, err := l.wait(ctx, w)
	if err != nil {
		return nil, err
	}
	if p.kind != fxpHandle {
		if err := statusOf(p); !errors.Is(err, io.EOF) {
			return nil, err
		}
		return nil, errors.New("the host says that a folder ends before it begins")
	}
	handle, _, ok := cutText(p.body)
	if !ok {
		return nil, errors.New("the host sent a handle that cannot be read")
	}
	defer func() {
		if _, e := l.ask(fxpClose, handle, false); err == nil {
			err = e
		}
	}()
	var open []<-chan packet
	heard := 0
	for at, pieces := 0, piecesFirst; ; {
		for len(open) < pieces {
			w, err := l.ask(fxpReaddir, handle, true)
			if err != nil {
				return nil, err
			}
			open = append(open, w)
		}
		p, err := l.wait(ctx, open[0])
		if err != nil {
			return nil, err
		}
		open = open[1:]
		if p.kind == fxpStatus {
			if err := statusOf(p); !errors.Is(err, io.EOF) {
				return nil, err
			}
			return out, nil
		}
		if p.kind != fxpName {
			return nil, fmt.Errorf("the host answered a listing with %d", p.kind)
		}
		if heard += len(p.body); heard > longestListing {
			return nil, errEndless
		}
		if out, err = appendNames(out, p.body); err != nil {
			return nil, err
		}
		if len(out) > mostEntries {
			return nil, fmt.Errorf("%w: it has more than %d entries", errEndless, mostEntries)
		}
		if at++; at > 1 {
			pieces = piecesMost
		}
	}
}

// small reads a whole file that is as long as it is expected to be, in two round trips. ok is false
// where it is not, or the host gave less than was asked for: then it is read in the usual way.
func (l *lister) small(ctx context.Context, name string, size int64) (raw []byte, ok bool, err error) {
	w, err := l.ask(fxpOpen, name, true, 0, 0, 0, 1, 0, 0, 0, 0) // to read; no attributes
	if err != nil {
		return nil, false, err
	}
	p, err := l.wait(ctx, w)
	if err != nil {
		return nil, false, err
	}
	if p.kind != fxpHandle {
		return nil, false, statusOf(p)
	}
	handle, _, ok := cutText(p.body)
	if !ok {
		return nil, false, errors.New("the host sent a handle that cannot be read")
	}
	// One byte more than it should have shows whether it has grown.
	from := binary.BigEndian.AppendUint32(make([]byte, 8, 12), uint32(size+1))
	w, err = l.ask(fxpRead, handle, true, from...)
	if err != nil {
		return nil, false, err
	}
	if _, err := l.ask(fxpClose, handle, false); err != nil {
		return nil, false, err
	}
	if p, err = l.wait(ctx, w); err != nil {
		return nil, false, err
	}
	if p.kind == fxpStatus && size == 0 && errors.Is(statusOf(p), io.EOF) {
		return nil, true, nil
	}
	text, _, ok := cutText(p.body)
	if p.kind != fxpData || !ok || int64(len(text)) != size {
		return nil, false, nil
	}
	return []byte(text), true, nil
}

// ownLister is the session for listings of a connection, opened when it is first of use. A host
// that gives none is asked once.
type ownLister struct {
	mu     sync.Mutex
	l      *lister
	denied bool
}

// lists gives the connection's lister; nil where the host gives none.
func (c *sftpConn) lists() (*lister, error) {
	c.own.mu.Lock()
	defer c.own.mu.Unlock()
	if c.own.l != nil || c.own.denied {
		return c.own.l, nil
	}
	l, err := newLister(c.ssh, c.heard)
	switch {
	case err == nil:
		c.own.l = l
	case errors.Is(err, errNoLister) && !c.over.Load():
		c.own.denied = true
		return nil, nil
	}
	return l, err
}
