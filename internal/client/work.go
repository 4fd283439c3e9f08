package client

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"restlesscrate/internal/api"
)

// Each is called for every event of a job that is followed.
type Each func(api.JobEvent)

// Staging says how an archive is to be staged; only Filename is needed.
type Staging struct {
	Filename, Rulebook, For, Source, Note string
	SHA256, CodePage, Root                string
	Trusted                               bool // it may unpack to far more than it is
	KeepOnly                              bool
}

// Stage sends an archive's bytes and waits until it is laid out. size is -1
// where it is not known.
func (c *CrateCalls) Stage(ctx context.Context, st Staging, body io.Reader, size int64, each Each) (out api.Staged, err error) {
	q := url.Values{"filename": {st.Filename}}
	for k, v := range map[string]string{"rulebook": st.Rulebook, "for": st.For, "source": st.Source, "note": st.Note, "sha256": st.SHA256, "codePage": st.CodePage, "root": st.Root} {
		if v != "" {
			q.Set(k, v)
		}
	}
	if st.Trusted {
		q.Set("trusted", "true")
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
	return result[api.Staged](ctx, c.line, j, each)
}

// LooseArchives lists the archives of which no crate is in the list.
func (c *CrateCalls) LooseArchives(ctx context.Context) ([]api.Loose, error) {
	return all[api.Loose](ctx, c.line, "/archives/loose", url.Values{})
}

// LayOutArchive lays an archive out once more, and waits for it.
func (c *CrateCalls) LayOutArchive(ctx context.Context, archive string, how api.Choosing, each Each) (api.Staged, error) {
	return worked[api.Staged](ctx, c.line, "/archives/"+esc(archive)+"/again", how, each)
}

// LayOutAgain lays out by a rulebook's newest revision what only earlier ones
// laid out, and waits for it.
func (c *RulebookCalls) LayOutAgain(ctx context.Context, rulebook string, each Each) ([]api.StagedByBook, error) {
	j, err := call[api.Job](ctx, c.line, http.MethodPost, "/rulebooks/"+esc(rulebook)+"/again", struct{}{})
	if err != nil {
		return nil, err
	}
	return cancelled[[]api.StagedByBook](ctx, c.line, j, each)
}

// Tokens lists the tokens that sign clients in.
func (c *AccessCalls) Tokens(ctx context.Context) ([]api.Token, error) {
	return all[api.Token](ctx, c.line, "/tokens", url.Values{})
}

// MakeToken makes a token.
func (c *AccessCalls) MakeToken(ctx context.Context, name string) (api.MadeToken, error) {
	return call[api.MadeToken](ctx, c.line, http.MethodPost, "/tokens", api.NewToken{Name: name})
}

// EndToken ends a token.
func (c *AccessCalls) EndToken(ctx context.Context, id int64) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, fmt.Sprintf("/tokens/%d", id), nil)
	return err
}

// Sessions lists the browsers that are signed in.
func (c *AccessCalls) Sessions(ctx context.Context) ([]api.BrowserSession, error) {
	return all[api.BrowserSession](ctx, c.line, "/sessions", url.Values{})
}

// EndSession signs a browser out.
func (c *AccessCalls) EndSession(ctx context.Context, id int64) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, fmt.Sprintf("/sessions/%d", id), nil)
	return err
}

// CheckUp has the service look over everything that it keeps, and waits for it.
// With mend, what is damaged is read again on the servers on which it lies.
func (c *AccessCalls) CheckUp(ctx context.Context, mend bool, each Each) (api.Checkup, error) {
	j, err := call[api.Job](ctx, c.line, http.MethodPost, fmt.Sprintf("/checkups?mend=%t", mend), nil)
	if err != nil {
		return api.Checkup{}, err
	}
	return cancelled[api.Checkup](ctx, c.line, j, each)
}

// Draft looks at a server and drafts a deployment.
func (c *DeploymentCalls) Draft(ctx context.Context, server string, n api.NewDraft, each Each) (api.Deployment, error) {
	j, err := call[api.Job](ctx, c.line, http.MethodPost, "/servers/"+esc(server)+"/deployments", n)
	if err != nil {
		return api.Deployment{}, err
	}
	return cancelled[api.Deployment](ctx, c.line, j, each)
}

