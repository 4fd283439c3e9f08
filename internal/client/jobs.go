package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"restlesscrate/internal/api"
)

// LeftError is returned by a call that stopped waiting for work that goes on at the
// service.
type LeftError struct {
	Job api.Job
	Err error // why it stopped, or why the work was not stopped too
}

func (e *LeftError) Error() string {
	return fmt.Sprintf("stopped watching; %s goes on at the service: %v", e.Job.ID, e.Err)
}

// Unwrap gives the error that it holds.
func (e *LeftError) Unwrap() error { return e.Err }

// EndedJobs lists the newest jobs that have ended and in which some words stand, those that failed
// only where that is asked for: a page of them.
func (c *line) EndedJobs(ctx context.Context, words string, failed bool) ([]api.Job, error) {
	q := url.Values{"find": {words}}
	if failed {
		q.Set("failed", "true")
	}
	p, err := call[api.Page[api.Job]](ctx, c, http.MethodGet, "/ended-jobs?"+q.Encode(), nil)
	return p.Items, err
}

// Jobs lists what the service is doing now, the newest first.
func (c *line) Jobs(ctx context.Context) ([]api.Job, error) {
	return all[api.Job](ctx, c, "/jobs", url.Values{})
}

// CancelJob ends a job that changes nothing, and gives it as it then is.
func (c *line) CancelJob(ctx context.Context, id string) (api.Job, error) {
	return call[api.Job](ctx, c, http.MethodPost, "/jobs/"+esc(id)+"/cancel", struct{}{})
}

// result follows a job to its end and reads its result. Who stops waiting gets a
// LeftError.
func result[Out any](ctx context.Context, c *line, j api.Job, each Each) (out Out, err error) {
	ended, err := c.Follow(ctx, j.ID, each)
	if err != nil {
		if ctx.Err() != nil {
			return out, &LeftError{j, err}
		}
		return out, err
	}
	return read[Out](ended)
}

// cancelled is result for a job that is of use only to whoever waits for it: when the
// context ends, so does the job.
func cancelled[Out any](ctx context.Context, c *line, j api.Job, each Each) (out Out, err error) {
	ended, err := c.Follow(ctx, j.ID, each)
	if err != nil && ctx.Err() != nil {
		brief, stop := context.WithTimeout(context.WithoutCancel(ctx), cancelling)
		defer stop()
		var p *api.Problem
		if ended, err = c.CancelJob(brief, j.ID); errors.As(err, &p) && p.Code == "job-ended" {
			ended, err = call[api.Job](brief, c, http.MethodGet, "/jobs/"+esc(j.ID), nil) // it was faster
		}
		if err != nil {
			return out, &LeftError{j, fmt.Errorf("it could not be cancelled: %w", err)}
		}
		if ended.State == "running" {
			return out, &LeftError{j, errors.New("it is told to end, and has not ended yet")}
		}
	}
	if err != nil {
		return out, err
	}
	return read[Out](ended)
}

// cancelling is the time that a cancelled job gets to end.
const cancelling = 5 * time.Second

func read[Out any](j api.Job) (out Out, err error) {
	if j.Problem != nil {
		return out, j.Problem
	}
	if err := json.Unmarshal(j.Result, &out); err != nil {
		return out, fmt.Errorf("read the job's result: %w", err)
	}
	return out, nil
}

// retries is the number of times that Follow resumes a broken stream before it gives up.
const retries = 5

// Follow calls each for every event of a job until it has ended. A stream that
// breaks is picked up where it broke.
func (c *line) Follow(ctx context.Context, id string, each Each) (api.Job, error) {
	var last int64
	for try := 0; ; try++ {
		before := last
		j, err := c.follow(ctx, id, &last, each)
		if err == nil {
			return j, nil
		}
		var p *api.Problem
		if errors.As(err, &p) || ctx.Err() != nil || try >= retries {
			return j, err
		}
		if last > before {
			try = 0
		}
		select {
		case <-time.After(time.Duration(try+1) * 200 * time.Millisecond):
		case <-ctx.Done():
			return j, ctx.Err()
		}
	}
}

// maxEvent is the longest line of a stream, in bytes: the last event carries
// the job with its result.
const maxEvent = 64 << 20

func (c *line) follow(ctx context.Context, id string, last *int64, each Each) (j api.Job, err error) {
	res, err := c.send(ctx, http.MethodGet, "/jobs/"+esc(id)+"/events", "", nil, 0, map[string]string{"Last-Event-ID": strconv.FormatInt(*last, 10)})
	if err != nil {
		return j, err
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	lines.Buffer(nil, maxEvent)
	kind := ""
	for lines.Scan() {
		field, value, _ := strings.Cut(lines.Text(), ": ")
		switch {
		case field == "event":
			kind = value
		case field == "data" && kind == "end":
			return j, json.Unmarshal([]byte(value), &j)
		case field == "data":
			var e api.JobEvent
			if err := json.Unmarshal([]byte(value), &e); err != nil {
				return j, fmt.Errorf("read an event: %w", err)
			}
			*last = e.Number
			if each != nil {
				each(e)
			}
		}
	}
	if err := lines.Err(); err != nil {
		return j, err
	}
	return j, io.ErrUnexpectedEOF
}
