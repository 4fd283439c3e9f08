package e2e

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

func TestEveryCallNeedsCredentials(t *testing.T) {
	t.Parallel()
	s := start(t)
	status, doc := s.call("GET", "/api/v1/openapi.json", s.token(), "")
	require.Equal(t, 200, status)
	var described struct {
		Paths map[string]map[string]json.RawMessage
	}
	require.NoError(t, json.Unmarshal([]byte(doc), &described))
	require.Greater(t, len(described.Paths), 20)
	letIn := func(method, path, token string) (status int, body string) { // there are more of them than one address may make at once
		testbed.Eventually(t, "so many calls are let in", func() bool {
			status, body = s.call(method, path, token, "")
			return status != http.StatusTooManyRequests
		})
		return status, body
	}
	holes := regexp.MustCompile(`\{[^}]+\}`)
	n := 0
	for path, methods := range described.Paths {
		for method := range methods {
			if method == "post" && path == "/session" {
				continue // signing in
			}
			n++
			for _, token := range []string{"", "rc_wrong"} {
				status, body := letIn(strings.ToUpper(method), "/api/v1"+holes.ReplaceAllString(path, "1"), token)
				require.Equal(t, 401, status, "%s %s", method, path)
				require.Contains(t, body, `"code":"not-signed-in"`)
			}
		}
	}
	require.Greater(t, n, 25)
	status, _ = letIn("GET", "/api/v1/openapi.json", "")
	require.Equal(t, 401, status)
	for _, path := range []string{"/healthz", "/readyz"} {
		status, _ = s.call("GET", path, "", "")
		require.Equal(t, 200, status)
	}
}

func TestWhatIsCountedIsThereForPrometheus(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent@0.4.0", "--yes")
	status, _ := s.call("GET", "/metrics", "", "")
	require.Equal(t, 401, status, "whose servers there are is nobody's business")
	status, text := s.call("GET", "/metrics", s.token(), "")
	require.Equal(t, 200, status)
	for _, line := range []string{`restless_deployments_total{server="lantern",state="done"} 1`, `restless_sent_bytes_total{server="lantern"} 42`, `restless_phase_seconds_count{phase="swap"} 1`, "process_resident_memory_bytes"} {
		require.Contains(t, text, line)
	}
}

func TestProblemsAreProblems(t *testing.T) {
	t.Parallel()
	s := start(t)
	status, body := s.call("GET", "/api/v1/servers/nowhere", s.token(), "")
	require.Equal(t, 404, status)
	var p api.Problem
	require.NoError(t, json.Unmarshal([]byte(body), &p))
	require.Equal(t, api.Problem{Type: "urn:restless:server-unknown", Title: "Not Found", Status: 404, Detail: `there is no server named "nowhere"`,
		Code: "server-unknown", Exit: 1, Remedies: []api.Remedy{{Do: "show-servers"}}}, p)
	status, body = s.call("POST", "/api/v1/servers", s.token(), `{"name": 7}`)
	require.Equal(t, 422, status)
	require.Contains(t, body, `"code":"bad-request"`)
	require.Contains(t, body, `"exit":2`)
	status, body = s.call("GET", "/api/v1/no/such/call", s.token(), "")
	require.Equal(t, 404, status)
	require.Contains(t, body, `"code":"no-such-call"`)
}

