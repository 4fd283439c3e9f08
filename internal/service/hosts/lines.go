package hosts

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// keepFor is how long an unused connection is kept for the next user:
// a draft is run, and a run is followed by the next draft.
const keepFor = time.Minute

// lines are the connections to hosts that are open, by server.
type lines struct {
	mu   sync.Mutex
	open map[int64]*line
}

// line is one open host, shared by those who use it.
type line struct {
	remote.Host
	key   string // what it was opened for
	users int
	gone  bool // not for the next one: broken, or for what is no longer so
	timer *time.Timer
}

// lineKey changes with everything that a connection depends on but secrets,
// whose change ends it.
func lineKey(srv model.Server) string {
	return fmt.Sprintf("%+v|%s|%t", srv.Transport, srv.HostKey, sentAhead(srv))
}

// sentAhead tells whether the server's host takes what is sent ahead of its answers.
func sentAhead(srv model.Server) bool { return srv.Abilities != nil && srv.Abilities.Ahead }

// lease is a user's hold on a line. Closing it closes nothing that others use.
type lease struct {
	remote.Host
	once sync.Once
	end  func()
}

// Close implements remote.Host.
func (l *lease) Close() error {
	l.once.Do(l.end)
	return nil
}

// Unwrap gives the host itself, for what it can do besides.
func (l *lease) Unwrap() remote.Host { return l.Host }

// borrow gives the open line of a server, if there is one that still answers.
func (l *lines) borrow(ctx context.Context, srv model.Server) (remote.Host, bool) {
	l.mu.Lock()
	have := l.open[srv.ID]
	if have == nil || have.gone || have.key != lineKey(srv) {
		l.mu.Unlock()
		return nil, false
	}
	have.users++
	if have.timer != nil {
		have.timer.Stop()
	}
	l.mu.Unlock()
	h := l.lease(srv.ID, have)
	if _, err := have.Stat(ctx, tree.Root); err != nil {
		if ctx.Err() == nil { // who gave up says nothing about the line
			l.drop(srv.ID)
		}
		_ = h.Close()
		return nil, false
	}
	return h, true
}

// add makes a host that was just opened the line of its server.
func (l *lines) add(srv model.Server, h remote.Host) remote.Host {
	l.drop(srv.ID)
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.open == nil {
		l.open = map[int64]*line{}
	}
	fresh := &line{Host: h, key: lineKey(srv), users: 1}
	l.open[srv.ID] = fresh
	return l.lease(srv.ID, fresh)
}

func (l *lines) lease(id int64, have *line) remote.Host {
	return &lease{Host: have.Host, end: func() {
		l.mu.Lock()
		have.users--
		unused := have.users == 0
		if unused && !have.gone {
			have.timer = time.AfterFunc(keepFor, func() { l.idle(id, have) })
		}
		over := unused && have.gone
		l.mu.Unlock()
		if over { // never under the lock: other servers' lines would wait for this host
			_ = have.Host.Close()
		}
	}}
}

func (l *lines) idle(id int64, have *line) {
	l.mu.Lock()
	over := have.users == 0 && !have.gone
	if over {
		have.gone = true
		if l.open[id] == have {
			delete(l.open, id)
		}
	}
	l.mu.Unlock()
	if over {
		_ = have.Host.Close()
	}
}

// drop ends the line of a server; its current users keep it.
func (l *lines) drop(id int64) {
	l.mu.Lock()
	have := l.open[id]
	if have == nil {
		l.mu.Unlock()
		return
	}
	delete(l.open, id)
	have.gone = true
	over := have.users == 0
	l.mu.Unlock()
	if over {
		_ = have.Host.Close()
	}
}

// Close ends the connections that are not in use.
func (s *Service) Close() error {
	s.lines.mu.Lock()
	var ids []int64
	for id := range s.lines.open {
		ids = append(ids, id)
	}
	s.lines.mu.Unlock()
	for _, id := range ids {
		s.lines.drop(id)
	}
	return nil
}

// Connect opens a server's tree, or goes on with a connection that is open.
// The caller closes it. Errors are faults that say which command helps.
func (s *Service) Connect(ctx context.Context, srv model.Server) (remote.Host, error) {
	if srv.Transport.Kind != "folder" {
		if h, ok := s.lines.borrow(ctx, srv); ok {
			return h, nil
		}
	}
	h, err := s.dialing().dial(ctx, srv)
	if noted := s.noted().host(ctx, srv, err); noted != nil {
		if err == nil {
			_ = h.Close()
		}
		return nil, errors.Join(err, noted)
	}
	if err != nil {
		return nil, err
	}
	if srv.Transport.Kind == "folder" {
		return h, nil
	}
	return s.lines.add(srv, h), nil
}
