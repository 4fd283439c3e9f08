package httpapi_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/assembly/testservice"
)

// operation is one call of the document.
type operation struct{ method, path string }

// operations reads all of them out of the document.
func operations(t *testing.T) (all []operation) {
	t.Helper()
	raw, err := os.ReadFile("../../docs/openapi.json")
	require.NoError(t, err)
	var doc struct {
		Paths map[string]map[string]json.RawMessage `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(raw, &doc))
	for path, methods := range doc.Paths {
		for method := range methods {
			all = append(all, operation{strings.ToUpper(method), path})
		}
	}
	require.Greater(t, len(all), 60)
	return all
}

var parameter = regexp.MustCompile(`\{(\w+)\}`)

// named fills the parameters of a path with names of what is not there.
func (o operation) named() string {
	return parameter.ReplaceAllStringFunc(o.path, func(p string) string {
		if p == "{number}" || p == "{id}" && !strings.HasPrefix(o.path, "/jobs") {
			return "99"
		}
		return "nothing"
	})
}

// asked makes one call and gives its status and its problem, if it is one.
func asked(t *testing.T, s *testservice.Service, o operation, token, body string, header ...string) (int, api.Problem, http.Header) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), o.method, s.URL+"/api/v1"+o.named(), strings.NewReader(body))
	require.NoError(t, err)
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	var p api.Problem
	if strings.HasPrefix(res.Header.Get("Content-Type"), "application/problem+json") {
		raw, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(raw, &p))
	}
	return res.StatusCode, p, res.Header
}

// Whatever is asked without a token is refused as that, before anything of the call is
// read, and whether or not it names something that is there.
func TestEveryOperationWantsToBeSignedIn(t *testing.T) {
	s := testservice.New(t)
	for _, o := range operations(t) {
		if o.path == "/session" && o.method == http.MethodPost {
			continue // that is how one signs in
		}
		status, p, _ := asked(t, s, o, "", "")
		require.Equal(t, http.StatusUnauthorized, status, "%s %s", o.method, o.path)
		require.Equal(t, "not-signed-in", p.Code, "%s %s", o.method, o.path)
	}
}

// What is not there is unknown, what makes no sense is wrong usage: neither is ever an
// unexpected failure, and both say what in words.
func TestNoOperationFailsUnexpectedlyOnWhatIsNotThere(t *testing.T) {
	s := testservice.New(t)
	for _, o := range operations(t) {
		if o.path == "/changes" || o.path == "/session" || o.path == "/checkups" {
			continue // a stream without an end; the session of a token; a check that works
		}
		bodies := []string{""}
		if o.method != http.MethodGet && o.method != http.MethodDelete {
			bodies = []string{"{}", "[]", `{"nonsense": 1}`, "{", ""}
		}
		for _, body := range bodies {
			status, p, _ := asked(t, s, o, s.Token, body)
			require.Less(t, status, 500, "%s %s with %q: %s", o.method, o.path, body, p.Detail)
			if status >= 400 {
				require.NotEmpty(t, p.Code, "%s %s with %q", o.method, o.path, body)
				require.NotEmpty(t, p.Detail, "%s %s with %q", o.method, o.path, body)
				require.NotEqual(t, "failed", p.Code, "%s %s with %q: %s", o.method, o.path, body, p.Detail)
			} else if strings.Contains(o.path, "{") && o.path != "/servers/{server}/log" {
				t.Errorf("%s %s says %d of what is not there", o.method, o.path, status)
			}
		}
	}
}

// The same call with the same key is done once, and answered alike; another call with it
// is refused.
func TestACallWithAKeyIsDoneOnce(t *testing.T) {
	s := testservice.New(t)
	s.Reef(t, "shoal")
	add := operation{http.MethodPost, "/servers"}
	body := func(name string) string {
		return fmt.Sprintf(`{"name":%q,"rulebook":"reef","transport":{"kind":"folder","root":%q}}`, name, t.TempDir())
	}
	lagoon := body("lagoon")
	for range 3 {
		status, p, _ := asked(t, s, add, s.Token, lagoon, "Idempotency-Key", "k-1")
		require.Less(t, status, 300, p.Detail)
	}
	servers, err := s.Servers(t.Context())
	require.NoError(t, err)
	require.Len(t, servers, 2)
	_, p, _ := asked(t, s, add, s.Token, body("bank"), "Idempotency-Key", "k-1")
	require.Equal(t, "key-reused", p.Code)
	_, p, _ = asked(t, s, add, s.Token, lagoon, "Idempotency-Key", "k-2")
	require.Equal(t, "name-taken", p.Code, "without the key it would be a second one")

	// What holds a secret is never kept, so it is not answered again.
	token := operation{http.MethodPost, "/tokens"}
	for range 2 {
		status, _, _ := asked(t, s, token, s.Token, `{"name":"jo"}`, "Idempotency-Key", "k-3")
		require.Less(t, status, 300)
	}
	tokens, err := s.Tokens(t.Context())
	require.NoError(t, err)
	require.Len(t, tokens, 3)
}

// A list says where its next page begins, and the pages together are the list.
func TestAListComesInPages(t *testing.T) {
	s := testservice.New(t)
	s.Reef(t, "shoal")
	s.StagePart(t, "anchor", "1.0", map[string]string{"a": "1", "b": "2", "c": "3", "d": "4"})
	s.Deploy(t, "shoal", "anchor")
	var paths []string
	cursor := ""
	for pages := 0; pages < 9; pages++ {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.URL+"/api/v1/servers/shoal/files?limit=2&cursor="+cursor, nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+s.Token)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		var page api.Page[api.File]
		require.NoError(t, json.NewDecoder(res.Body).Decode(&page))
		require.NoError(t, res.Body.Close())
		require.LessOrEqual(t, len(page.Items), 2)
		for _, f := range page.Items {
			paths = append(paths, f.Path)
		}
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	require.Equal(t, []string{"parts/anchor/a", "parts/anchor/b", "parts/anchor/c", "parts/anchor/d", "parts/anchor/part.toml"}, paths)
}

// Of two who run one draft, one does. The other is told how it stands, and what is attached
// to the deployment is the job that runs it.
func TestADraftIsRunOnce(t *testing.T) {
	s := testservice.New(t)
	s.Reef(t, "shoal")
	s.StagePart(t, "anchor", "1.0", nil)
	d, err := s.Draft(t.Context(), "shoal", api.NewDraft{Crates: []string{"anchor"}}, nil)
	require.NoError(t, err)
	run := operation{http.MethodPost, "/servers/shoal/deployments/1/run"}
	body := fmt.Sprintf(`{"digest":%q}`, d.Digest)
	statuses := make(chan int, 4)
	for range cap(statuses) {
		go func() {
			status, _, _ := asked(t, s, run, s.Token, body)
			statuses <- status
		}()
	}
	for range cap(statuses) {
		require.Contains(t, []int{http.StatusAccepted, http.StatusConflict}, <-statuses)
	}
	s.Jobs.Wait()
	after, err := s.Deployment(t.Context(), "shoal", 1)
	require.NoError(t, err)
	require.Equal(t, "done", after.State)
	status, p, _ := asked(t, s, run, s.Token, body)
	require.Equal(t, http.StatusConflict, status)
	require.Equal(t, "wrong-state", p.Code)
	require.Equal(t, []api.Remedy{{Do: "roll-back", On: "shoal#1"}}, p.Remedies)
}

func TestWhoHasTheStepsIsToldHowFarTheyHaveCome(t *testing.T) {
	s := testservice.New(t)
	s.Reef(t, "shoal")
	s.StagePart(t, "anchor", "1.0", nil)
	d, err := s.Draft(t.Context(), "shoal", api.NewDraft{Crates: []string{"anchor"}}, nil)
	require.NoError(t, err)
	require.NotEmpty(t, d.Steps)
	shown := func(known string) (got api.Deployment) {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.URL+"/api/v1/servers/shoal/deployments/1"+known, nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+s.Token)
		answer, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer answer.Body.Close()
		require.Equal(t, http.StatusOK, answer.StatusCode)
		require.NoError(t, json.NewDecoder(answer.Body).Decode(&got))
		return got
	}
	steps := len(d.Steps)
	require.Equal(t, make([]int, steps), shown("?known="+d.Digest).StepsDone)
	require.Empty(t, shown("?known="+d.Digest).Steps)
	require.Len(t, shown("?known=of-another").Steps, steps)

	status, _, _ := asked(t, s, operation{http.MethodPost, "/servers/shoal/deployments/1/run"}, s.Token, fmt.Sprintf(`{"digest":%q}`, d.Digest))
	require.Equal(t, http.StatusAccepted, status)
	s.Jobs.Wait()
	whole := shown("")
	require.Equal(t, "done", whole.State)
	require.Empty(t, whole.StepsDone)
	for i, done := range shown("?known=" + d.Digest).StepsDone {
		require.Equal(t, whole.Steps[i].Motions, done)
	}
}