func TestALinkSignsABrowserInOnce(t *testing.T) {
	t.Parallel()
	s := start(t)
	var l api.SignInLink
	s.get(&l, "sign-in")
	code := l.URL[strings.Index(l.URL, "code=")+5:]
	res, err := http.Post(fmt.Sprintf("http://127.0.0.1:%d/api/v1/session", s.port), "application/json", strings.NewReader(fmt.Sprintf(`{"code":%q}`, code)))
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, 200, res.StatusCode)
	cookie := strings.Split(res.Header.Get("Set-Cookie"), ";")[0]
	require.Contains(t, res.Header.Get("Set-Cookie"), "HttpOnly")
	require.Contains(t, res.Header.Get("Set-Cookie"), "SameSite=Strict")

	status, body := s.call("GET", "/api/v1/session", "", "", "Cookie", cookie)
	require.Equal(t, 200, status)
	require.Contains(t, body, `"actor":"owner"`)
	status, _ = s.call("POST", "/api/v1/session", "", fmt.Sprintf(`{"code":%q}`, code))
	require.Equal(t, 401, status, "a link works once")
	status, body = s.call("DELETE", "/api/v1/rulebooks/x", "", "", "Cookie", cookie, "Sec-Fetch-Site", "cross-site")
	require.Equal(t, 403, status)
	require.Contains(t, body, "other-site")
	status, _ = s.call("DELETE", "/api/v1/session", "", "", "Cookie", cookie)
	require.Equal(t, 403, status, "an act with a session that does not say where it comes from")
	status, _ = s.call("DELETE", "/api/v1/session", "", "", "Cookie", cookie, "Sec-Fetch-Site", "same-origin")
	require.Equal(t, 204, status)
	status, _ = s.call("GET", "/api/v1/session", "", "", "Cookie", cookie)
	require.Equal(t, 401, status)
}

func TestTheSameKeyGivesTheFirstAnswerAgain(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	ask := func(key, body string) (int, string) {
		return s.call("POST", "/api/v1/servers", s.token(), body, "Idempotency-Key", key)
	}
	body := fmt.Sprintf(`{"name":"twin","rulebook":"lanternfall","transport":{"kind":"folder","root":%q}}`, root)
	status, first := ask("k1", body)
	require.Equal(t, 200, status)
	status, again := ask("k1", body)
	require.Equal(t, 200, status)
	require.Equal(t, first, again, "not refused as a second server of that name")
	status, other := ask("k1", strings.Replace(body, "twin", "else", 1))
	require.Equal(t, 422, status)
	require.Contains(t, other, "key-reused")
	status, _ = ask("k2", body)
	require.Equal(t, 409, status)
}

func TestAJobsEventsAreNumberedAndCanBePickedUp(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	s.must("deploy", "lantern", "drum-tent", "--yes")
	var d api.Deployment
	s.get(&d, "deployment", "show", "lantern#1")
	require.NotEmpty(t, d.Job)
	_, all := s.call("GET", "/api/v1/jobs/"+d.Job+"/events", s.token(), "")
	ids := regexp.MustCompile(`(?m)^id: (\d+)$`).FindAllStringSubmatch(all, -1)
	require.Greater(t, len(ids), 3)
	for i, id := range ids {
		require.Equal(t, fmt.Sprint(i+1), id[1])
	}
	require.Contains(t, all, "event: end\n")
	require.Contains(t, all, `"state":"done"`)
	_, tail := s.call("GET", "/api/v1/jobs/"+d.Job+"/events", s.token(), "", "Last-Event-ID", "2")
	require.Equal(t, all[strings.Index(all, "id: 3\n"):], tail)
}

func TestListsHaveCursors(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	for range 101 {
		status, _ := s.call("POST", "/api/v1/servers/lantern/deployments", s.token(), `{"crates":["drum-tent"]}`)
		require.Equal(t, 202, status)
	}
	var list []api.Deployment
	for len(list) < 101 {
		s.get(&list, "deployment", "list", "lantern")
	}
	seen := map[int]bool{}
	for _, d := range list {
		seen[d.Number] = true
	}
	require.Len(t, seen, 101, "every one, once, over two pages")
	_, body := s.call("GET", "/api/v1/deployments?cursor=x", s.token(), "")
	require.Contains(t, body, "bad-cursor")
}

