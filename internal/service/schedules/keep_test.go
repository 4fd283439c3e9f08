package schedules

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/testbed"
)

// hands is a clock that a test moves. Who waits is told when its time has come.
type hands struct {
	mu    sync.Mutex
	now   time.Time
	waits map[chan struct{}]time.Time
}

func (h *hands) Now() time.Time { h.mu.Lock(); defer h.mu.Unlock(); return h.now }

func (h *hands) Until(ctx context.Context, t time.Time) error {
	h.mu.Lock()
	if !h.now.Before(t) {
		h.mu.Unlock()
		return ctx.Err()
	}
	c := make(chan struct{})
	h.waits[c] = t
	h.mu.Unlock()
	select {
	case <-c:
		return ctx.Err()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// to moves the clock by small steps, so that nobody sleeps over what comes between.
func (h *hands) to(t *testing.T, at time.Time, still func() bool) {
	t.Helper()
	for h.Now().Before(at) {
		testbed.Eventually(t, "everybody waits for the clock", still)
		h.mu.Lock()
		h.now = h.now.Add(min(time.Second*10, at.Sub(h.now)))
		for c, due := range h.waits {
			if !h.now.Before(due) {
				delete(h.waits, c)
				close(c)
			}
		}
		h.mu.Unlock()
	}
	testbed.Eventually(t, "everybody waits for the clock", still)
}

func (h *hands) waiting() int { h.mu.Lock(); defer h.mu.Unlock(); return len(h.waits) }

// deeds is the work, as somebody would see it.
type deeds struct {
	mu   sync.Mutex
	did  []string
	on   []int // players, one answer after the other; the last stays
	fail error
	at   func() time.Time
}

func (d *deeds) note(what string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.did = append(d.did, d.at().UTC().Format("15:04:05 ")+what)
}

func (d *deeds) all() []string { d.mu.Lock(); defer d.mu.Unlock(); return append([]string{}, d.did...) }

func (d *deeds) Do(_ context.Context, c model.Schedule, _ string, _ progress.Tell) (Done, error) {
	d.note(c.Does)
	return Done{Words: "did it", Deployment: c.Server + "#1"}, d.fail
}
func (d *deeds) Say(_ context.Context, _, line string) error { d.note(line); return nil }
func (d *deeds) Players(context.Context, string) (int, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.on) == 0 {
		return 0, errors.New("nobody knows")
	}
	n := d.on[0]
	if len(d.on) > 1 {
		d.on = d.on[1:]
	}
	return n, nil
}

// bench is a service over records that outlast it.
type bench struct {
	*Service
	t     *testing.T
	db    *records.DB
	clock *hands
	work  *deeds
	told  chan model.ScheduleRun
	stop  func()
}

func newBench(t *testing.T, file string, now time.Time) *bench {
	db, err := records.Open(t.Context(), file, records.Clock(func() time.Time { return now }))
	require.NoError(t, err)
	b := &bench{t: t, db: db, clock: &hands{now: now, waits: map[chan struct{}]time.Time{}}, told: make(chan model.ScheduleRun, 100)}
	b.work = &deeds{at: b.clock.Now}
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	ctx, cancel := context.WithCancel(t.Context())
	eng := jobs.New(ctx, db, log, time.Now, func(err error) any { return err.Error() })
	b.Service = &Service{Records: db, Work: b.work, Jobs: eng, Clock: b.clock, Find: db.Server, Log: log,
		Tell: func(_ context.Context, _ model.Schedule, r model.ScheduleRun) { b.told <- r }}
	ended := make(chan struct{})
	b.stop = sync.OnceFunc(func() {
		cancel()
		<-ended
		eng.Wait()
		require.NoError(t, db.Close())
	})
	t.Cleanup(b.stop)
	if _, err := db.Server(ctx, "saltpan"); err != nil {
		_, err := db.AddServer(ctx, model.Server{Name: "saltpan", Rulebook: "tidewright"})
		require.NoError(t, err)
	}
	go func() { defer close(ended); b.Keep(ctx) }()
	return b
}

func (b *bench) add(c model.Schedule, once time.Time) model.Schedule {
	c.Name, c.Server = "nightly", "saltpan"
	if c.Zone == "" {
		c.Zone = "UTC"
	}
	c, err := b.Add(b.t.Context(), c, requests.Ask{}, once)
	require.NoError(b.t, err)
	return c
}

func (b *bench) runs() []model.ScheduleRun {
	_, runs, err := b.Runs(b.t.Context(), "nightly")
	require.NoError(b.t, err)
	return runs
}

func (b *bench) to(at time.Time) {
	b.clock.to(b.t, at, func() bool {
		b.mu.Lock()
		defer b.mu.Unlock()
		return b.clock.waiting() >= 1+len(b.busy)
	})
}

var noon = time.Date(2026, 11, 29, 12, 0, 0, 0, time.UTC)

func TestAScheduleWarnsAndDoesItsWorkAtItsTime(t *testing.T) {
	b := newBench(t, filepath.Join(t.TempDir(), "r.db"), noon)
	b.add(model.Schedule{Does: model.DoRestart, Cron: "30 12 * * *", Warnings: []model.Warning{{Before: time.Minute, Line: "one"}, {Before: 10 * time.Minute, Line: "ten"}}}, time.Time{})
	b.to(noon.Add(45 * time.Minute))
	require.Equal(t, []string{"12:20:00 ten", "12:29:00 one", "12:30:00 restart"}, b.work.all())
	r := <-b.told
	require.Equal(t, model.RunDone, r.State)
	require.Equal(t, "saltpan#1", r.Deployment)
	c, err := b.one(t.Context(), "nightly")
	require.NoError(t, err)
	require.Equal(t, noon.Add(24*time.Hour+30*time.Minute), c.Next)
	require.Len(t, b.runs(), 1)
}

func TestOnceIsOnceAndAFailureIsTold(t *testing.T) {
	b := newBench(t, filepath.Join(t.TempDir(), "r.db"), noon)
	b.work.fail = errors.New("the pier burned down")
	b.add(model.Schedule{Does: model.DoSurvey}, noon.Add(5*time.Minute))
	b.to(noon.Add(3 * time.Hour))
	require.Equal(t, []string{"12:05:00 survey"}, b.work.all())
	r := <-b.told
	require.True(t, r.Bad())
	require.Equal(t, "the pier burned down", r.Words)
	c, err := b.one(t.Context(), "nightly")
	require.NoError(t, err)
	require.True(t, c.Next.IsZero())
}

func TestAScheduleWaitsUntilNobodyIsOn(t *testing.T) {
	for what, want := range map[string]struct {
		on    []int
		state string
	}{"they leave": {[]int{3, 1, 0}, model.RunDone}, "they stay": {[]int{2}, model.RunOccupied}, "nobody can tell": {nil, model.RunFailed}} {
		t.Run(what, func(t *testing.T) {
			b := newBench(t, filepath.Join(t.TempDir(), "r.db"), noon)
			b.work.on = want.on
			b.add(model.Schedule{Does: model.DoRestart, Cron: "5 12 * * *", Empty: true, Window: 10 * time.Minute}, time.Time{})
			b.to(noon.Add(30 * time.Minute))
			r := <-b.told
			require.Equal(t, want.state, r.State, r.Words)
			require.Equal(t, want.state == model.RunDone, len(b.work.all()) == 1)
			require.Len(t, b.runs(), 1)
		})
	}
}

// A service that was down over windows tells so, once, and makes up for none of them. Within the
// window it is late, and does its work.
func TestWhatWasMissedIsToldAndNotMadeUpFor(t *testing.T) {
	file := filepath.Join(t.TempDir(), "r.db")
	b := newBench(t, file, noon)
	b.add(model.Schedule{Does: model.DoRestart, Cron: "0 * * * *", Window: 20 * time.Minute}, time.Time{})
	b.stop()
	b = newBench(t, file, noon.Add(3*time.Hour+30*time.Minute))
	r := <-b.told
	require.Equal(t, model.RunMissed, r.State)
	require.Equal(t, noon.Add(3*time.Hour), r.Due)
	require.Contains(t, r.Words, "3 times, this one the last")
	b.to(noon.Add(3*time.Hour + 50*time.Minute))
	require.Empty(t, b.work.all())
	b.stop()
	b = newBench(t, file, noon.Add(4*time.Hour+10*time.Minute))
	r = <-b.told
	require.Equal(t, model.RunDone, r.State, "ten minutes late, and within the window")
	require.Equal(t, []string{"16:10:00 restart"}, b.work.all())
	require.Len(t, b.runs(), 2)
}

func TestWhatTheServiceStoppedInIsToldAsBrokenOff(t *testing.T) {
	file := filepath.Join(t.TempDir(), "r.db")
	b := newBench(t, file, noon)
	b.work.on = []int{1}
	b.add(model.Schedule{Does: model.DoRestart, Cron: "1 12 * * *", Empty: true}, time.Time{})
	b.to(noon.Add(5 * time.Minute))
	require.Equal(t, model.RunRunning, b.runs()[0].State)
	b.stop()
	b = newBench(t, file, noon.Add(6*time.Minute))
	r := <-b.told
	require.Equal(t, model.RunBroken, r.State)
	require.Empty(t, b.work.all(), "it is not begun a second time")
}

func TestWhatMakesNoScheduleIsRefused(t *testing.T) {
	b := newBench(t, filepath.Join(t.TempDir(), "r.db"), noon)
	good := model.Schedule{Name: "x", Server: "saltpan", Does: model.DoRestart, Cron: "0 4 * * *", Zone: "UTC"}
	for why, change := range map[string]func(*model.Schedule){
		"no cron expression": func(c *model.Schedule) { c.Cron = "TZ=0 4 * * *" }, "is no cron": func(c *model.Schedule) { c.Cron = "61 4 * * *" }, "never due": func(c *model.Schedule) { c.Cron = "0 0 30 2 *" },
		"no time zone": func(c *model.Schedule) { c.Zone = "Here/There" }, "give one of": func(c *model.Schedule) { c.Cron = "" }, "name what is to be deployed": func(c *model.Schedule) { c.Does = model.DoDeploy },
		"a window is": func(c *model.Schedule) { c.Window = time.Second }, "no name for": func(c *model.Schedule) { c.Name = "A B" }, "a warning is": func(c *model.Schedule) { c.Warnings = []model.Warning{{Line: "x"}} },
	} {
		c := good
		change(&c)
		_, err := b.Add(t.Context(), c, requests.Ask{}, time.Time{})
		require.ErrorContains(t, err, why)
	}
	_, err := b.Add(t.Context(), model.Schedule{Name: "x", Server: "saltpan", Does: model.DoRestart, Zone: "UTC"}, requests.Ask{}, noon.Add(-time.Hour))
	require.ErrorContains(t, err, "has passed")
	_, err = b.Add(t.Context(), good, requests.Ask{}, time.Time{})
	require.NoError(t, err)
	_, err = b.Add(t.Context(), good, requests.Ask{}, time.Time{})
	require.ErrorContains(t, err, "is there already")
}

// Whatever is written as a cron expression, reading it ends with a time after now, or an error.
func TestAnyCronExpressionIsReadOrRefused(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		expr := rapid.OneOf(rapid.String(), rapid.StringMatching(`[0-9*/,-]{1,6}( [0-9*/,-]{1,6}){4}`)).Draw(t, "expr")
		zone := rapid.SampledFrom([]string{"UTC", "Europe/Lisbon", "America/St_Johns", "Nowhere"}).Draw(t, "zone")
		next, err := Next(expr, zone, noon)
		if err == nil && !next.After(noon) {
			t.Fatalf("%q is due at %s", expr, next)
		}
	})
}

// On the day on which clocks are put forward from one to two, half past one is not there; on the
// one on which they are put back it comes twice, and is due once.
func TestClocksThatArePutForwardAndBack(t *testing.T) {
	next, err := Next("30 1 * * *", "Europe/Lisbon", time.Date(2027, 3, 27, 12, 0, 0, 0, time.UTC))
	require.NoError(t, err)
	require.Equal(t, time.Date(2027, 3, 29, 0, 30, 0, 0, time.UTC), next)
	at := time.Date(2026, 10, 24, 12, 0, 0, 0, time.UTC)
	var due []time.Time
	for range 3 {
		at, err = Next("30 1 * * *", "Europe/Lisbon", at)
		require.NoError(t, err)
		due = append(due, at)
	}
	require.Equal(t, 26, due[1].Day(), "%v", due)
	require.Equal(t, 27, due[2].Day(), "%v", due)
}
