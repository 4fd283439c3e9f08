// Package e2e drives the built binary over its command line and its API,
// against real folders and a real sshd.
package e2e

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "restless-e2e-")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "restless")
	build := exec.Command("go", "build", "-o", binary, "restlesscrate/cmd/restless")
	build.Stderr = os.Stderr
	if err := build.Run(); err != nil {
		panic(err)
	}
	if books, err = withoutLists(dir); err != nil {
		panic(err)
	}
	code := m.Run()
	closeChromium()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// service is one running `restless serve` with its data folder.
type service struct {
	t    *testing.T
	data string
	port int
	cmd  *exec.Cmd
	log  shared
	env  []string
	// rideOut is for how long a lost line is tried again.
	rideOut string
	more    []string // further arguments of serve
}

func start(t *testing.T) *service { return startIn(t, t.TempDir()) }

// startIn starts a service whose data folder is made in dir.
func startIn(t *testing.T, dir string) *service {
	s := &service{t: t, data: filepath.Join(dir, "data"), port: testbed.FreePort(t), rideOut: "0s"}
	s.up()
	t.Cleanup(func() {
		s.kill()
		if t.Failed() {
			t.Logf("the service said:\n%s", s.log.String())
		}
	})
	return s
}

// up starts the service and waits until it is ready.
func (s *service) up() { s.upTo(http.StatusOK) }

// upTo starts the service and waits until readyz answers with a status.
func (s *service) upTo(status int) {
	s.t.Helper()
	s.log.Reset()
	s.cmd = exec.Command(binary, append([]string{"serve", "--data", s.data, "--listen", fmt.Sprintf("127.0.0.1:%d", s.port), "--ride-out", s.rideOut}, s.more...)...)
	s.cmd.Stdout, s.cmd.Stderr = &s.log, &s.log
	s.cmd.Env = append(os.Environ(), s.env...)
	require.NoError(s.t, s.cmd.Start())
	testbed.Eventually(s.t, "the service is ready", func() bool {
		res, err := http.Get(fmt.Sprintf("http://127.0.0.1:%d/readyz", s.port))
		if err != nil {
			return false
		}
		res.Body.Close()
		return res.StatusCode == status
	})
}

// kill is kill -9.
func (s *service) kill() {
	if s.cmd != nil {
		_ = s.cmd.Process.Kill()
		_ = s.cmd.Wait()
		s.cmd = nil
	}
}

// output is what one command line gave.
type output struct {
	out, err string
	code     int
}

// restless runs a command line against the service.
func (s *service) restless(args ...string) output {
	s.t.Helper()
	cmd := exec.Command(binary, args...)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	cmd.Env = append(append(os.Environ(), "RESTLESS_DATA="+s.data), s.env...)
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(s.t, err)
	}
	return output{out: out.String(), err: errs.String(), code: cmd.ProcessState.ExitCode()}
}

// must is restless for commands that have to work.
func (s *service) must(args ...string) string {
	s.t.Helper()
	o := s.restless(args...)
	require.Zero(s.t, o.code, "restless %s\n%s%s", strings.Join(args, " "), o.out, o.err)
	return o.out
}

// fails runs a command that has to fail with that code and those words.
func (s *service) fails(code int, words string, args ...string) output {
	s.t.Helper()
	o := s.restless(args...)
	require.Equal(s.t, code, o.code, "restless %s\n%s%s", strings.Join(args, " "), o.out, o.err)
	require.Contains(s.t, o.err, words, "restless %s", strings.Join(args, " "))
	return o
}

// get reads a command's --json into v.
func (s *service) get(v any, args ...string) {
	s.t.Helper()
	require.NoError(s.t, json.Unmarshal([]byte(s.must(append(args, "--json")...)), v))
}

// call makes one API call; token "" leaves credentials out.
func (s *service) call(method, path, token string, body string, header ...string) (int, string) {
	s.t.Helper()
	req, err := http.NewRequest(method, fmt.Sprintf("http://127.0.0.1:%d%s", s.port, path), strings.NewReader(body))
	require.NoError(s.t, err)
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
	require.NoError(s.t, err)
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	return res.StatusCode, string(raw)
}

