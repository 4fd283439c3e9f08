package remote

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"sync"
	"time"

	"golang.org/x/crypto/ssh"

	"restlesscrate/internal/core/tree"
)

// lister lists folders over a session of its own, in the SSH File Transfer Protocol, version 3
// (draft-ietf-secsh-filexfer-02). It does that one thing because of round trips: it asks for
// several pieces of a listing before the first has come, and waits for no answer to a close. Over
// a distance a tree of thousands of folders takes half the time. It is safe for many goroutines.
type lister struct {
	w     io.Writer
	heard *heard // of the connection: what comes here shows as well that the host is there
	end   func() error

	write sync.Mutex // of w; apart from mu, since whoever hears must never wait for a write
	mu    sync.Mutex
	next  uint32
	waits map[uint32]chan packet
	err   error // why it has ended
}

// packet is an answer.
type packet struct {
	kind byte
	body []byte // behind the id
}

// Types of packets.
const (
	fxpInit    = 1
	fxpVersion = 2
	fxpClose   = 4
	fxpOpendir = 11
	fxpReaddir = 12
	fxpStatus  = 101
	fxpHandle  = 102
	fxpName    = packetName
)

// Codes of a status.
const (
	fxEOF        = 1
	fxNoSuchFile = 2
	fxDenied     = 3
)

// pieces is how many pieces of a listing are asked for at once: two for most folders, since the
// second says that there is no more, and more once a folder turns out to be large.
const (
	piecesFirst = 2
	piecesMost  = 16
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
	l := &lister{w: in, heard: h, end: session.Close, waits: map[uint32]chan packet{}}
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
	return l, nil
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
			l.mu.Lock()
			l.err = errors.Join(errLost, err)
			for _, w := range l.waits {
				close(w)
			}
			l.waits = nil
			l.mu.Unlock()
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

// ask sends a packet with a number and a text. Without an answer wanted there is no channel.
func (l *lister) ask(kind byte, text string, answer bool) (<-chan packet, error) {
	var w chan packet
	l.mu.Lock()
	if l.err != nil {
		defer l.mu.Unlock()
		return nil, l.err
	}
	l.next++
	id := l.next
	if answer {
		w = make(chan packet, 1)
		l.waits[id] = w
	}
	l.mu.Unlock()
	raw := make([]byte, 0, 13+len(text))
	raw = binary.BigEndian.AppendUint32(raw, uint32(9+len(text)))
	raw = append(raw, kind)
	raw = binary.BigEndian.AppendUint32(raw, id)
	raw = binary.BigEndian.AppendUint32(raw, uint32(len(text)))
	raw = append(raw, text...)
	l.write.Lock()
	defer l.write.Unlock()
	if _, err := l.w.Write(raw); err != nil {
		return nil, errors.Join(errLost, err)
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

// statusOf is a refusal as an error; [io.EOF] at the end of a listing.
func statusOf(p packet) error {
	if p.kind != fxpStatus || len(p.body) < 4 {
		return fmt.Errorf("the host answered with %d", p.kind)
	}
	code := binary.BigEndian.Uint32(p.body)
	switch code {
	case fxEOF:
		return io.EOF
	case fxNoSuchFile:
		return fs.ErrNotExist
	case fxDenied:
		return fs.ErrPermission
	}
	said, _, _ := cutText(p.body[4:])
	return &refusedError{code, said}
}

// refusedError is a refusal of which the protocol says no more than that.
type refusedError struct {
	code uint32
	said string
}

func (e *refusedError) Error() string {
	return fmt.Sprintf("the host refused: %s (%d)", e.said, e.code)
}

// cutText takes a text off a packet.
func cutText(p []byte) (text string, rest []byte, ok bool) {
	if len(p) < 4 {
		return "", nil, false
	}
	n := binary.BigEndian.Uint32(p)
	if uint64(n) > uint64(len(p)-4) {
		return "", nil, false
	}
	return string(p[4 : 4+n]), p[4+n:], true
}

// Flags of attributes, and the kinds of things in permission bits.
const (
	attrSize     = 1
	attrIDs      = 2
	attrMode     = 4
	attrTimes    = 8
	attrExtended = 1 << 31

	kindOf     = 0o170000
	kindFolder = 0o040000
	kindFile   = 0o100000
)

// appendNames reads a piece of a listing.
func appendNames(out []Info, p []byte) ([]Info, error) {
	bad := errors.New("the host sent a listing that cannot be read")
	if len(p) < 4 {
		return nil, bad
	}
	n := binary.BigEndian.Uint32(p)
	p = p[4:]
	number := func(size int) (v uint64, ok bool) {
		if len(p) < size {
			return 0, false
		}
		for _, b := range p[:size] {
			v = v<<8 | uint64(b)
		}
		p = p[size:]
		return v, true
	}
	for range n {
		name, rest, ok := cutText(p)
		if ok {
			_, p, ok = cutText(rest) // the line that people read
		}
		flags, ok2 := number(4)
		if !ok || !ok2 {
			return nil, bad
		}
		var size, mode, modified uint64
		have := true
		take := func(v *uint64, length int) {
			x, ok := number(length)
			have = have && ok
			*v = x
		}
		var skipped uint64
		if flags&attrSize != 0 {
			take(&size, 8)
		}
		if flags&attrIDs != 0 {
			take(&skipped, 8)
		}
		if flags&attrMode != 0 {
			take(&mode, 4)
		}
		if flags&attrTimes != 0 {
			take(&skipped, 4)
			take(&modified, 4)
		}
		if flags&attrExtended != 0 {
			var more uint64
			take(&more, 4)
			for range min(more, 64) {
				var ok1, ok2 bool
				if _, p, ok1 = cutText(p); ok1 {
					_, p, ok2 = cutText(p)
				}
				have = have && ok1 && ok2
			}
		}
		if !have {
			return nil, bad
		}
		if name == "." || name == ".." {
			continue
		}
		i := Info{Name: name, Modified: int64(modified) * 1000, Mode: uint32(mode & 0o777), Being: tree.Foreign}
		switch mode & kindOf {
		case kindFolder:
			i.Being = tree.Folder
		case kindFile:
			i.Being, i.Size = tree.Content, int64(size)
		}
		i.checkName()
		out = append(out, i)
	}
	return out, nil
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
