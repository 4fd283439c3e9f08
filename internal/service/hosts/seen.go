package hosts

import (
	"context"
	"strings"
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

// noted is what was last written down of a server.
type noted struct {
	reach, condition     string
	reachAt, conditionAt time.Time
}

// sawHost writes down that a server's host was tried: err says why it was not reached. Who gave
// up has found out nothing.
func (s *Service) sawHost(ctx context.Context, srv model.Server, err error) error {
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
	if !s.fresh(srv.ID, func(n *noted) (*string, *time.Time) { return &n.reach, &n.reachAt }, said) {
		return nil
	}
	return s.Records.SaveReach(context.WithoutCancel(ctx), srv.ID, trouble)
}

// sawGame writes down how the game of a server was found.
func (s *Service) sawGame(ctx context.Context, srv model.Server, c power.Condition, found []control.Found) error {
	if ctx.Err() != nil {
		return nil
	}
	if !s.fresh(srv.ID, func(n *noted) (*string, *time.Time) { return &n.condition, &n.conditionAt }, string(c)) {
		return nil
	}
	return s.Records.SaveCondition(context.WithoutCancel(ctx), srv.ID, string(c), foundBy(found))
}

// fresh tells whether what is said is to be written down, and takes it for written.
func (s *Service) fresh(server int64, of func(*noted) (*string, *time.Time), said string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.noted == nil {
		s.noted = map[int64]*noted{}
	}
	n := s.noted[server]
	if n == nil {
		n = &noted{}
		s.noted[server] = n
	}
	was, at := of(n)
	now := s.Now()
	if *was == said && !at.IsZero() && now.Sub(*at) < noteEvery {
		return false
	}
	*was, *at = said, now
	return true
}

// told writes down what a server was told to be, so that one that stands otherwise is known for that.
func (s *Service) told(ctx context.Context, srv model.Server, act power.Act) error {
	meant := map[power.Act]power.Condition{power.Stop: power.Stopped, power.Start: power.Running, power.Restart: power.Running}[act]
	if meant == "" {
		return nil
	}
	return s.Records.SaveMeant(context.WithoutCancel(ctx), srv.ID, string(meant))
}

// foundBy is how the condition of a game was told, probe by probe.
func foundBy(found []control.Found) string {
	words := make([]string, len(found))
	for i, f := range found {
		words[i] = f.By + ": " + f.Words
	}
	return strings.Join(words, "; ")
}
