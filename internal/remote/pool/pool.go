// Package pool lends the connections to one host. It opens them one by one as they are
// wanted, takes the host's refusal of another for their number, and throws broken ones
// away. Who waits for one is woken when it is given back.
package pool

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"
)

// Why no connection is lent any more.
var (
	ErrClosed = errors.New("the pool was closed")
	ErrOver   = errors.New("the last connection is gone")
)

// Options say how connections of one kind are opened, shared and ended. They do not
// change while the pool is used.
type Options[C comparable] struct {
	Most  int // connections at a time; fewer where the host refuses another
	Share int // users of one connection at a time; 0: any number
	// Dial opens another connection. alone is set where none is open: a host that allows
	// one may not have noticed yet that the last has gone.
	Dial func(ctx context.Context, alone bool) (C, error)
	// Cut ends a connection at once. Leave ends it in good order and may take its time.
	Cut   func(C)
	Leave func(C)
	// Alive asks a connection that nobody has used for Rested whether it is still there.
	// Without it nobody asks.
	Alive  func(C) bool
	Rested time.Duration
	// Over tells, without asking the host, whether a connection has ended by itself. Such
	// a one is not lent; without it only who uses one finds out.
	Over func(C) bool
	// Worth tells whether one more connection is worth opening, of so many that are open,
	// when the one that is used least has so many users. Without it another is opened only
	// where none is free.
	Worth func(users, open int) bool
	// Patience bounds the dialing of a connection that nobody waits for.
	Patience time.Duration
	// Ends is set for a pool that ends with its last connection, instead of opening another.
	Ends bool
}

// Pool lends connections. Its methods may be called at the same time.
type Pool[C comparable] struct {
	opt Options[C]

	mu      sync.Mutex
	open    []*entry[C]
	dialing int
	most    int // connections that the host allows, as far as is known
	closed  bool
	changed chan struct{} // closed once something may be free
}

type entry[C comparable] struct {
	conn  C
	users int
	used  time.Time // when it was last given back
}

// New makes a pool that holds a connection already.
func New[C comparable](first C, opt Options[C]) *Pool[C] {
	return &Pool[C]{opt: opt, most: opt.Most, changed: make(chan struct{}), open: []*entry[C]{{conn: first, used: time.Now()}}}
}

// Lease is a user's hold on a connection, until it is returned.
type Lease[C comparable] struct {
	Conn C
	pool *Pool[C]
	of   *entry[C]
}

// Take lends a connection, opening one where that is allowed, or waits for one. It
// gives the context's error, [ErrClosed], [ErrOver], or that of dialing the only one.
func (p *Pool[C]) Take(ctx context.Context) (*Lease[C], error) {
	for {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		p.mu.Lock()
		if p.closed {
			p.mu.Unlock()
			return nil, ErrClosed
		}
		p.sweep()
		if e := p.best(); e != nil {
			e.users++
			rested := e.users == 1 && p.opt.Alive != nil && time.Since(e.used) > p.opt.Rested
			p.more(e.users)
			p.mu.Unlock()
			if rested && !p.opt.Alive(e.conn) {
				p.returned(e, true)
				continue
			}
			return &Lease[C]{e.conn, p, e}, nil
		}
		if len(p.open)+p.dialing == 0 && p.opt.Ends {
			p.mu.Unlock()
			return nil, ErrOver
		}
		if len(p.open)+p.dialing < p.most {
			l, err, again := p.dial(ctx)
			if again {
				continue
			}
			return l, err
		}
		changed := p.changed
		p.mu.Unlock()
		select {
		case <-changed:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// sweep takes the connections out that have ended by themselves. Who still uses one
// returns it as broken.
func (p *Pool[C]) sweep() {
	if p.opt.Over == nil {
		return
	}
	p.open = slices.DeleteFunc(p.open, func(e *entry[C]) bool {
		over := p.opt.Over(e.conn)
		if over {
			go p.opt.Cut(e.conn)
		}
		return over
	})
}

// best is the connection with the fewest users, of several the one that was used last;
// nil where all have as many as they may.
func (p *Pool[C]) best() (best *entry[C]) {
	for _, e := range p.open {
		if p.opt.Share > 0 && e.users >= p.opt.Share {
			continue
		}
		if best == nil || e.users < best.users || e.users == best.users && e.used.After(best.used) {
			best = e
		}
	}
	return best
}

// more opens another connection behind the back of those who use the others.
func (p *Pool[C]) more(users int) {
	if p.opt.Worth == nil || p.dialing > 0 || len(p.open) >= p.most || !p.opt.Worth(users, len(p.open)) {
		return
	}
	p.dialing++
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), p.opt.Patience)
		defer cancel()
		c, err := p.opt.Dial(ctx, false)
		if e, _ := p.dialed(c, err); e != nil {
			p.returned(e, false)
		}
	}()
}

