package control

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/power"
)

// driver is one whose secrets are "rcon" and "panel".
func driver(spec power.Control) *Driver {
	return &Driver{Spec: &spec, Patience: 5 * time.Second, Secrets: func(name string) (string, error) {
		return map[string]string{"rcon": "open sesame", "panel": "key one"}[name], nil
	}}
}

func TestACommandsOutputAndExitCodeAreKept(t *testing.T) {
	d := driver(power.Control{Acts: map[power.Act]power.Way{
		power.Stop:    {By: power.ByCommand, Command: "echo going; echo badly >&2; exit 4"},
		power.Start:   {By: power.ByCommand, Command: "echo {secret:panel}"},
		power.Reload:  {By: power.ByCommand, Command: "printf '%s' {addon}"},
		power.Restart: {By: power.ByHand, Command: "Press the button."},
	}})
	ans, err := d.Do(t.Context(), power.Stop, "")
	var no *RefusedError
	require.ErrorAs(t, err, &no)
	require.Equal(t, 4, no.Answer.Code)
	require.Equal(t, "going\nbadly\n", ans.Text)
	require.ErrorContains(t, err, "stop by command ended with exit code 4: going\nbadly")
	ans, err = d.Do(t.Context(), power.Start, "")
	require.NoError(t, err)
	require.Equal(t, "(secret panel)\n", ans.Text, "an output is kept and shown; a secret is not")
	ans, err = d.Do(t.Context(), power.Reload, `it's $(rm -rf) "odd"`)
	require.NoError(t, err)
	require.Equal(t, `it's $(rm -rf) "odd"`, ans.Text, "what is put in is one word of the shell")
	ans, err = d.Do(t.Context(), power.Restart, "")
	require.ErrorIs(t, err, ErrByHand)
	require.Equal(t, "Press the button.", ans.Text)
	_, err = d.Do(t.Context(), power.Say, "hello")
	require.ErrorIs(t, err, ErrNoWay)
}

func TestWhatACommandStartsLivesOnAndHoldsNothingUp(t *testing.T) {
	pid := filepath.Join(t.TempDir(), "pid")
	d := driver(power.Control{Acts: map[power.Act]power.Way{power.Start: {By: power.ByCommand, Command: fmt.Sprintf("sleep 60 & echo $! > %s; echo started", pid)},
		power.Stop: {By: power.ByCommand, Command: fmt.Sprintf("kill $(cat %s)", pid)}},
		Probes: []power.Probe{{By: power.ByCommand, Command: fmt.Sprintf("kill -0 $(cat %s)", pid)}}})
	ans, err := d.Do(t.Context(), power.Start, "")
	require.NoError(t, err)
	require.Equal(t, "started\n", ans.Text)
	state, _ := d.State(t.Context())
	require.Equal(t, power.Running, state)
	_, err = d.Do(t.Context(), power.Stop, "")
	require.NoError(t, err)
	require.Eventually(t, func() bool { state, _ = d.State(t.Context()); return state == power.Stopped }, 10*time.Second, 10*time.Millisecond)
}

func TestACommandThatDoesNotEndIsEnded(t *testing.T) {
	left := filepath.Join(t.TempDir(), "left")
	d := driver(power.Control{Acts: map[power.Act]power.Way{power.Stop: {By: power.ByCommand, Command: fmt.Sprintf("sh -c 'sleep 30; touch %s' ; true", left)}}})
	d.Patience = 100 * time.Millisecond
	_, err := d.Do(t.Context(), power.Stop, "")
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.NoFileExists(t, left)
}

// consoleServer speaks the console protocol as do says, with one client.
func consoleServer(t *testing.T, do func(c net.Conn)) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() { defer c.Close(); do(c) }()
		}
	}()
	return l.Addr().String()
}

func send(c io.Writer, id, kind int32, text string) {
	raw := binary.LittleEndian.AppendUint32(nil, uint32(len(text)+10))
	raw = binary.LittleEndian.AppendUint32(raw, uint32(id))
	raw = binary.LittleEndian.AppendUint32(raw, uint32(kind))
	_, _ = c.Write(append(append(raw, text...), 0, 0))
}

