package remote

import (
	"context"
	"errors"
	"fmt"
	"time"

	"restlesscrate/internal/remote/pool"
)

// lent is an FTP connection that does one thing, until it is returned.
type lent = *pool.Lease[*ftpConn]

// connections makes the pool that begins with a connection that is open.
func (f *FTP) connections(first *ftpConn) *pool.Pool[*ftpConn] {
	return pool.New(first, pool.Options[*ftpConn]{
		Most: f.t.Connections, Share: 1,
		Dial: func(ctx context.Context, alone bool) (*ftpConn, error) {
			if alone {
				return f.line.dialAgain(ctx)
			}
			return f.line.dial(ctx)
		},
		Cut: func(c *ftpConn) { _ = c.raw.Close() },
		Leave: func(c *ftpConn) {
			late := time.AfterFunc(dialTimeout, func() { _ = c.raw.Close() })
			defer late.Stop()
			_ = c.Quit()
		},
		Rested: rested, Alive: func(c *ftpConn) bool { return c.NoOp() == nil },
	})
}

// borrow gives a free connection. The caller returns it.
func (f *FTP) borrow(ctx context.Context) (lent, error) {
	l, err := f.conns.Take(ctx)
	if errors.Is(err, pool.ErrClosed) {
		return nil, fmt.Errorf("%w: it was closed", ErrLine)
	}
	return l, err
}

// Close implements [Host]: connections that are used end once what they do is over.
func (f *FTP) Close() error {
	f.conns.Close()
	return nil
}

// Connections is how many connections the server has allowed at a time.
func (f *FTP) Connections() int {
	_, most := f.conns.Open()
	return most
}
