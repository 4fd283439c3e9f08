package pool

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// conn is a connection that counts its users.
type conn struct {
	users, ends atomic.Int32
	dead        atomic.Bool
}

// host allows so many connections at a time.
type host struct {
	mu           sync.Mutex
	allows, open int
	all          []*conn
	alone        []bool
}

var errFull = errors.New("too many connections")

func (h *host) dial(_ context.Context, alone bool) (*conn, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.alone = append(h.alone, alone)
	if h.open >= h.allows {
		return nil, errFull
	}
	h.open++
	c := &conn{}
	h.all = append(h.all, c)
	return c, nil
}

func (h *host) end(c *conn) {
	c.ends.Add(1)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.open--
}

func (h *host) pool(t require.TestingT, opt Options[*conn]) *Pool[*conn] {
	first, err := h.dial(context.Background(), true)
	require.NoError(t, err)
	opt.Dial, opt.Cut, opt.Leave = h.dial, h.end, h.end
	return New(first, opt)
}

func taken(t *testing.T, p *Pool[*conn]) *Lease[*conn] {
	t.Helper()
	l, err := p.Take(t.Context())
	require.NoError(t, err)
	return l
}

func TestAConnectionIsLentToOneAtATime(t *testing.T) {
	h := &host{allows: 9}
	p := h.pool(t, Options[*conn]{Most: 2, Share: 1})
	a, b := taken(t, p), taken(t, p)
	require.NotSame(t, a.Conn, b.Conn)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := p.Take(ctx)
	require.ErrorIs(t, err, context.Canceled, "who does not wait any more is told so")
	a.Return(false)
	require.Same(t, a.Conn, taken(t, p).Conn)
}

func TestWhoWaitsIsWokenWhenOneIsReturned(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := &host{allows: 1}
		p := h.pool(t, Options[*conn]{Most: 1, Share: 1})
		l := taken(t, p)
		got := make(chan *Lease[*conn])
		go func() { got <- taken(t, p) }()
		synctest.Wait() // it waits, for no time that passes
		begun := time.Now()
		l.Return(false)
		require.Same(t, l.Conn, (<-got).Conn)
		require.Equal(t, begun, time.Now(), "it did not look now and then")
	})
}

func TestARefusalOfAnotherIsTheHostsLimit(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := &host{allows: 2}
		p := h.pool(t, Options[*conn]{Most: 4, Share: 1})
		a := taken(t, p)
		taken(t, p)
		got := make(chan *Lease[*conn])
		go func() { got <- taken(t, p) }()
		synctest.Wait()
		_, most := p.Open()
		require.Equal(t, 2, most)
		a.Return(false)
		require.Same(t, a.Conn, (<-got).Conn)
		require.Len(t, h.alone, 3, "it is not asked again and again")
	})
}

func TestTheLastOneThatBreaksIsReplacedOrEndsThePool(t *testing.T) {
	h := &host{allows: 1}
	p := h.pool(t, Options[*conn]{Most: 1, Share: 1})
	l := taken(t, p)
	l.Return(true)
	require.Equal(t, int32(1), l.Conn.ends.Load())
	require.NotSame(t, l.Conn, taken(t, p).Conn)
	require.Equal(t, []bool{true, true}, h.alone, "the host may not have noticed that it went")

	h = &host{allows: 1}
	p = h.pool(t, Options[*conn]{Most: 1, Ends: true})
	taken(t, p).Return(true)
	_, err := p.Take(t.Context())
	require.ErrorIs(t, err, ErrOver)

	h = &host{allows: 1}
	p = h.pool(t, Options[*conn]{Most: 1, Share: 1})
	taken(t, p).Return(true)
	h.allows = 0
	_, err = p.Take(t.Context())
	require.ErrorIs(t, err, errFull, "nothing is open, so that is a failure")
}

func TestOneThatHasRestedIsAskedFirst(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := &host{allows: 3}
		asked := 0
		p := h.pool(t, Options[*conn]{Most: 1, Share: 1, Rested: time.Minute, Alive: func(c *conn) bool { asked++; return !c.dead.Load() }})
		l := taken(t, p)
		l.Return(false)
		taken(t, p).Return(false)
		require.Zero(t, asked)
		time.Sleep(2 * time.Minute)
		taken(t, p).Return(false)
		require.Equal(t, 1, asked)
		l.Conn.dead.Store(true)
		time.Sleep(2 * time.Minute)
		require.NotSame(t, l.Conn, taken(t, p).Conn)
		require.Equal(t, int32(1), l.Conn.ends.Load())
	})
}