func receive(c io.Reader) (id, kind int32, text string, ok bool) {
	var head [4]byte
	if _, err := io.ReadFull(c, head[:]); err != nil {
		return 0, 0, "", false
	}
	body := make([]byte, binary.LittleEndian.Uint32(head[:]))
	if _, err := io.ReadFull(c, body); err != nil {
		return 0, 0, "", false
	}
	return int32(binary.LittleEndian.Uint32(body)), int32(binary.LittleEndian.Uint32(body[4:])), string(body[8 : len(body)-2]), true
}

// speak is a console with a password that answers a line with pieces.
func speak(pieces func(line string) []string) func(c net.Conn) {
	return func(c net.Conn) {
		for {
			id, kind, text, ok := receive(c)
			switch {
			case !ok:
				return
			case kind == 3:
				send(c, id, 0, "") // some send an empty answer first
				if text != "open sesame" {
					id = -1
				}
				send(c, id, 2, "")
			case kind == 2:
				for _, p := range pieces(text) {
					send(c, id, 0, p)
				}
			default:
				send(c, id, 0, "")
			}
		}
	}
}

func TestALongAnswerOfTheConsoleIsWhole(t *testing.T) {
	var want strings.Builder
	for i := range 3000 {
		fmt.Fprintf(&want, "* fixture-%d 1.%d\n", i, i)
	}
	addr := consoleServer(t, speak(func(line string) []string {
		if line != "fixtures" {
			return []string{""}
		}
		var out []string
		for rest := want.String(); rest != ""; {
			n := min(len(rest), 4096)
			out, rest = append(out, rest[:n]), rest[n:]
		}
		return out
	}))
	d := driver(power.Control{RCON: addr})
	ans, err := d.Do(t.Context(), power.Say, "fixtures")
	require.NoError(t, err)
	require.Equal(t, want.String(), ans.Text)
	ans, err = d.Do(t.Context(), power.Reload, "quiet")
	require.NoError(t, err)
	require.Empty(t, ans.Text)
}

func TestAConsoleThatRefusesDropsOrIsNone(t *testing.T) {
	wrong := driver(power.Control{RCON: consoleServer(t, speak(func(string) []string { return nil }))})
	wrong.Secrets = func(string) (string, error) { return "nothing", nil }
	_, err := wrong.Do(t.Context(), power.Say, "x")
	require.ErrorIs(t, err, ErrConsolePassword)

	dropped := driver(power.Control{RCON: consoleServer(t, func(c net.Conn) {
		id, _, _, _ := receive(c)
		send(c, id, 2, "")
		id, _, _, _ = receive(c)
		send(c, id, 0, "half of ")
	})})
	ans, err := dropped.Do(t.Context(), power.Say, "x")
	require.ErrorContains(t, err, "the line was lost before the whole answer was there")
	require.Equal(t, "half of ", ans.Text)

	none := driver(power.Control{RCON: consoleServer(t, func(c net.Conn) { _, _ = c.Write([]byte("HTTP/1.1 400 Bad Request\r\n")) })})
	_, err = none.Do(t.Context(), power.Say, "x")
	require.ErrorContains(t, err, "is none of this protocol")

	silent := driver(power.Control{RCON: consoleServer(t, func(c net.Conn) { _, _ = io.Copy(io.Discard, c) })})
	silent.Patience = 50 * time.Millisecond
	_, err = silent.Do(t.Context(), power.Say, "x")
	require.ErrorIs(t, err, context.DeadlineExceeded)
}

