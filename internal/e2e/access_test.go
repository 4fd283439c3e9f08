package e2e

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// rows counts rows of the service's database.
func (s *service) rows(query string, args ...any) (n int) {
	s.t.Helper()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(s.data, "records.db")+"?_pragma=busy_timeout(5000)")
	require.NoError(s.t, err)
	defer db.Close()
	require.NoError(s.t, db.QueryRow(query, args...).Scan(&n))
	return n
}

// stolen reads everything of the data folder that is no key: what somebody has who
// copied the database and all beside it.
func stolen(t *testing.T, data string) (all []byte) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(data, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || d.Name() == "client.json" || d.Name() == "seal.key" {
			return err
		}
		raw, err := os.ReadFile(p)
		all = append(all, raw...)
		return err
	}))
	return all
}

func (s *service) signIn(header ...string) (cookie string, res *http.Response) {
	s.t.Helper()
	var l api.SignInLink
	s.get(&l, "sign-in")
	code := l.URL[strings.Index(l.URL, "code=")+5:]
	req, err := http.NewRequest("POST", fmt.Sprintf("http://127.0.0.1:%d/api/v1/session", s.port), strings.NewReader(fmt.Sprintf(`{"code":%q}`, code)))
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err = http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer res.Body.Close()
	_, _ = io.ReadAll(res.Body)
	return strings.Split(res.Header.Get("Set-Cookie"), ";")[0], res
}

func TestACopiedDatabaseGivesNothing(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	var l api.SignInLink
	s.get(&l, "sign-in")
	status, link := s.call("POST", "/api/v1/signin-links", s.token(), "", "Idempotency-Key", "link")
	require.Equal(t, 200, status)
	require.NoError(t, json.Unmarshal([]byte(link), &l))
	code := l.URL[strings.Index(l.URL, "code=")+5:]
	cookie, _ := s.signIn()
	session := cookie[strings.Index(cookie, "=")+1:]
	var made api.MadeToken
	s.get(&made, "token", "add", "metrics")
	add := func(key, password string) string {
		_, body := s.call("POST", "/api/v1/servers", s.token(), fmt.Sprintf(`{"name":"far","rulebook":"lanternfall","transport":{"kind":"sftp","host":"127.0.0.1","user":"ann","auth":"password","root":%q},"secrets":{"password":%q}}`, root, password), "Idempotency-Key", key)
		return body
	}
	first := add("k", "tide-and-reed-7")
	require.Equal(t, first, add("k", "tide-and-reed-8"), "a secret is no part of what a request is known by")
	s.kill()
	all := stolen(t, s.data)
	for what, secret := range map[string]string{"code": code, "session": session, "made token": made.Secret, "client's token": s.token(), "password": "tide-and-reed-7"} {
		require.Greater(t, len(secret), 10, what)
		require.False(t, bytes.Contains(all, []byte(secret)), "the %s lies in clear", what)
	}
	s.up()
	status, _ = s.call("GET", "/api/v1/session", "", "", "Cookie", cookie)
	require.Equal(t, 200, status, "and it works all the same")
	status, _ = s.call("GET", "/api/v1/servers", made.Secret, "")
	require.Equal(t, 200, status)
}

func TestNothingIsWrittenBeforeSignIn(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	before := s.rows(`SELECT (SELECT COUNT(*) FROM idempotency) + (SELECT COUNT(*) FROM session) + (SELECT COUNT(*) FROM job)`)
	big := fmt.Sprintf(`{"code":%q}`, strings.Repeat("x", 100_000))
	for i := range 50 {
		for _, path := range []string{"/session", "/servers", "/servers/lantern/deployments", "/signin-links"} {
			s.call("POST", "/api/v1"+path, "", big, "Idempotency-Key", fmt.Sprint(i))
		}
	}
	require.Equal(t, before, s.rows(`SELECT (SELECT COUNT(*) FROM idempotency) + (SELECT COUNT(*) FROM session) + (SELECT COUNT(*) FROM job)`))
}

