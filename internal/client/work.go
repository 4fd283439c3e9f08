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

// Each is called for every event of a job that is followed.
type Each func(api.JobEvent)

// Staging says how an archive is to be staged; only Filename is needed.
type Staging struct {
	Filename, Rulebook, For, Source, Note string
	SHA256, CodePage, Root                string
	KeepOnly                              bool
}

// Stage sends an archive's bytes and waits until it is laid out. size is -1
// where it is not known.
func (c *Client) Stage(ctx context.Context, st Staging, body io.Reader, size int64, each Each) (out api.Staged, err error) {
	q := url.Values{"filename": {st.Filename}}
	for k, v := range map[string]string{"rulebook": st.Rulebook, "for": st.For, "source": st.Source, "note": st.Note, "sha256": st.SHA256, "codePage": st.CodePage, "root": st.Root} {
		if v != "" {
			q.Set(k, v)
		}
	}
	if st.KeepOnly {
		q.Set("keepOnly", "true")
	}
	res, err := c.send(ctx, http.MethodPost, "/archives?"+q.Encode(), "application/octet-stream", io.NopCloser(body), size, nil) // the body stays the caller's
	if err != nil {
		return out, err
	}
	defer res.Body.Close()
	var j api.Job
	if err := json.NewDecoder(res.Body).Decode(&j); err != nil {
		return out, fmt.Errorf("read the answer: %w", err)
	}
	return result[api.Staged](ctx, c, j, each)
}

// LayOutAgain lays out by a rulebook's newest revision what only earlier ones
// laid out, and waits for it.
func (c *Client) LayOutAgain(ctx context.Context, rulebook string, each Each) ([]api.StagedByBook, error) {
	j, err := call[api.Job](ctx, c, http.MethodPost, "/rulebooks/"+esc(rulebook)+"/again", struct{}{})
	if err != nil {
		return nil, err
	}
	return result[[]api.StagedByBook](ctx, c, j, each)
}

// Tokens lists the tokens that sign clients in.
func (c *Client) Tokens(ctx context.Context) ([]api.Token, error) {
	return all[api.Token](ctx, c, "/tokens", url.Values{})
}

// MakeToken makes a token.
func (c *Client) MakeToken(ctx context.Context, name string) (api.MadeToken, error) {
	return call[api.MadeToken](ctx, c, http.MethodPost, "/tokens", api.NewToken{Name: name})
}

// EndToken ends a token.
func (c *Client) EndToken(ctx context.Context, id int64) error {
	_, err := call[nothing](ctx, c, http.MethodDelete, fmt.Sprintf("/tokens/%d", id), nil)
	return err
}

// Sessions lists the browsers that are signed in.
func (c *Client) Sessions(ctx context.Context) ([]api.BrowserSession, error) {
	return all[api.BrowserSession](ctx, c, "/sessions", url.Values{})
}

// EndSession signs a browser out.
func (c *Client) EndSession(ctx context.Context, id int64) error {
	_, err := call[nothing](ctx, c, http.MethodDelete, fmt.Sprintf("/sessions/%d", id), nil)
	return err
}

// CheckUp has the service look over everything that it keeps, and waits for it.
func (c *Client) CheckUp(ctx context.Context, each Each) (api.Checkup, error) {
	j, err := call[api.Job](ctx, c, http.MethodPost, "/checkups", struct{}{})
	if err != nil {
		return api.Checkup{}, err
	}
	return result[api.Checkup](ctx, c, j, each)
}

// result follows a job to its end and reads its result.
func result[Out any](ctx context.Context, c *Client, j api.Job, each Each) (out Out, err error) {
	j, err = c.Follow(ctx, j.ID, each)
	if err != nil {
		return out, err
	}
	if j.Problem != nil {
		return out, j.Problem
	}
	if err := json.Unmarshal(j.Result, &out); err != nil {
		return out, fmt.Errorf("read the job's result: %w", err)
	}
	return out, nil
}

// retries is how often Follow picks a broken stream up before it gives up.
const retries = 5

// Follow calls each for every event of a job until it has ended. A stream that
// breaks is picked up where it broke.
func (c *Client) Follow(ctx context.Context, id string, each Each) (api.Job, error) {
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

func (c *Client) follow(ctx context.Context, id string, last *int64, each Each) (j api.Job, err error) {
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

// Draft looks at a server and drafts a deployment.
func (c *Client) Draft(ctx context.Context, server string, n api.NewDraft, each Each) (api.Deployment, error) {
	j, err := call[api.Job](ctx, c, http.MethodPost, "/servers/"+esc(server)+"/deployments", n)
	if err != nil {
		return api.Deployment{}, err
	}
	return result[api.Deployment](ctx, c, j, each)
}

func deployment(server string, number int, tail string) string {
	return fmt.Sprintf("/servers/%s/deployments/%d%s", esc(server), number, tail)
}

// Deployment shows a deployment with its steps.
func (c *Client) Deployment(ctx context.Context, server string, number int) (api.Deployment, error) {
	return call[api.Deployment](ctx, c, http.MethodGet, deployment(server, number, ""), nil)
}

// Deployments lists deployments, the newest first; an empty server means all.
func (c *Client) Deployments(ctx context.Context, server string) ([]api.Deployment, error) {
	path := "/deployments"
	if server != "" {
		path = "/servers/" + esc(server) + path
	}
	return all[api.Deployment](ctx, c, path, url.Values{})
}

// Discard gives a draft up.
func (c *Client) Discard(ctx context.Context, server string, number int) error {
	_, err := call[nothing](ctx, c, http.MethodDelete, deployment(server, number, ""), nil)
	return err
}

// Run runs the draft that digest names.
func (c *Client) Run(ctx context.Context, server string, number int, r api.RunDraft, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/run"), r, each)
}

// Halt stops a running deployment between two motions.
func (c *Client) Halt(ctx context.Context, server string, number int) (api.Deployment, error) {
	return call[api.Deployment](ctx, c, http.MethodPost, deployment(server, number, "/halt"), nil)
}

// Resume finishes a halted deployment.
func (c *Client) Resume(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/resume"), nil, each)
}

// Tidy clears what a done deployment could not clear on its server.
func (c *Client) Tidy(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/tidy"), nil, each)
}

// Undo takes a halted deployment back.
func (c *Client) Undo(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/undo"), nil, each)
}

// UndoData is Undo that puts the data folders that were copied back too.
func (c *Client) UndoData(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/undo?data=true"), nil, each)
}

func (c *Client) work(ctx context.Context, path string, in any, each Each) (api.Deployment, error) {
	j, err := call[api.Job](ctx, c, http.MethodPost, path, in)
	if err != nil {
		return api.Deployment{}, err
	}
	return result[api.Deployment](ctx, c, j, each)
}