func TestARequestIsMadeAsItIsSaid(t *testing.T) {
	var got *http.Request
	var body string
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		got, body = r, string(raw)
		switch r.URL.Path {
		case "/elsewhere":
			http.Redirect(w, r, "http://127.0.0.1:1/", http.StatusFound)
		case "/no":
			http.Error(w, "not today", http.StatusTeapot)
		default:
			fmt.Fprint(w, `{"state":"taken"}`)
		}
	}))
	defer srv.Close()
	request := func(path, expect string) *power.HTTPRequest {
		return &power.HTTPRequest{Method: "POST", URL: srv.URL + path, Headers: map[string]string{"X-Key": "{secret:panel}"}, Body: `{"line":"{line}"}`, Expect: expect}
	}
	d := driver(power.Control{Acts: map[power.Act]power.Way{power.Say: {By: power.ByHTTP, HTTP: request("/line?to={addon}", `"taken"`)}, power.Stop: {By: power.ByHTTP, HTTP: request("/no", "")},
		power.Start: {By: power.ByHTTP, HTTP: request("/line", "begun")}, power.Restart: {By: power.ByHTTP, HTTP: request("/elsewhere", "")}}})
	_, err := d.Do(t.Context(), power.Say, `say "hi" & go`)
	require.NoError(t, err)
	require.Equal(t, "key one", got.Header.Get("X-Key"))
	require.Equal(t, `say "hi" & go`, got.URL.Query().Get("to"))
	require.Equal(t, `{"line":"say \"hi\" & go"}`, body)
	_, err = d.Do(t.Context(), power.Stop, "")
	require.ErrorContains(t, err, "stop by http was answered with 418 I'm a teapot: not today")
	_, err = d.Do(t.Context(), power.Start, "")
	require.ErrorContains(t, err, "start by http was answered otherwise than expected (begun)")
	_, err = d.Do(t.Context(), power.Restart, "")
	require.ErrorContains(t, err, "was answered with 302", "secrets are not sent on to another address")
	srv.Close()
	_, err = d.Do(t.Context(), power.Say, "x")
	require.Error(t, err)
	require.NotContains(t, err.Error(), srv.URL, "an address may hold a secret")
	d.Spec.Acts[power.Say] = power.Way{By: power.ByHTTP, HTTP: &power.HTTPRequest{URL: "http://x/{secret:other}"}}
	_, err = d.Do(t.Context(), power.Say, "x")
	require.ErrorContains(t, err, `there is no secret "other": it was not given with the control`)
}

func TestProbesTogetherTellWhetherAServerRuns(t *testing.T) {
	yes, no, odd := power.Probe{By: power.ByCommand, Command: "true"}, power.Probe{By: power.ByCommand, Command: "exit 3"}, power.Probe{By: power.ByCommand, Command: "exit 40"}
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := closed.Addr().String()
	open := driver(power.Control{Probes: []power.Probe{{By: power.ByPort, Address: address}}})
	state, found := open.State(t.Context())
	require.Equal(t, power.Running, state)
	require.Equal(t, "something listens at "+address, found[0].Words)
	require.NoError(t, closed.Close())
	port := power.Probe{By: power.ByPort, Address: address}
	for _, c := range []struct {
		probes []power.Probe
		want   power.Condition
	}{{[]power.Probe{yes}, power.Running}, {[]power.Probe{no}, power.Stopped}, {[]power.Probe{odd}, power.Unknown}, {[]power.Probe{no, yes}, power.Running}, {[]power.Probe{no, odd}, power.Unknown},
		{[]power.Probe{odd, yes}, power.Running}, {nil, power.Unknown}, {[]power.Probe{port}, power.Stopped}, {[]power.Probe{port, no}, power.Stopped}} {
		state, _ := driver(power.Control{Probes: c.probes}).State(t.Context())
		require.Equal(t, c.want, state, "%v", c.probes)
	}
	rcon := driver(power.Control{RCON: address, Probes: []power.Probe{{By: power.ByRCON}}})
	state, found = rcon.State(t.Context())
	require.Equal(t, power.Stopped, state)
	require.Contains(t, found[0].Words, "nobody listens")
	rcon.Spec.RCON = consoleServer(t, speak(func(string) []string { return nil }))
	state, _ = rcon.State(t.Context())
	require.Equal(t, power.Running, state)
}

