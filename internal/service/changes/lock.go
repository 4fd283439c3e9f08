package changes

import (
	"context"
	"errors"
	"sync"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/drafts"
	"restlesscrate/internal/service/requests"
)

// lock takes the host's lock for a deployment that has something to do there.
// It gives a clock that tells the host's time, never later than it is: by what
// the host itself said and what has passed since, so that no clock that is set
// in between makes it wrong. A host at whose root nothing can be made has none.
func (s readier) lock(ctx context.Context, srv model.Server, run *deploy.Run, d model.Deployment) (clock func() int64, err error) {
	if d.Motions == 0 || requests.HostOf(srv).NoWork {
		return func() int64 { return 0 }, nil
	}
	me := s.self
	me.Person, me.Deployment, me.Since = d.Runner, d.Name(), s.now().UnixMilli()
	at, err := deploy.Lock(ctx, run.Host, me, d.State != model.Draft || s.cut.has(srv.ID))
	signed := s.now()
	var locked *deploy.LockedError
	if errors.As(err, &locked) {
		return nil, fault.New(fault.Conflict, "host-locked", "%s cannot run now: %v", d.Name(), locked).
			WithMend("Nothing was done. If that service is lost for good, take its lock away.").By(finding.UnlockServer.On(d.Server))
	}
	run.Held = err == nil
	if err != nil || !drafts.Plausible(at-signed.UnixMilli()) {
		return func() int64 { return 0 }, err
	}
	run.Clock = func() int64 { return at + s.now().Sub(signed).Milliseconds() }
	return run.Clock, nil
}

// cutOffs are the servers whose lock an earlier service may have been killed over: something
// was found in their queue at start.
type cutOffs struct {
	mu      sync.Mutex
	servers map[int64]bool
}

func (c *cutOffs) add(server int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.servers == nil {
		c.servers = map[int64]bool{}
	}
	c.servers[server] = true
}

func (c *cutOffs) has(server int64) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.servers[server]
}
