package remote

import (
	"context"
	"fmt"
	"time"
)

// take gives a connection that nobody uses, opening one where the server
// allows more. The caller gives it back.
func (f ftpPool) take(ctx context.Context) (*ftpConn, error) {
	select {
	case f.slots <- struct{}{}:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	c, err := f.free(ctx)
	if err != nil {
		<-f.slots
	}
	return c, err
}

func (f ftpPool) free(ctx context.Context) (*ftpConn, error) {
	for {
		f.mu.Lock()
		if f.closed {
			f.mu.Unlock()
			return nil, fmt.Errorf("%w: it was closed", ErrLine)
		}
		if n := len(f.idle); n > 0 {
			c := f.idle[n-1]
			f.idle = f.idle[:n-1]
			f.mu.Unlock()
			if time.Since(c.used) > rested && c.NoOp() != nil {
				f.drop(c)
				continue
			}
			return c, nil
		}
		if f.open >= f.most {
			f.mu.Unlock()
			if err := f.wait(ctx); err != nil {
				return nil, err
			}
			continue
		}
		f.open++
		dial := f.dial
		if f.open == 1 { // the last one is gone, and a server that allows one may not have noticed yet
			dial = f.dialAgain
		}
		f.mu.Unlock()
		c, err := dial(ctx)
		if err == nil {
			return c, nil
		}
		f.mu.Lock()
		f.open--
		others := f.open
		// Another one is refused while some are open: that is the server's
		// limit, not a failure, and it is not tried again.
		f.most = max(1, min(f.most, others))
		f.mu.Unlock()
		if others == 0 || ctx.Err() != nil {
			return nil, err
		}
	}
}

// wait waits until a connection is idle or another one may be opened.
func (f ftpPool) wait(ctx context.Context) error {
	for {
		f.mu.Lock()
		ready := len(f.idle) > 0 || f.open < f.most || f.closed
		f.mu.Unlock()
		if ready {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(10 * time.Millisecond):
		}
	}
}

// give puts a connection back; one that broke is thrown away.
func (f ftpPool) give(c *ftpConn, broken bool) {
	defer func() { <-f.slots }()
	if broken {
		f.drop(c)
		return
	}
	c.used = time.Now()
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.closed {
		f.open--
		_ = c.Quit()
		return
	}
	f.idle = append(f.idle, c)
}

func (f ftpPool) drop(c *ftpConn) {
	_ = c.raw.Close()
	f.mu.Lock()
	f.open--
	f.mu.Unlock()
}

// ftpPool opens, lends and closes connections.
type ftpPool struct{ *FTP }

func (f *FTP) pool() ftpPool { return ftpPool{f} }