// Decide says whose values stay, and drafts a deployment anew in the place of a draft.
func (c *DeploymentCalls) Decide(ctx context.Context, server string, number int, d api.Decision, each Each) (api.Deployment, error) {
	j, err := call[api.Job](ctx, c.line, http.MethodPost, deployment(server, number, "/decide"), d)
	if err != nil {
		return api.Deployment{}, err
	}
	return cancelled[api.Deployment](ctx, c.line, j, each)
}

func deployment(server string, number int, tail string) string {
	return fmt.Sprintf("/servers/%s/deployments/%d%s", esc(server), number, tail)
}

// Deployment shows a deployment with its steps.
func (c *DeploymentCalls) Deployment(ctx context.Context, server string, number int) (api.Deployment, error) {
	return call[api.Deployment](ctx, c.line, http.MethodGet, deployment(server, number, ""), nil)
}

// Deployments lists deployments, the newest first; an empty server means all.
func (c *DeploymentCalls) Deployments(ctx context.Context, server string) ([]api.Deployment, error) {
	path := "/deployments"
	if server != "" {
		path = "/servers/" + esc(server) + path
	}
	return all[api.Deployment](ctx, c.line, path, url.Values{})
}

// Remark says something of a deployment, in the place of what was said before.
func (c *DeploymentCalls) Remark(ctx context.Context, server string, number int, r api.Remark) error {
	_, err := call[nothing](ctx, c.line, http.MethodPut, deployment(server, number, "/remark"), r)
	return err
}

// Discard gives a draft up.
func (c *DeploymentCalls) Discard(ctx context.Context, server string, number int) error {
	_, err := call[nothing](ctx, c.line, http.MethodDelete, deployment(server, number, ""), nil)
	return err
}

// Run runs the draft that digest names.
func (c *DeploymentCalls) Run(ctx context.Context, server string, number int, r api.RunDraft, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/run"), r, each)
}

// Halt stops a running deployment between two motions.
func (c *DeploymentCalls) Halt(ctx context.Context, server string, number int) (api.Deployment, error) {
	return call[api.Deployment](ctx, c.line, http.MethodPost, deployment(server, number, "/halt"), nil)
}

// Resume finishes a halted deployment.
func (c *DeploymentCalls) Resume(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/resume"), nil, each)
}

// Tidy clears what a done deployment could not clear on its server.
func (c *DeploymentCalls) Tidy(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/tidy"), nil, each)
}

// Undo takes a halted deployment back.
func (c *DeploymentCalls) Undo(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/undo"), nil, each)
}

// UndoData is Undo that puts the data folders that were copied back too.
func (c *DeploymentCalls) UndoData(ctx context.Context, server string, number int, each Each) (api.Deployment, error) {
	return c.work(ctx, deployment(server, number, "/undo?data=true"), nil, each)
}

func (c *DeploymentCalls) work(ctx context.Context, path string, in any, each Each) (api.Deployment, error) {
	return worked[api.Deployment](ctx, c.line, path, in, each)
}

// Archives lists every download that the stockroom holds, or held.
func (c *AccessCalls) Archives(ctx context.Context) ([]api.KeptArchive, error) {
	return all[api.KeptArchive](ctx, c.line, "/stockroom/archives", url.Values{})
}

// PlanTidying says what tidying the stockroom would free.
func (c *AccessCalls) PlanTidying(ctx context.Context, t api.Tidy) (api.TidyPlan, error) {
	return call[api.TidyPlan](ctx, c.line, http.MethodPost, "/stockroom/plan", t)
}

// TidyStockroom frees what a plan says that was read, and waits for it.
func (c *AccessCalls) TidyStockroom(ctx context.Context, t api.Tidy, each Each) (api.TidyPlan, error) {
	return worked[api.TidyPlan](ctx, c.line, "/stockroom/tidy", t, each)
}

// worked makes a call that begins a job, and gives the job's result.
func worked[Out any](ctx context.Context, c *line, path string, in any, each Each) (out Out, err error) {
	j, err := call[api.Job](ctx, c, http.MethodPost, path, in)
	if err != nil {
		return out, err
	}
	return result[Out](ctx, c, j, each)
}