// dial opens a connection for the caller. It is called with the lock, and returns without
// it. again is set where the host refused another one while some are open: that is its
// limit, not a failure.
func (p *Pool[C]) dial(ctx context.Context) (l *Lease[C], err error, again bool) {
	alone := len(p.open)+p.dialing == 0
	p.dialing++
	p.mu.Unlock()
	c, err := p.opt.Dial(ctx, alone)
	e, others := p.dialed(c, err)
	switch {
	case e != nil:
		return &Lease[C]{e.conn, p, e}, nil, false
	case err == nil:
		return nil, ErrClosed, false
	case ctx.Err() != nil || others == 0:
		return nil, err, false
	}
	return nil, nil, true
}

// dialed takes in what came of dialing: a connection with one user, or none, and how many
// others there are.
func (p *Pool[C]) dialed(c C, err error) (e *entry[C], others int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.dialing--
	others = len(p.open) + p.dialing
	switch {
	case err != nil:
		p.most = max(1, min(p.most, others))
	case p.closed:
		go p.opt.Cut(c)
	default:
		e = &entry[C]{conn: c, users: 1}
		p.open = append(p.open, e)
	}
	p.wake()
	return e, others
}

func (p *Pool[C]) wake() {
	close(p.changed)
	p.changed = make(chan struct{})
}

// Return gives a connection back; one that broke is ended at once and lent no more.
func (l *Lease[C]) Return(broken bool) { l.pool.returned(l.of, broken) }

func (p *Pool[C]) returned(e *entry[C], broken bool) {
	p.mu.Lock()
	e.users--
	e.used = time.Now()
	at := slices.Index(p.open, e)
	ends := at >= 0 && (broken || p.closed && e.users == 0)
	if ends {
		p.open = slices.Delete(p.open, at, at+1)
	}
	p.wake()
	p.mu.Unlock()
	switch { // without the lock: a host may take its time
	case !ends:
	case broken:
		p.opt.Cut(e.conn)
	default:
		go p.opt.Leave(e.conn)
	}
}

// Hold is one more hold on a connection that is lent.
func (p *Pool[C]) Hold(c C) *Lease[C] {
	p.mu.Lock()
	defer p.mu.Unlock()
	at := slices.IndexFunc(p.open, func(e *entry[C]) bool { return e.conn == c })
	if at < 0 { // it has broken meanwhile; whoever holds it will see
		return &Lease[C]{c, p, &entry[C]{conn: c, users: 1}}
	}
	p.open[at].users++
	return &Lease[C]{c, p, p.open[at]}
}

// Open is how many connections are open, Most how many the host allows as far as is known.
func (p *Pool[C]) Open() (open, most int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.open), p.most
}

// Close lends no more. Connections that nobody uses end in good order, without being
// waited for; the others do once they are returned.
func (p *Pool[C]) Close() {
	for _, c := range p.closing(func(e *entry[C]) bool { return e.users == 0 }) {
		go p.opt.Leave(c)
	}
}

// Cut lends no more and ends every connection at once, also those that are used.
func (p *Pool[C]) Cut() {
	for _, c := range p.closing(func(*entry[C]) bool { return true }) {
		p.opt.Cut(c)
	}
}

func (p *Pool[C]) closing(which func(*entry[C]) bool) (over []C) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.closed = true
	p.open = slices.DeleteFunc(p.open, func(e *entry[C]) bool {
		ends := which(e)
		if ends {
			over = append(over, e.conn)
		}
		return ends
	})
	p.wake()
	return over
}
