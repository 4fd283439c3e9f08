package httpapi

import (
	"context"
	"sync"

	"restlesscrate/internal/fault"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
)

// underWay are the stops and starts that are waited for, one for a server. Who asks for the
// same again follows the one that is under way.
type underWay struct {
	mu sync.Mutex
	by map[string]actJob // by server
}

// actJob is an act with the job that waits for it.
type actJob struct{ act, job string }

// on gives what a server is being told; the zero value where it is nothing.
func (u *underWay) on(server string) actJob {
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.by[server]
}

// begin gives the job of an act: the one that is under way, or one that start begins. What it
// begins must call ended. Another act than the one under way is refused.
func (u *underWay) begin(ctx context.Context, engine *jobs.Engine, server, act string, start func() (model.Job, error)) (model.Job, error) {
	u.mu.Lock()
	defer u.mu.Unlock()
	switch now := u.by[server]; {
	case now.act == act:
		return engine.Find(ctx, now.job)
	case now.act != "":
		return model.Job{}, fault.New(fault.Conflict, "act-under-way", "%s is told to %s already, and that is waited for", server, now.act).WithMend("Wait until it is done, or give it up.")
	}
	j, err := start()
	if err != nil {
		return j, err
	}
	if u.by == nil {
		u.by = map[string]actJob{}
	}
	u.by[server] = actJob{act, j.ID}
	return j, nil
}

// ended notes that nobody waits for a server any more.
func (u *underWay) ended(server string) {
	u.mu.Lock()
	defer u.mu.Unlock()
	delete(u.by, server)
}