func TestCallsBeforeSignInAreLimited(t *testing.T) {
	t.Parallel()
	s := start(t)
	status := func(method, path, body string) (int, string) {
		req, err := http.NewRequest(method, fmt.Sprintf("http://127.0.0.1:%d%s", s.port, path), strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		_, _ = io.Copy(io.Discard, res.Body)
		return res.StatusCode, res.Header.Get("Retry-After")
	}
	slowed := ""
	for range 400 {
		code, after := status("GET", "/api/v1/servers", "")
		if code == http.StatusTooManyRequests {
			slowed = after
			break
		}
		require.Equal(t, 401, code)
	}
	require.NotEmpty(t, slowed, "who guesses is told to wait")
	code, _ := status("GET", "/healthz", "")
	require.Equal(t, 200, code)

	// Who sends a head that never ends, or a body that never comes, holds nothing.
	conn, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", s.port))
	require.NoError(t, err)
	defer conn.Close()
	_, err = io.WriteString(conn, "GET / HTTP/1.1\r\nHost: localhost\r\nX: "+strings.Repeat("x", 1<<20))
	if err == nil {
		require.NoError(t, conn.SetReadDeadline(time.Now().Add(30*time.Second)))
		answer, err := io.ReadAll(conn)
		if err == nil {
			require.Contains(t, string(answer), "431", "a head of a MiB is refused")
		}
	}
	other := start(t)
	code, body := other.call("POST", "/api/v1/servers", other.token(), `{"name":"`+strings.Repeat("x", 5<<20)+`"}`)
	require.Contains(t, []int{413, 422}, code, body[:min(len(body), 300)])
}

func TestAnUploadIsLimited(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	s.end()
	s.more = []string{"--max-upload", "100KB"}
	s.up()
	file := filepath.Join(t.TempDir(), "big-1.zip")
	require.NoError(t, os.WriteFile(file, make([]byte, 200_000), 0o600))
	s.fails(1, "this service takes archives of at most 100000 bytes", "stage", file)
	// One that does not say how long it is.
	req, err := http.NewRequest("POST", fmt.Sprintf("http://127.0.0.1:%d/api/v1/archives?filename=x.zip", s.port), io.MultiReader(bytes.NewReader(make([]byte, 200_000)), strings.NewReader("x")))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+s.token())
	req.Header.Set("Content-Type", "application/octet-stream")
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, http.StatusRequestEntityTooLarge, res.StatusCode)
	left, err := filepath.Glob(filepath.Join(s.data, "stockroom/incoming/*"))
	require.NoError(t, err)
	require.Empty(t, left)
}

