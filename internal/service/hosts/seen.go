package hosts

import (
	"context"
	"strings"
	"sync"
	"time"

	"restlesscrate/internal/control"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// noteEvery is how long what is found the same again is not written down again: what waits for
// a server asks many times a second.
const noteEvery = 30 * time.Second

// seen writes down what is found out about servers beside their files.
type seen struct {
	records SeenRecords
	now     func() time.Time
	mu      sync.Mutex
	last    map[int64]*noted // by server: what was written down
}

// SeenRecords is where that is written.
type SeenRecords interface {
	SaveReach(ctx context.Context, server int64, trouble *finding.Finding) error
	SaveCondition(ctx context.Context, server int64, condition, words string) error
	SaveMeant(ctx context.Context, server int64, meant string) error
}

// noted is what was last written down of a server.
type noted struct{ reach, condition told }

// told is something that was found, and when it was written down.
type told struct {
	words string
	at    time.Time
}

// host writes down that a server's host was tried: err says why it was not reached. Who gave up
// has found out nothing.
func (s *seen) host(ctx context.Context, srv model.Server, err error) error {
	if ctx.Err() != nil {
		return nil
	}
	said := ""
	var trouble *finding.Finding
	if err != nil {
		f := fault.As(err)
		said = f.Error()
		trouble = &finding.Finding{Level: finding.Block, Code: f.Code, What: said, Mend: f.Mend, Remedies: f.Remedies}
	}
	return s.once(srv.ID, func(n *noted) *told { return &n.reach }, said, func() error {
		return s.records.SaveReach(context.WithoutCancel(ctx), srv.ID, trouble)
	})
}

// game writes down how the game of a server was found.
func (s *seen) game(ctx context.Context, srv model.Server, c power.Condition, found []control.Found) error {
	if ctx.Err() != nil {
		return nil
	}
	return s.once(srv.ID, func(n *noted) *told { return &n.condition }, string(c), func() error {
		return s.records.SaveCondition(context.WithoutCancel(ctx), srv.ID, string(c), foundBy(found))
	})
}

// meant writes down what a server was told to be, so that one that stands otherwise is known for that.
func (s *seen) meant(ctx context.Context, srv model.Server, act power.Act) error {
	meant := map[power.Act]power.Condition{power.Stop: power.Stopped, power.Start: power.Running, power.Restart: power.Running}[act]
	if meant == "" {
		return nil
	}
	return s.records.SaveMeant(context.WithoutCancel(ctx), srv.ID, string(meant))
}

// once writes what was said where it is another thing than before, or that is a while ago.
func (s *seen) once(server int64, of func(*noted) *told, said string, write func() error) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	n := s.last[server]
	if n == nil {
		if s.last == nil {
			s.last = map[int64]*noted{}
		}
		n = &noted{}
		s.last[server] = n
	}
	was, now := of(n), s.now()
	if was.words == said && !was.at.IsZero() && now.Sub(was.at) < noteEvery {
		return nil
	}
	if err := write(); err != nil {
		return err
	}
	*was = told{said, now}
	return nil
}

// noted is where this service writes down what it finds out.
func (s *Service) noted() *seen {
	s.noting.Do(func() { s.notes = &seen{records: s.Records, now: s.Now} })
	return s.notes
}

// foundBy is how the condition of a game was told, probe by probe.
func foundBy(found []control.Found) string {
	words := make([]string, len(found))
	for i, f := range found {
		words[i] = f.By + ": " + f.Words
	}
	return strings.Join(words, "; ")
}
