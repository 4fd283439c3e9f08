package e2e

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptrace"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// waiting is a command line that goes on while the test does something else.
type waiting struct {
	t         *testing.T
	cmd       *exec.Cmd
	out, errs shared
}

// said is all that it has said so far.
func (w *waiting) said() string { return w.out.String() + w.errs.String() }

func (s *service) begin(args ...string) *waiting {
	s.t.Helper()
	w := &waiting{t: s.t, cmd: exec.Command(binary, args...)}
	w.cmd.Stdout, w.cmd.Stderr = &w.out, &w.errs
	w.cmd.Env = append(append(os.Environ(), "RESTLESS_DATA="+s.data), s.env...)
	require.NoError(s.t, w.cmd.Start())
	s.t.Cleanup(func() { _ = w.cmd.Process.Kill() }) // it has ended, where the test has
	return w
}

// interrupt presses Ctrl-C.
func (w *waiting) interrupt() { require.NoError(w.t, w.cmd.Process.Signal(os.Interrupt)) }

// ended waits for the end of the command.
func (w *waiting) ended() output {
	_ = w.cmd.Wait() // the exit code tells
	return output{out: w.out.String(), err: w.errs.String(), code: w.cmd.ProcessState.ExitCode()}
}

// doing waits until the service does one piece of work of a kind, and gives it.
func (s *service) doing(kind string) (j api.Job) {
	s.t.Helper()
	testbed.Eventually(s.t, "the service is at work: "+kind, func() bool {
		var all []api.Job
		s.get(&all, "job", "list")
		for _, j = range all {
			if j.Kind == kind {
				return true
			}
		}
		return false
	})
	return j
}

// leavable makes a call and gives its end, and the function that leaves it. It returns
// when the service has been sent the call.
func (s *service) leavable(method, path string) (end <-chan error, leave func()) {
	s.t.Helper()
	ctx, leave := context.WithCancel(s.t.Context())
	sent, over := make(chan struct{}), make(chan error, 1)
	ctx = httptrace.WithClientTrace(ctx, &httptrace.ClientTrace{WroteRequest: func(httptrace.WroteRequestInfo) { close(sent) }})
	req, err := http.NewRequestWithContext(ctx, method, fmt.Sprintf("http://127.0.0.1:%d%s", s.port, path), nil)
	require.NoError(s.t, err)
	req.Header.Set("Authorization", "Bearer "+s.token())
	req.Header.Set("Content-Type", "application/json")
	go func() {
		res, err := http.DefaultClient.Do(req)
		if err == nil {
			err = res.Body.Close()
		}
		over <- err
	}()
	<-sent
	return over, leave
}

func TestADraftOfAHungHostIsCancelled(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	testbed.Hang(t, d)

	w := s.begin("deploy", "lantern", "drum-tent@1.0", "--draft")
	j := s.doing("draft")
	require.True(t, j.Cancellable)
	require.Contains(t, s.must("job", "list"), "draft of lantern")
	require.Contains(t, s.must("job", "cancel", j.ID), "The draft of lantern is cancelled.")
	o := w.ended()
	require.Equal(t, 1, o.code)
	require.Contains(t, o.err, "owner cancelled the draft of lantern; nothing was changed")
	s.fails(1, "the draft of lantern has ended already", "job", "cancel", j.ID)
	s.fails(1, `there is no job "job-none"`, "job", "cancel", "job-none")

	w = s.begin("deploy", "lantern", "drum-tent@1.0", "--draft") // nobody needs what nobody waits for
	s.doing("draft")
	w.interrupt()
	o = w.ended()
	require.Equal(t, 1, o.code)
	require.Contains(t, o.err, "owner cancelled the draft of lantern; nothing was changed")
	require.Contains(t, s.must("job", "list"), "The service is doing nothing.")

	w = s.begin("rollcall", "lantern")
	require.Contains(t, s.must("job", "cancel", s.doing("roll call").ID), "The roll call of lantern is cancelled.")
	o = w.ended()
	require.Equal(t, 1, o.code)
	require.Contains(t, o.err, "owner cancelled the roll call of lantern; nothing was changed on the server")

	testbed.Thaw(t, d)
	require.Empty(t, testbed.Snapshot(t, root))
	var list []api.Deployment
	s.get(&list, "deployment", "list")
	require.Empty(t, list)
	s.must("deploy", "lantern", "drum-tent@1.0", "--yes")
}

