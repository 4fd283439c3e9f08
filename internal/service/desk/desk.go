// Package desk answers what needs a person, over all servers: it puts together what the records
// tell and has the core decide. It connects to nothing and changes nothing.
package desk

import (
	"context"
	"errors"
	"slices"
	"time"

	core "restlesscrate/internal/core/desk"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/insight"
)

// Records is what this service reads beside what servers hold.
type Records interface {
	Servers(ctx context.Context) ([]model.Server, error)
	Seen(ctx context.Context, server int64) (model.Seen, error)
	LastSurvey(ctx context.Context, server int64) (model.Survey, error)
	Narrowing(ctx context.Context, server int64) (model.Narrowing, error)
	Schedules(ctx context.Context) ([]model.Schedule, error)
	ScheduleRuns(ctx context.Context, schedule int64, limit int) ([]model.ScheduleRun, error)
	Feeds(ctx context.Context) ([]model.Feed, error)
}

// Service answers.
type Service struct {
	Records Records
	// Statuses tell what is on servers, in their order.
	Statuses func(ctx context.Context, servers []string) ([]insight.Status, error)
	// Released names what feeds announce for a server that is newer than all that is staged.
	Released func(ctx context.Context, st insight.Status) ([]string, error)
	// Untaken are the downloads of which no crate came.
	Untaken func(ctx context.Context) ([]core.Download, error)
	// Join is where players join a server; empty where that is not known.
	Join func(srv model.Server) string
}

// Stand is how one server stands, in figures.
type Stand struct {
	Server    model.Server
	Seen      model.Seen
	Addons    int
	Loaded    int // of them, heard of at the last start or seen by a person
	Asked     int // of them, those of which that can be said
	Failed    int
	Files     int
	RolledAt  time.Time
	Survey    *model.Survey // without what differs
	LookedAt  time.Time
	LookedBy  string
	Last      *model.Deployment
	Open      *model.Deployment
	Join      string
	Different int // files that were found changed, missing or unknown
}

// Desk is what needs a person, and how the servers stand.
type Desk struct {
	Needs  []core.Need
	Stands []Stand
}

// Look tells what needs a person now.
func (s *Service) Look(ctx context.Context) (d Desk, err error) {
	all, err := s.Records.Servers(ctx)
	if err != nil {
		return d, err
	}
	names := make([]string, len(all))
	for i, srv := range all {
		names[i] = srv.Name
	}
	list, err := s.Statuses(ctx, names)
	if err != nil {
		return d, err
	}
	var servers []core.Server
	for _, st := range list {
		on, stand, err := s.one(ctx, st)
		if err != nil {
			return d, err
		}
		servers, d.Stands = append(servers, on), append(d.Stands, stand)
	}
	beside, err := s.beside(ctx, all)
	if err != nil {
		return d, err
	}
	d.Needs = core.Needs(servers, beside)
	return d, nil
}

// one tells how one server stands.
func (s *Service) one(ctx context.Context, st insight.Status) (on core.Server, stand Stand, err error) {
	srv := st.Server
	stand = Stand{Server: srv, Addons: len(st.Addons), Files: st.Files, Survey: st.Survey, LookedAt: st.LookedAt, LookedBy: st.LookedBy, Last: st.Last, Open: st.Open}
	if s.Join != nil {
		stand.Join = s.Join(srv)
	}
	if stand.Seen, err = s.Records.Seen(ctx, srv.ID); err != nil {
		return on, stand, err
	}
	seen := stand.Seen
	on = core.Server{Name: srv.Name, Reach: seen.Trouble, TriedAt: millis(seen.TriedAt), Company: st.Company, Apart: st.Agree.Found, ApartAt: millis(st.Agree.At),
		Stopped: seen.Condition == "stopped" && seen.Meant == "running", StoppedAt: millis(seen.ConditionAt), StoppedBy: seen.Words}
	switch n, err := s.Records.Narrowing(ctx, srv.ID); {
	case err == nil:
		on.Search = &core.Narrowing{Off: n.Search.Off, By: n.Actor, At: millis(n.At)}
	case !errors.Is(err, model.ErrNotFound):
		return on, stand, err
	}
	if d := st.Open; d != nil {
		open := deployment(*d)
		on.Open = &open
	}
	if i := slices.IndexFunc(st.Drafts, func(d model.Deployment) bool { return d.Number > st.Settled }); i >= 0 && st.Open == nil {
		on.Drafts = append(on.Drafts, deployment(st.Drafts[i])) // the newest: the others were made before it
	}
	on.RolledAt, on.RolledBy, stand.RolledAt = millis(st.RolledAt), st.RolledBy, st.RolledAt
	for _, a := range st.Addons {
		x := core.Addon{Name: a.Name, Version: a.Version, Trouble: a.Trouble, Line: a.TroubleLine, Silent: a.Silent}
		if !a.Hold.Held {
			x.Newer = a.Newer
		}
		if a.Rung == insight.Loaded || a.Rung == insight.Confirmed {
			stand.Loaded++
		}
		if a.Trouble != "" {
			stand.Failed++
		}
		if a.Asked {
			stand.Asked++
		}
		on.Addons = append(on.Addons, x)
	}
	if on.Changed, err = s.changed(ctx, st); err != nil {
		return on, stand, err
	}
	if c := on.Changed; c != nil {
		stand.Different = c.Changed + c.Missing + c.Unknown
	}
	if s.Released != nil {
		on.Released, err = s.Released(ctx, st)
	}
	return on, stand, err
}