func (s *service) token() string {
	raw, err := os.ReadFile(filepath.Join(s.data, "client.json"))
	require.NoError(s.t, err)
	var l struct{ Token string }
	require.NoError(s.t, json.Unmarshal(raw, &l))
	return l.Token
}

// fullBooks are the demo's rulebooks, and books the same without load lists: what
// those tests see on a server is what they put there, and nothing else.
const fullBooks = "../demo/rulebooks/"

var books string

// withoutLists writes the demo's rulebooks without their load lists and what is done
// by hand.
func withoutLists(dir string) (string, error) {
	all, err := filepath.Glob(fullBooks + "*.yaml")
	if err != nil {
		return "", err
	}
	out := filepath.Join(dir, "books") + "/"
	if err := os.Mkdir(out, 0o755); err != nil {
		return "", err
	}
	list := regexp.MustCompile(`(?m)^(?:load-lists|by-hand):\n(?:(?: .*)?\n)+`)
	for _, file := range all {
		raw, err := os.ReadFile(file)
		if err != nil {
			return "", err
		}
		if err := os.WriteFile(out+filepath.Base(file), list.ReplaceAll(raw, nil), 0o644); err != nil {
			return "", err
		}
	}
	return out, nil
}

// stall is the text of a zip of the drum tent: a wrapper folder with a branch
// suffix, an inner folder with the same, and some wares.
func stall(version string, wares map[string]string) map[string]string {
	files := map[string]string{
		"drum-tent-main/README.md":               "Put the inner folder on the server.\n",
		"drum-tent-main/drum-tent-main/stall.lf": fmt.Sprintf("title = \"Drum Tent\"\nversion = %q\n", version),
	}
	for name, text := range wares {
		files["drum-tent-main/drum-tent-main/wares/"+name] = text
	}
	return files
}

// folderServer starts a service with a server "lantern" in a local folder.
func folderServer(t *testing.T) (s *service, root string) {
	root = t.TempDir()
	return folderServerAt(t, root), root
}

func folderServerAt(t *testing.T, root string) *service {
	s := start(t)
	s.must("rulebook", "add", books+"lanternfall.yaml")
	s.must("server", "add", "lantern", "--rulebook", "lanternfall", "--folder", root)
	s.must("server", "test", "lantern")
	return s
}

// settled is a server's tree once nothing of ours is left on it: what is done is
// tidied after it has been recorded as done.
func settled(t *testing.T, root string) map[string]testbed.Thing {
	t.Helper()
	work := filepath.Join(root, ".restless-crate")
	t.Cleanup(func() {
		if t.Failed() {
			left, err := filepath.Glob(work + "/*/*")
			t.Logf("left on the server: %q, %v", left, err)
		}
	})
	testbed.Eventually(t, "it is tidied", func() bool { _, err := os.Stat(work); return os.IsNotExist(err) })
	return testbed.Snapshot(t, root)
}

func (s *service) stage(texts map[string]string) string {
	s.t.Helper()
	return s.must("stage", testbed.Zip(s.t, filepath.Join(s.t.TempDir(), "drum-tent-main.zip"), texts), "--for", "lantern")
}

// helper builds a helper program and puts it where the service looks for such.
func (s *service) helper(program string) {
	s.t.Helper()
	dir := filepath.Join(s.data, "helpers")
	require.NoError(s.t, os.MkdirAll(dir, 0o700))
	out, err := exec.Command("go", "build", "-o", filepath.Join(dir, program), "restlesscrate/cmd/"+program).CombinedOutput()
	require.NoError(s.t, err, "%s", out)
}

// textFile writes a file, which may be run, and gives its path.
func textFile(t *testing.T, folder, name, text string) string {
	t.Helper()
	file := filepath.Join(folder, name)
	testbed.Write(t, file, text)
	require.NoError(t, os.Chmod(file, 0o755))
	return file
}