// A run changes things: it is halted, not cancelled, and goes on without a watcher.
func TestARunIsNotCancelled(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	s.must("deploy", "lantern", "drum-tent@1.0", "--draft")
	testbed.Hang(t, d)
	w := s.begin("deployment", "run", "lantern#1", "--yes")
	j := s.doing("run")
	require.False(t, j.Cancellable)
	o := s.fails(1, "the run of lantern#1 cannot be cancelled: it changes things", "job", "cancel", j.ID)
	require.Contains(t, o.err, "It can be halted between two motions, to be resumed or undone.\n    restless deployment halt lantern#1\n")
	w.interrupt()
	o = w.ended()
	require.Equal(t, 1, o.code)
	require.Contains(t, o.err, "stopped waiting; the run of lantern#1 goes on at the service")
	testbed.Thaw(t, d)
	var run api.Deployment
	testbed.Eventually(t, "it is done", func() bool { s.get(&run, "deployment", "show", "lantern#1"); return run.State == "done" })
	require.FileExists(t, filepath.Join(root, "stalls/drum-tent/wares/w007.txt"))
}

// A test of a hung host ends with its caller, keeps no other from its turn, and leaves
// nothing on the host.
func TestATestOfAHungHostEndsWithItsCaller(t *testing.T) {
	t.Parallel()
	s, d, root := overSSH(t)
	s.trust()
	testbed.Hang(t, d)
	first, leaveFirst := s.leavable("POST", "/api/v1/servers/lantern/test")
	second, leaveSecond := s.leavable("POST", "/api/v1/servers/lantern/test")
	leaveSecond()
	require.ErrorIs(t, <-second, context.Canceled)
	leaveFirst()
	require.ErrorIs(t, <-first, context.Canceled)
	testbed.Thaw(t, d)

	for { // until the host hangs before it is done
		third, leaveThird := s.leavable("POST", "/api/v1/servers/lantern/test")
		testbed.Eventually(t, "the test is at work, or done", func() bool { return entries(filepath.Join(root, ".restless-crate")) > 0 || len(third) > 0 })
		testbed.Hang(t, d)
		leaveThird()
		err := <-third
		if errors.Is(err, context.Canceled) {
			break
		}
		require.NoError(t, err)
		testbed.Thaw(t, d)
	}
	testbed.Thaw(t, d)
	testbed.Eventually(t, "its files are taken away", func() bool { return entries(root) == 0 })
	require.NotContains(t, s.must("server", "test", "lantern"), "had left")
	require.Empty(t, testbed.Snapshot(t, root))
}

func TestADraftOfAHungHostIsCancelledByClicking(t *testing.T) {
	t.Parallel()
	s, d, _ := overSSH(t)
	s.trust()
	s.stage(many("1.0"))
	c := openConsole(t, s)
	c.goTo("/servers/lantern")
	c.clickIn("main header", "Deploy…")
	c.click("drum-tent 1.0")
	testbed.Hang(t, d)
	c.click("Draft it")
	c.see("Looking at lantern…")
	c.clickIn("[role=dialog]", "Cancel")
	idle := func() bool { return s.must("job", "list") == "The service is doing nothing.\n" }
	testbed.Eventually(t, "the draft is cancelled", idle)
	testbed.Eventually(t, "the sheet says so", func() bool {
		words, err := c.page.Text("[role=dialog]")
		return err == nil && !strings.Contains(words, "Looking at lantern")
	})
	alerts, err := browser.Eval[int](c.page, `document.querySelectorAll('[role=alert]').length`)
	require.NoError(t, err)
	require.Zero(t, alerts, "what a person cancelled is no error")

	c.click("Draft it")
	s.doing("draft")
	c.ok(c.page.Press("Escape")) // who closes the sheet does not wait either
	testbed.Eventually(t, "the draft is given up", idle)
	testbed.Thaw(t, d)
	c.clickIn("main header", "Deploy…")
	c.click("Draft it")
	c.see("lantern#1")
}

// A program that reads a list gets one where nothing is in it.
func TestAnEmptyListIsOne(t *testing.T) {
	t.Parallel()
	s := start(t)
	for _, list := range [][]string{{"job", "list"}, {"session", "list"}, {"deployment", "list"}, {"server", "list"}, {"crate", "list"}} {
		require.Equal(t, "[]\n", s.must(append(list, "--json")...), list)
	}
}
