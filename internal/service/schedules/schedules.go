// Package schedules does things on servers at their times: deployments, updates, surveys and
// restarts, in a window, perhaps only while nobody is on. What was missed is told, and not made
// up for.
package schedules

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/robfig/cron/v3"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/requests"
)

// Records keeps schedules and what came of them.
type Records interface {
	Schedules(ctx context.Context) ([]model.Schedule, error)
	Schedule(ctx context.Context, name string) (model.Schedule, error)
	AddSchedule(ctx context.Context, c model.Schedule) error
	DropSchedule(ctx context.Context, id int64) error
	BeginRun(ctx context.Context, r model.ScheduleRun, next time.Time) (model.ScheduleRun, error)
	EndRun(ctx context.Context, r model.ScheduleRun) error
	ScheduleRuns(ctx context.Context, id int64, limit int) ([]model.ScheduleRun, error)
	UnendedRuns(ctx context.Context) ([]model.ScheduleRun, error)
}

// Clock tells the time, and waits for one.
type Clock interface {
	Now() time.Time
	// Until ends at a time, or with the context's error.
	Until(ctx context.Context, t time.Time) error
}

// Jobs does work that people can see.
type Jobs interface {
	Start(ctx context.Context, what jobs.What, work jobs.Work) (model.Job, error)
}

// Service is the use cases.
type Service struct {
	Records Records
	Work    Work
	Jobs    Jobs
	Clock   Clock
	Find    func(ctx context.Context, server string) (model.Server, error)
	// Tell tells somebody what came of a schedule.
	Tell func(ctx context.Context, c model.Schedule, r model.ScheduleRun)
	Log  *slog.Logger

	mu   sync.Mutex
	busy map[int64]bool // schedules that wait for their time, or are at it
}

// Windows of schedules.
const (
	UsualWindow = time.Hour
	longest     = 24 * time.Hour
)

// Add makes a schedule. once is when it is due where it has no cron expression.
func (s *Service) Add(ctx context.Context, c model.Schedule, ask requests.Ask, once time.Time) (model.Schedule, error) {
	if !rulebook.IsName(c.Name) {
		return c, fault.New(fault.Usage, "bad-name", "%q is no name for a schedule: lower-case letters, digits and hyphens", c.Name)
	}
	srv, err := s.Find(ctx, c.Server)
	if err != nil {
		return c, err
	}
	c.ServerID = srv.ID
	if err := check(&c, ask); err != nil {
		return c, err
	}
	if c.Next, err = first(c, once, s.Clock.Now()); err != nil {
		return c, err
	}
	if c.Ask, err = json.Marshal(ask); err != nil {
		return c, err
	}
	if err := s.Records.AddSchedule(ctx, c); err != nil {
		var taken *model.ConflictError
		if errors.As(err, &taken) {
			return c, fault.New(fault.Conflict, "name-taken", "%v", taken)
		}
		return c, err
	}
	return s.one(ctx, c.Name)
}

// check checks what a person says of a schedule.
func check(c *model.Schedule, ask requests.Ask) error {
	bad := func(format string, args ...any) error {
		return fault.New(fault.Usage, "bad-schedule", format, args...)
	}
	if c.Window == 0 {
		c.Window = UsualWindow
	}
	switch {
	case !slices.Contains([]string{model.DoDeploy, model.DoUpdate, model.DoSurvey, model.DoRestart}, c.Does):
		return bad("a schedule does deploy, update, survey or restart, not %q", c.Does)
	case c.Does == model.DoDeploy && len(ask.Crates)+len(ask.Remove)+len(ask.Enable)+len(ask.Disable) == 0:
		return bad("name what is to be deployed")
	case c.Does != model.DoDeploy && len(ask.Crates)+len(ask.Remove) > 0:
		return bad("only a schedule that does deploy names crates")
	case c.Window < time.Minute || c.Window > longest:
		return bad("a window is between a minute and a day long, not %s", c.Window)
	}
	for _, w := range c.Warnings {
		if w.Before <= 0 || w.Before > longest || w.Line == "" {
			return bad("a warning is a line for the console, some time of a day at most before")
		}
	}
	return nil
}