// Of several that broke with the line, some are found by who used them; the others are
// not lent either.
func TestOneThatHasEndedIsNotLent(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := &host{allows: 3}
		p := h.pool(t, Options[*conn]{Most: 3, Share: 1, Ends: true, Over: func(c *conn) bool { return c.dead.Load() }})
		one, two := taken(t, p), taken(t, p)
		one.Return(false)
		two.Return(false)
		two.Conn.dead.Store(true)
		for range 3 {
			l := taken(t, p)
			require.NotSame(t, two.Conn, l.Conn)
			l.Return(false)
		}
		synctest.Wait()
		require.Equal(t, int32(1), two.Conn.ends.Load(), "it is ended, once")
		one.Conn.dead.Store(true)
		_, err := p.Take(t.Context())
		require.ErrorIs(t, err, ErrOver, "with the last one the host is gone")
	})
}

func TestManyShareOneUntilAnotherIsWorthIt(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := &host{allows: 2}
		p := h.pool(t, Options[*conn]{Most: 4, Worth: func(users, _ int) bool { return users > 2 }, Patience: time.Minute})
		a, b := taken(t, p), taken(t, p)
		require.Same(t, a.Conn, b.Conn)
		require.Same(t, a.Conn, taken(t, p).Conn, "nobody waits for another one to be opened")
		synctest.Wait()
		require.NotSame(t, a.Conn, taken(t, p).Conn, "the one that is used least")
		held := p.Hold(a.Conn)
		for range 3 {
			taken(t, p)
		}
		synctest.Wait()
		open, most := p.Open()
		require.Equal(t, []int{2, 2}, []int{open, most}, "another one was refused")
		held.Return(true)
		b.Return(true)
		require.Equal(t, int32(1), a.Conn.ends.Load(), "it ends once, however many found it broken")
	})
}

func TestAClosedPoolLendsNoMore(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		h := &host{allows: 2}
		p := h.pool(t, Options[*conn]{Most: 1, Share: 1})
		l := taken(t, p)
		waits := make(chan error)
		go func() { _, err := p.Take(t.Context()); waits <- err }()
		synctest.Wait()
		p.Close()
		require.ErrorIs(t, <-waits, ErrClosed)
		require.Zero(t, l.Conn.ends.Load(), "it is in use")
		l.Return(false)
		synctest.Wait()
		require.Equal(t, int32(1), l.Conn.ends.Load())

		q := (&host{allows: 1}).pool(t, Options[*conn]{Most: 1})
		used := taken(t, q)
		q.Cut()
		require.Equal(t, int32(1), used.Conn.ends.Load())
		used.Return(true)
		require.Equal(t, int32(1), used.Conn.ends.Load())
	})
}

// Whatever the host allows and however many there are who break some: nobody shares what
// is for one, no more are open than are allowed, and everybody is served.
func TestEverybodyIsServed(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		allows := rapid.IntRange(1, 4).Draw(rt, "allows")
		h := &host{allows: allows}
		p := h.pool(rt, Options[*conn]{Most: rapid.IntRange(1, 5).Draw(rt, "most"), Share: 1})
		breaks := rapid.SliceOfN(rapid.Bool(), 12, 12).Draw(rt, "breaks")
		var wg sync.WaitGroup
		errs := make(chan error, len(breaks))
		for _, broken := range breaks {
			wg.Go(func() {
				l, err := p.Take(t.Context())
				if err != nil {
					errs <- err
					return
				}
				if n := l.Conn.users.Add(1); n != 1 {
					errs <- fmt.Errorf("%d use one connection", n)
				}
				l.Conn.users.Add(-1)
				l.Return(broken)
			})
		}
		wg.Wait()
		close(errs)
		for err := range errs {
			// The host counts a broken one until it has ended; where it was the only one, that is
			// a failure like any other.
			require.ErrorIs(rt, err, errFull)
		}
		p.Close()
	})
}

// A connection that is free must not win against a context that has ended: who cuts it
// when the context ends may come after what was asked.
func TestWhoHasGoneIsLentNothing(t *testing.T) {
	h := &host{allows: 1}
	p := h.pool(t, Options[*conn]{Most: 1, Share: 1})
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := p.Take(gone)
	require.ErrorIs(t, err, context.Canceled)
	taken(t, p).Return(false)
}