func TestAnAnswerTellsWhetherAServerRuns(t *testing.T) {
	answer := ""
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, answer) }))
	defer srv.Close()
	d := driver(power.Control{Probes: []power.Probe{{By: power.ByHTTP, HTTP: &power.HTTPRequest{URL: srv.URL, Expect: "up"}, Stopped: "down"}}})
	for text, want := range map[string]power.Condition{"up": power.Running, "down": power.Stopped, "sideways": power.Unknown} {
		answer = text
		state, _ := d.State(t.Context())
		require.Equal(t, want, state, text)
	}
	d.Spec.Probes[0].Stopped = ""
	answer = "sideways"
	state, _ := d.State(t.Context())
	require.Equal(t, power.Stopped, state, "without a word for stopped, any other answer is it")
}

func TestASpecIsChecked(t *testing.T) {
	require.NoError(t, (&power.Control{}).Check())
	err := (&power.Control{Acts: map[power.Act]power.Way{"halt": {By: power.ByHand, Command: "x"}, power.Stop: {By: power.ByRCON}, power.Start: {By: "x"}}, Probes: []power.Probe{{By: power.ByHand}, {By: power.ByHTTP, HTTP: &power.HTTPRequest{URL: "http://x", Expect: "("}}}}).Check()
	for _, want := range []string{`there is no act "halt"`, "stop by rcon needs a command", "stop by rcon needs rcon: HOST:PORT", `start: "x" is no way`, `probe 1: "hand" is no way`, "probe 2: expect: missing closing )"} {
		require.ErrorContains(t, err, want)
	}
	require.False(t, (*power.Control)(nil).Can(power.Stop))
	require.Equal(t, 7*time.Second, StopLimit(&power.Control{StopWithin: 7}))
	require.Equal(t, 3*time.Minute, ReadyLimit(&power.Control{}))
}

func TestTheShellOfTheHostIsUsedForSSH(t *testing.T) {
	d := driver(power.Control{Acts: map[power.Act]power.Way{power.Stop: {By: power.BySSH, Command: "stop it"}}})
	_, err := d.Do(t.Context(), power.Stop, "")
	require.ErrorContains(t, err, "this server is not reached over SSH")
	d.Host = shell{"gone", 0}
	ans, err := d.Do(t.Context(), power.Stop, "")
	require.NoError(t, err)
	require.Equal(t, "gone: stop it", ans.Text)
}

type shell struct {
	out  string
	code int
}

func (s shell) Exec(_ context.Context, command, _ string) (string, int, error) {
	return s.out + ": " + command, s.code, nil
}

func TestAServersVariablesStandInWhatIsRun(t *testing.T) {
	d := driver(power.Control{Acts: map[power.Act]power.Way{
		power.Start: {By: power.ByCommand, Command: `port=shell; echo {program} ${port} {line} {nothing}`},
		power.Stop:  {By: power.ByHTTP, HTTP: &power.HTTPRequest{URL: "http://x/{port}", Body: `{"by":"{program}"}`}}}})
	d.Variables = map[string]string{"program": "keel & co", "port": "north"}
	ans, err := d.Do(t.Context(), power.Start, "it's")
	require.NoError(t, err)
	require.Equal(t, "keel & co shell it's {nothing}\n", ans.Text, "what is no variable of the server, and what is the shell's, stays")
	require.Equal(t, []string{"program", "line", "nothing"}, d.Spec.Acts[power.Start].Takes())
	require.Equal(t, []string{"port", "program"}, d.Spec.Acts[power.Stop].Takes())
}

// A service that is killed leaves no output behind, and of much output the end is kept.
func TestACommandsOutputIsNobodysFile(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("an open file keeps its name there")
	}
	t.Setenv("TMPDIR", t.TempDir())
	d := driver(power.Control{Acts: map[power.Act]power.Way{power.Start: {By: power.ByCommand, Command: "ls $TMPDIR"}, power.Stop: {By: power.ByCommand, Command: "yes | head -c 70000; echo end"}}})
	ans, err := d.Do(t.Context(), power.Start, "")
	require.NoError(t, err)
	require.Empty(t, ans.Text)
	ans, err = d.Do(t.Context(), power.Stop, "")
	require.NoError(t, err)
	require.Len(t, ans.Text, 64<<10)
	require.True(t, strings.HasSuffix(ans.Text, "y\nend\n"))
}
