package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/model"
	"restlesscrate/internal/testbed/recordstest"
)

// engine runs jobs over real records.
func engine(t *testing.T) (*Engine, context.CancelFunc) {
	t.Helper()
	db, err := recordstest.Open(t.Context(), filepath.Join(t.TempDir(), "records.db"), time.Now)
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	e := New(ctx, db, slog.New(slog.DiscardHandler), time.Now, func(err error) any { return map[string]string{"detail": err.Error()} })
	t.Cleanup(func() {
		stop()
		e.Wait()
		require.NoError(t, db.Close())
	})
	return e, stop
}

// followed gives a job's events after a number, once it has ended.
func followed(t *testing.T, e *Engine, id string, after int64) (model.Job, []model.JobEvent) {
	t.Helper()
	var events []model.JobEvent
	j, err := e.Follow(t.Context(), id, after, func(ev model.JobEvent) error { events = append(events, ev); return nil })
	require.NoError(t, err)
	return j, events
}

func numbers(events []model.JobEvent) (out []int64) {
	for _, e := range events {
		out = append(out, e.Number)
	}
	return out
}

func TestAJobTellsWhatItDoesAndEnds(t *testing.T) {
	e, _ := engine(t)
	j, err := e.Start(t.Context(), What{Kind: "stage", Subject: "x.zip", Actor: "owner"}, func(_ context.Context, tell progress.Tell) (any, error) {
		tell.Look("one")
		tell.Look("two")
		return "result", nil
	})
	require.NoError(t, err)
	ended, events := followed(t, e, j.ID, 0)
	require.Equal(t, []int64{1, 2}, numbers(events))
	require.Equal(t, progress.Event{Kind: progress.Look, Text: "two"}, events[1].Data)
	require.Equal(t, "done", ended.State)
	require.JSONEq(t, `"result"`, string(ended.Result))
	require.Equal(t, "owner", ended.Actor)

	_, again := followed(t, e, j.ID, 1)
	require.Equal(t, []int64{2}, numbers(again), "a listener that comes back gets what it missed")
}

func TestAListenerHearsEventsWhileTheJobGoesOn(t *testing.T) {
	e, _ := engine(t)
	release := make(chan struct{})
	j, err := e.Start(t.Context(), What{Kind: "run", Subject: "s#1", Actor: "owner"}, func(_ context.Context, tell progress.Tell) (any, error) {
		tell(progress.Event{Kind: progress.Phase, Phase: draft.Prepare})
		<-release
		tell(progress.Event{Kind: progress.Phase, Phase: draft.Swap})
		return nil, nil
	})
	require.NoError(t, err)
	heard := 0
	ended, err := e.Follow(t.Context(), j.ID, 0, func(model.JobEvent) error {
		if heard++; heard == 1 {
			close(release) // the second event can only come after the first was heard
		}
		return nil
	})
	require.NoError(t, err)
	require.Equal(t, 2, heard)
	require.Equal(t, "done", ended.State)
}

func TestAFailureAndAPanicAreTheJobsOwn(t *testing.T) {
	e, _ := engine(t)
	for want, work := range map[string]Work{
		"no room":                      func(context.Context, progress.Tell) (any, error) { return nil, errors.New("no room") },
		"an unexpected failure: oh no": func(context.Context, progress.Tell) (any, error) { panic("oh no") },
	} {
		j, err := e.Start(t.Context(), What{Kind: "x", Subject: "", Actor: "owner"}, work)
		require.NoError(t, err)
		ended, _ := followed(t, e, j.ID, 0)
		require.Equal(t, "failed", ended.State)
		var problem struct{ Detail string }
		require.NoError(t, json.Unmarshal(ended.Problem, &problem))
		require.Equal(t, want, problem.Detail)
	}
}