// first is when a schedule is due first.
func first(c model.Schedule, once, now time.Time) (time.Time, error) {
	if _, err := time.LoadLocation(c.Zone); err != nil {
		return once, fault.New(fault.Usage, "bad-zone", "%q is no time zone, such as Europe/Lisbon", c.Zone)
	}
	if (c.Cron == "") == once.IsZero() {
		return once, fault.New(fault.Usage, "bad-schedule", "give one of a cron expression and a time for once")
	}
	if c.Cron == "" {
		if !once.After(now) {
			return once, fault.New(fault.Usage, "bad-schedule", "%s has passed", once.Format(time.RFC3339))
		}
		return once, nil
	}
	next, err := Next(c.Cron, c.Zone, now)
	if err != nil {
		return next, fault.New(fault.Usage, "bad-cron", "%v", err)
	}
	return next, nil
}

// spec is what a cron expression is made of: five fields, or a word such as @daily. A zone inside
// of it is not taken: it stands by itself.
var spec = regexp.MustCompile(`^(@[a-z]+|[0-9A-Za-z*/,?-]+( +[0-9A-Za-z*/,?-]+){4})$`)

// Next is when a cron expression is due after a time, in a time zone. Where clocks are put forward,
// a time that is left out that day is not due; where they are put back, one that comes twice is due
// once.
func Next(expr, zone string, after time.Time) (time.Time, error) {
	loc, err := time.LoadLocation(zone)
	if err != nil {
		return time.Time{}, err
	}
	if !spec.MatchString(expr) {
		return time.Time{}, fmt.Errorf("%q is no cron expression: minute, hour, day, month and weekday, such as 0 4 * * *", expr)
	}
	sched, err := cron.ParseStandard(expr)
	if err != nil {
		return time.Time{}, fmt.Errorf("%q is no cron expression: %w", expr, err)
	}
	next := sched.Next(after.In(loc))
	if fields := strings.Fields(expr); len(fields) == 5 && !strings.Contains(fields[1], "*") && sameOnTheWall(next, after.In(loc)) {
		next = sched.Next(next) // what is due every hour is due in both hours, all else once
	}
	if next.IsZero() {
		return next, fmt.Errorf("%q is never due", expr)
	}
	return next.UTC(), nil
}

// sameOnTheWall tells whether a clock on the wall shows the same at two times: it was put back.
func sameOnTheWall(a, b time.Time) bool {
	const wall = "2006-01-02 15:04"
	return a.Format(wall) == b.Format(wall)
}

func (s *Service) one(ctx context.Context, name string) (model.Schedule, error) {
	c, err := s.Records.Schedule(ctx, name)
	if errors.Is(err, model.ErrNotFound) {
		return c, fault.New(fault.Unknown, "schedule-unknown", "there is no schedule named %q", name)
	}
	return c, err
}

// List gives all schedules, by name.
func (s *Service) List(ctx context.Context) ([]model.Schedule, error) {
	return s.Records.Schedules(ctx)
}

// Runs gives a schedule with what came of it, the newest first.
func (s *Service) Runs(ctx context.Context, name string) (model.Schedule, []model.ScheduleRun, error) {
	c, err := s.one(ctx, name)
	if err != nil {
		return c, nil, err
	}
	runs, err := s.Records.ScheduleRuns(ctx, c.ID, 50)
	return c, runs, err
}

// Drop forgets a schedule. What it has begun goes on.
func (s *Service) Drop(ctx context.Context, name string) error {
	c, err := s.one(ctx, name)
	if err != nil {
		return err
	}
	return s.Records.DropSchedule(ctx, c.ID)
}

// after is when a schedule is due after a time; zero where it is over.
func after(c model.Schedule, t time.Time) time.Time {
	if c.Cron == "" {
		return time.Time{}
	}
	next, err := Next(c.Cron, c.Zone, t)
	if err != nil { // it was read when it was made
		return time.Time{}
	}
	return next
}

// Results gives the newest results of all schedules, and the schedules.
func (s *Service) Results(ctx context.Context) ([]model.ScheduleRun, []model.Schedule, error) {
	list, err := s.Records.Schedules(ctx)
	if err != nil {
		return nil, nil, err
	}
	runs, err := s.Records.ScheduleRuns(ctx, 0, 100)
	return runs, list, err
}