// deployment is one that is not over, as far as it waits for a person.
func deployment(d model.Deployment) core.Deployment {
	out := core.Deployment{Name: d.Name(), Title: d.Title, State: string(d.State), Trouble: d.Trouble, Since: millis(d.CreatedAt), Blocks: len(finding.Open(d.Draft.Findings, d.Accepts))}
	if d.Figures.WaitingSince > 0 {
		out.Since = d.Figures.WaitingSince
	} else if !d.StartedAt.IsZero() {
		out.Since = millis(d.StartedAt)
	}
	return out
}

// changed tells what was found changed outside: by the last survey, as long as nothing was
// deployed since; else by a draft since the last deployment.
func (s *Service) changed(ctx context.Context, st insight.Status) (*core.Change, error) {
	settled := st.Last != nil && st.Survey != nil && st.Last.EndedAt.After(st.Survey.At)
	if st.Survey != nil && !settled {
		c := &core.Change{Changed: st.Survey.Counts.Changed, Missing: st.Survey.Counts.Missing, Unknown: st.Survey.Counts.Unknown, By: "a survey", At: millis(st.Survey.At)}
		if c.Changed+c.Missing+c.Unknown == 0 {
			return nil, nil
		}
		whole, err := s.Records.LastSurvey(ctx, st.Server.ID)
		for _, i := range whole.Items {
			c.Paths = append(c.Paths, string(i.Path))
		}
		return c, err
	}
	for _, d := range st.Drafts {
		if d.Number <= st.Settled {
			continue
		}
		c := core.Change{By: d.Name(), At: millis(d.CreatedAt)}
		for _, f := range d.Draft.Findings {
			switch f.Code {
			case "changed-file":
				c.Changed++
			case "missing-file":
				c.Missing++
			default:
				continue
			}
			c.Paths = append(c.Paths, string(f.Path))
		}
		if c.Changed+c.Missing > 0 {
			return &c, nil
		}
	}
	return nil, nil
}

// beside gathers what waits and belongs to no server alone.
func (s *Service) beside(ctx context.Context, servers []model.Server) (b core.Beside, err error) {
	schedules, err := s.Records.Schedules(ctx)
	if err != nil {
		return b, err
	}
	for _, c := range schedules {
		runs, err := s.Records.ScheduleRuns(ctx, c.ID, 1)
		if err != nil {
			return b, err
		}
		if len(runs) > 0 && runs[0].Bad() {
			b.Missed = append(b.Missed, core.Miss{Schedule: c.Name, Server: c.Server, Words: runs[0].Words, At: millis(runs[0].Due)})
		}
	}
	feeds, err := s.Records.Feeds(ctx)
	if err != nil {
		return b, err
	}
	for _, f := range feeds {
		if f.Trouble != "" {
			b.Unread = append(b.Unread, core.Unreadable{Feed: f.Name, Trouble: f.Trouble, Since: millis(f.LookedAt)})
		}
	}
	if s.Untaken != nil {
		b.Untaken, err = s.Untaken(ctx)
	}
	return b, err
}

// millis is a time as the core takes it: 0 for none.
func millis(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMilli()
}