func TestAListenerThatGoesAwayStopsNothing(t *testing.T) {
	e, _ := engine(t)
	release := make(chan struct{})
	j, err := e.Start(t.Context(), What{Kind: "x", Subject: "", Actor: "owner"}, func(context.Context, progress.Tell) (any, error) { <-release; return 1, nil })
	require.NoError(t, err)
	ctx, leave := context.WithCancel(t.Context())
	leave()
	_, err = e.Follow(ctx, j.ID, 0, func(model.JobEvent) error { return nil })
	require.ErrorIs(t, err, context.Canceled)
	close(release)
	ended, _ := followed(t, e, j.ID, 0)
	require.Equal(t, "done", ended.State)
	_, err = e.Find(t.Context(), "job-nobody")
	require.ErrorIs(t, err, model.ErrNotFound)
}

func TestNoJobStartsWhileTheServiceStops(t *testing.T) {
	e, stop := engine(t)
	stop()
	_, err := e.Start(t.Context(), What{Kind: "x", Subject: "", Actor: "owner"}, func(context.Context, progress.Tell) (any, error) { return nil, nil })
	require.EqualError(t, err, "the service is stopping")
}

// A listener that has found a job's feed just before the job ended, and looks into it
// just after, is told the end all the same.
func TestAListenerThatComesWhileAJobEndsIsTold(t *testing.T) {
	e, _ := engine(t)
	j := model.Job{ID: "job-1", Kind: "run", State: "running", CreatedAt: time.Now()}
	require.NoError(t, e.store.AddJob(t.Context(), j))
	f := &feed{grew: make(chan struct{})}
	e.live[j.ID] = f
	e.end(j, f, "done", "result", nil)
	e.live[j.ID] = f // as it was when the listener looked
	ctx, stop := context.WithTimeout(t.Context(), 5*time.Second)
	defer stop()
	ended, err := e.Follow(ctx, j.ID, 0, func(model.JobEvent) error { return nil })
	require.NoError(t, err)
	require.Equal(t, "done", ended.State)
}

func TestAJobIsCancelledWhereItCanBe(t *testing.T) {
	e, _ := engine(t)
	begun := make(chan struct{}, 1)
	hung := func(ctx context.Context, _ progress.Tell) (any, error) {
		begun <- struct{}{}
		<-ctx.Done()
		return nil, ctx.Err()
	}
	j, err := e.Start(t.Context(), What{Kind: "draft", Subject: "s", Actor: "owner", Cancellable: true}, hung)
	require.NoError(t, err)
	<-begun
	require.True(t, e.Cancellable(j.ID))
	require.NoError(t, e.Cancel(t.Context(), j.ID, errors.New("ann did")))
	ended, err := e.Find(t.Context(), j.ID)
	require.NoError(t, err)
	require.Equal(t, "cancelled", ended.State)
	require.JSONEq(t, `{"detail":"ann did"}`, string(ended.Problem))
	require.False(t, e.Cancellable(j.ID))
	require.ErrorIs(t, e.Cancel(t.Context(), j.ID, errors.New("again")), ErrEnded)

	release := make(chan struct{})
	held, err := e.Start(t.Context(), What{Kind: "run", Subject: "s#1", Actor: "owner"}, func(ctx context.Context, _ progress.Tell) (any, error) {
		<-release
		return "whole", ctx.Err()
	})
	require.NoError(t, err)
	require.ErrorIs(t, e.Cancel(t.Context(), held.ID, errors.New("no")), ErrHeld)
	close(release)
	ended, _ = followed(t, e, held.ID, 0)
	require.Equal(t, "done", ended.State)
}

// Work that is over before it notices has a result, and the job says so.
func TestWorkThatIsDoneAllTheSameStaysDone(t *testing.T) {
	e, _ := engine(t)
	j, err := e.Start(t.Context(), What{Kind: "draft", Cancellable: true}, func(ctx context.Context, _ progress.Tell) (any, error) {
		<-ctx.Done()
		return "recorded", nil
	})
	require.NoError(t, err)
	require.NoError(t, e.Cancel(t.Context(), j.ID, errors.New("late")))
	ended, err := e.Find(t.Context(), j.ID)
	require.NoError(t, err)
	require.Equal(t, "done", ended.State)
	require.JSONEq(t, `"recorded"`, string(ended.Result))
}