func TestEveryActSaysWhereItComesFrom(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	cookie, _ := s.signIn()
	here := fmt.Sprintf("http://127.0.0.1:%d", s.port)
	for _, c := range []struct {
		status int
		why    string
		header []string
	}{
		{204, "the browser says that it is our own page", []string{"Sec-Fetch-Site", "same-origin"}},
		{204, "an older browser says whose page it is", []string{"Origin", here}},
		{403, "another site's page", []string{"Sec-Fetch-Site", "cross-site"}},
		{403, "another port of this machine", []string{"Sec-Fetch-Site", "same-site"}},
		{403, "an older browser, another site", []string{"Origin", "http://evil.example"}},
		{403, "a page without an address", []string{"Origin", "null"}},
		{403, "nothing is said", nil},
	} {
		s.must("rulebook", "add", "../demo/rulebooks/mossgrave.yaml")
		status, body := s.call("DELETE", "/api/v1/rulebooks/mossgrave", "", "", append([]string{"Cookie", cookie}, c.header...)...)
		require.Equal(t, c.status, status, "%s: %s", c.why, body)
	}
	// A form of another page can send only what is no JSON.
	for _, kind := range []string{"text/plain", "application/x-www-form-urlencoded", "multipart/form-data", ""} {
		status, body := s.call("POST", "/api/v1/rulebooks", s.token(), `{"text":"x"}`, "Content-Type", kind)
		require.Equal(t, 415, status, "%q: %s", kind, body)
	}
	// A name that was made to lead here.
	req, err := http.NewRequest("GET", here+"/api/v1/session", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	req.Header.Set("Cookie", cookie)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	res.Body.Close()
	require.Equal(t, http.StatusMisdirectedRequest, res.StatusCode)

	s.end()
	s.more = []string{"--public-url", "https://crate.example.org/"}
	s.up()
	require.Contains(t, s.must("sign-in"), "https://crate.example.org/sign-in?code=")
	cookie, signed := s.signIn("Origin", "https://crate.example.org")
	require.Equal(t, 200, signed.StatusCode)
	require.Contains(t, signed.Header.Get("Set-Cookie"), "__Host-restless_session=")
	require.Contains(t, signed.Header.Get("Set-Cookie"), "Secure")
	status, _ := s.call("GET", "/api/v1/session", "", "", "Cookie", cookie, "Host", "crate.example.org")
	require.Equal(t, 200, status)
}

func TestTokensAndSessionsAreListedAndEnded(t *testing.T) {
	t.Parallel()
	s := start(t)
	var made api.MadeToken
	s.get(&made, "token", "add", "metrics")
	var tokens []api.Token
	s.get(&tokens, "token", "list")
	require.Len(t, tokens, 2)
	require.Equal(t, "metrics", tokens[1].Name)
	require.Nil(t, tokens[1].UsedAt)
	status, _ := s.call("GET", "/metrics", made.Secret, "")
	require.Equal(t, 200, status)
	s.get(&tokens, "token", "list")
	require.NotNil(t, tokens[1].UsedAt)
	s.must("token", "end", fmt.Sprint(made.ID), "--yes")
	status, _ = s.call("GET", "/metrics", made.Secret, "")
	require.Equal(t, 401, status)
	s.fails(1, "there is no token "+fmt.Sprint(made.ID), "token", "end", fmt.Sprint(made.ID), "--yes")

	cookie, _ := s.signIn()
	var sessions []api.BrowserSession
	s.get(&sessions, "session", "list")
	require.Len(t, sessions, 1)
	require.Equal(t, "owner", sessions[0].Actor)
	s.must("session", "end", fmt.Sprint(sessions[0].ID), "--yes")
	status, _ = s.call("GET", "/api/v1/session", "", "", "Cookie", cookie)
	require.Equal(t, 401, status)

	// The client's file is gone; then it is renewed, and the old ones end.
	old := s.token()
	s.end()
	require.NoError(t, os.Remove(filepath.Join(s.data, "client.json")))
	s.up()
	require.Contains(t, s.log.String(), "what an earlier one held still signs people in")
	status, _ = s.call("GET", "/api/v1/servers", old, "")
	require.Equal(t, 200, status)
	s.end()
	s.more = []string{"--renew-client"}
	s.up()
	status, _ = s.call("GET", "/api/v1/servers", old, "")
	require.Equal(t, 401, status)
	s.must("server", "list")
}

func TestWhatWasSentIsNotSaidBack(t *testing.T) {
	t.Parallel()
	s := start(t)
	for _, body := range []string{`{"name":"x","rulebook":"y","transport":{"kind":"sftp"},"secrets":{"password":["tide-and-reed-7"]}}`,
		`{"name":"x","rulebook":"y","transport":{"kind":"sftp"},"secrets":"tide-and-reed-7"}`, `{"tide-and-reed-7`, `"tide-and-reed-7"`,
		`{"name":"x","rulebook":"y","transport":{"port":"tide-and-reed-7"}}`} {
		status, said := s.call("POST", "/api/v1/servers", s.token(), body)
		require.GreaterOrEqual(t, status, 400, body)
		require.NotContains(t, said, "tide-and-reed-7", body)
		require.NotContains(t, s.log.String(), "tide-and-reed-7")
	}
	_, said := s.call("POST", "/api/v1/servers", s.token(), `{"name":"x","rulebook":"y","transport":{"kind":"sftp"},"secrets":{"password":7}}`)
	require.Contains(t, said, "body.secrets.password", "but where it was")
}

func TestTheServicesOwnFolderIsNoServer(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	link := filepath.Join(t.TempDir(), "link")
	require.NoError(t, os.Symlink(s.data, link))
	for _, root := range []string{"/", s.data, filepath.Join(s.data, "stockroom"), filepath.Dir(s.data), link} {
		s.fails(2, root, "server", "add", "lantern", "--rulebook", "lanternfall", "--folder", root)
	}
}

// What is too old to be of use goes by itself; two callers under one key get one
// answer.
func TestOneKeyForTwoCallersAtOnce(t *testing.T) {
	t.Parallel()
	s, _ := folderServer(t)
	var g sync.WaitGroup
	var mu sync.Mutex
	jobs := map[string]bool{}
	s.stage(stall("1.0", nil))
	for range 8 {
		g.Go(func() {
			for {
				status, body := s.call("POST", "/api/v1/servers/lantern/deployments", s.token(), `{"crates":["drum-tent"]}`, "Idempotency-Key", "once")
				if status == 409 { // the first is under way
					continue
				}
				assert.Equal(t, 202, status, body)
				var j api.Job
				assert.NoError(t, json.Unmarshal([]byte(body), &j))
				mu.Lock()
				jobs[j.ID] = true
				mu.Unlock()
				return
			}
		})
	}
	g.Wait()
	require.Len(t, jobs, 1)
	testbed.Eventually(t, "it is drafted", func() bool { return s.rows(`SELECT COUNT(*) FROM deployment`) == 1 })
}