func TestWhoWatchesIsToldOfAChange(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	var told [3]chan string
	for i := range told { // several at once
		req, err := http.NewRequest("GET", fmt.Sprintf("http://127.0.0.1:%d/api/v1/changes", s.port), nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+s.token())
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		told[i] = make(chan string, 100)
		go func() {
			for lines := bufio.NewScanner(res.Body); lines.Scan(); {
				if n, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
					told[i] <- n
				}
			}
		}()
	}
	s.must("server", "add", "reedbank", "--rulebook", "lanternfall", "--folder", t.TempDir())
	require.Equal(t, `{"servers":["reedbank"]}`, <-told[0])
	for _, others := range told[1:] {
		<-others
	}
	s.must("server", "edit", "lantern", "--fact", "game=7")
	for i := range told {
		testbed.Eventually(t, "everybody is told", func() bool {
			select {
			case n := <-told[i]:
				require.Equal(t, `{"servers":["lantern"]}`, n, "of the other nothing is asked again")
				return true
			default:
				return false
			}
		})
	}
	var all api.Page[api.Status]
	_, list := s.call("GET", "/api/v1/statuses", s.token(), "")
	require.NoError(t, json.Unmarshal([]byte(list), &all))
	require.Len(t, all.Items, 2)

	// Whoever comes back is told what was missed.
	s.stage(stall("0.4.0", map[string]string{"a": "a"}))
	require.Equal(t, `{"servers":["lantern","reedbank"],"about":["crates","rulebooks"]}`, s.firstChange("", "Last-Event-ID", "1"))
	// So is whoever begins, and says how far an answer had counted.
	before := s.counted()
	require.Equal(t, before, s.counted(), "nothing changed between")
	s.must("server", "edit", "reedbank", "--fact", "game=8")
	require.Equal(t, `{"servers":["reedbank"]}`, s.firstChange("?since="+before))
	require.Equal(t, `{"servers":["reedbank"]}`, s.firstChange("?since=1", "Last-Event-ID", before), "the last that was heard counts")
	// Who counted further than these records has seen others, which a backup brought back.
	require.Equal(t, `{"servers":["lantern","reedbank"],"about":["crates","rulebooks"]}`, s.firstChange("?since=99999999"))
	status, body := s.call("GET", "/api/v1/changes?since=yesterday", s.token(), "")
	require.Equal(t, 422, status)
	require.Contains(t, body, `not since \"yesterday\"`)
}

// firstChange gives what whoever begins to watch is told first.
func (s *service) firstChange(query string, header ...string) string {
	s.t.Helper()
	req, err := http.NewRequest("GET", fmt.Sprintf("http://127.0.0.1:%d/api/v1/changes%s", s.port, query), nil)
	require.NoError(s.t, err)
	req.Header.Set("Authorization", "Bearer "+s.token())
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer res.Body.Close()
	for lines := bufio.NewScanner(res.Body); lines.Scan(); {
		if n, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
			return n
		}
	}
	require.Fail(s.t, "the stream ended")
	return ""
}

// counted gives how far the records had counted before an answer was read.
func (s *service) counted() string {
	s.t.Helper()
	req, err := http.NewRequest("GET", fmt.Sprintf("http://127.0.0.1:%d/api/v1/statuses", s.port), nil)
	require.NoError(s.t, err)
	req.Header.Set("Authorization", "Bearer "+s.token())
	res, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer res.Body.Close()
	count := res.Header.Get("Records-Count")
	require.NotEmpty(s.t, count)
	return count
}

// A crate of many files is shown without their digests to who asks for little, and with all else.
func TestACrateIsShownInBrief(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.stage(stall("0.4.0", map[string]string{"drum.txt": "boom"}))
	show := func(query string) (c api.Crate) {
		status, raw := s.call("GET", "/api/v1/crates/drum-tent"+query, s.token(), "")
		require.Equal(t, 200, status, raw)
		require.NoError(t, json.Unmarshal([]byte(raw), &c))
		return c
	}
	whole, brief := show(""), show("?brief=true")
	require.NotEmpty(t, whole.Files)
	for i := range whole.Files {
		require.Len(t, whole.Files[i].Digest, 64)
		whole.Files[i].Digest = ""
	}
	require.Equal(t, whole, brief)
}
