package e2e

import (
	"fmt"
	"net"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// Players are told before a stop, by lines of the console.
func TestPlayersAreTold(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	r.control(r.byCommands("tidewright") + "warn: [{seconds: 1, line: 'say the gates close in {seconds} second'}]\n")
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "players are told 1 s before")
	require.Contains(t, r.read("tidewright.log.1"), "everybody hears: the gates close in 1 second")
}

// An add-on that can be reloaded is taken anew without a stop.
func TestAReloadNeedsNoStop(t *testing.T) {
	t.Parallel()
	r := play(t, "lanternfall")
	r.must("stage", r.download("drum-tent-0.4.0.zip"), r.download("drum-tent-0.5.0.zip"))
	pid := r.pid()
	out := r.must("deploy", "here", "drum-tent@0.4.0", "--yes", "--accept", "author-says")
	require.Contains(t, out, "it is taken anew without a stop: reopen drum-tent")
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 0.4.0")
	r.must("deploy", "here", "drum-tent@0.5.0", "--yes", "--accept", "author-says")
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 0.5.0")
	require.Contains(t, r.must("reload", "here", "drum-tent"), "reopened at")
	require.Equal(t, pid, r.pid())
	require.Contains(t, r.must("log", "here"), "[drum-tent]")
	r.must("deploy", "here", "drum-tent@0.4.0", "--yes", "--restart", "--accept", "author-says")
	require.NotEqual(t, pid, r.pid())
	require.Contains(t, r.must("say", "here", "stalls"), "* drum-tent 0.4.0")
	r.fails(1, `there is no add-on "nobody" on here`, "reload", "here", "nobody")
}

// A port and an HTTP panel tell and do the same.
func TestControlByAPanelAndAPort(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	panel, err := standin.StartPanel(standin.Panel{Folder: r.root, Key: "panel-key", Start: []string{binary, "standin", "--game", "tidewright", "--folder", r.root, "--console", r.console, "--password", "tide-and-reed"}})
	require.NoError(t, err)
	defer func() { require.NoError(t, panel.Close()) }()
	r.env = append(r.env, "RESTLESS_SECRET_PANEL=panel-key")
	spec := fmt.Sprintf(`acts:
  start: {by: http, http: {method: POST, url: "%[1]s/power", headers: {X-Key: "{secret:panel}"}, body: '{"do":"start"}', expect: '"taken"'}}
  stop: {by: http, http: {method: POST, url: "%[1]s/power", headers: {X-Key: "{secret:panel}"}, body: '{"do":"stop"}', expect: '"taken"'}}
  say: {by: http, http: {method: POST, url: "%[1]s/line", headers: {X-Key: "{secret:panel}"}, body: '{"line":"{line}"}'}}
probes:
  - {by: http, http: {url: "%[1]s/state", headers: {X-Key: "{secret:panel}"}, expect: '"running"'}, stopped: '"stopped"'}
  - {by: port, address: "%[2]s"}
rcon: %[2]s
stop-within: 5
ready-within: 5
`, panel.URL, r.console)
	r.must("server", "control", "here", "--file", written(t, "panel.yaml", spec), "--secret", "panel", "--secret", "rcon")
	out := r.must("restart", "here", "--yes")
	require.Contains(t, out, "its log says that it is ready")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "Roll call: 1 loaded")
	require.NotContains(t, r.must("server", "control", "here", "--json"), "panel-key")
	r.env[len(r.env)-1] = "RESTLESS_SECRET_PANEL=wrong"
	r.must("server", "control", "here", "--secret", "panel")
	r.fails(1, "stop by http was answered with 403", "stop", "here", "--yes")
	require.Contains(t, r.must("server", "control", "here"), "the answer is not understood: 403", "what one probe cannot tell another may")
	r.env = append(r.env, "RESTLESS_SECRET_RCON=wrong")
	require.NoError(t, kill(r.pid()))
	testbed.Eventually(t, "the port is closed", func() bool {
		c, err := net.Dial("tcp", r.console)
		if err == nil {
			c.Close()
		}
		return err != nil
	})
}

// Commands over SSH stop and start a real process on a real sshd's machine.
func TestControlOverSSH(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stop", "here", "--yes")
	d := testbed.StartSSHD(t)
	r.must("server", "edit", "here", "--sftp", fmt.Sprintf("%s@%s", d.User, d.Addr()), "--key", d.KeyFile, "--root", r.root)
	r.trustServer("here")
	r.must("server", "test", "here")
	r.control(strings.ReplaceAll(r.byCommands("tidewright"), "{by: command,", "{by: ssh,"))
	require.Contains(t, r.must("server", "control", "here"), "here is STOPPED")
	r.must("start", "here", "--yes")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "Roll call: 1 loaded")
	require.Contains(t, r.read("tidewright.conf"), "days-open = 2\n")
	r.must("stop", "here", "--yes")
	require.Empty(t, r.pid())
	r.control(strings.Replace(strings.ReplaceAll(r.byCommands("tidewright"), "{by: command,", "{by: ssh,"), "kill -TERM", "echo no such luck; exit 3; kill -TERM", 1))
	r.must("start", "here", "--yes")
	r.fails(1, "stop by ssh ended with exit code 3: no such luck", "stop", "here", "--yes")
}

// What is wrong with a control file is said, and nothing is kept.
func TestWhatIsWrongWithControlIsSaid(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	for text, want := range map[string]string{
		"acts: {halt: {by: hand, command: x}}":                        `there is no act "halt"`,
		"acts: {stop: {by: telepathy}}":                               `one of "command, ssh, http, rcon, hand"`,
		"acts: {stop: {by: ssh}}":                                     "stop by ssh needs a command",
		"acts: {stop: {by: rcon, command: quit}}":                     "stop by rcon needs rcon: HOST:PORT",
		"acts: {stop: {by: http, http: {url: x}}}":                    "stop by http needs an address (url) that begins with http:// or https://",
		"probes: [{by: port}]":                                        "probe 1 by port needs an address",
		"probes: [{by: http, http: {url: 'http://x'}, stopped: '('}]": "stopped: missing closing )",
		"atcs: {}": "field atcs not found",
	} {
		r.fails(2, want, "server", "control", "here", "--file", written(t, "wrong.yaml", text))
	}
	require.Contains(t, r.must("server", "control", "here"), "here is RUNNING", "the old one holds")
}

// What runs is not started a second time: two of them would write the same files.
func TestWhatRunsIsNotStartedAgain(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	pid := r.pid()
	require.Contains(t, r.must("start", "here", "--yes"), "here runs already, and nothing was done; command: its command ended with 0.")
	require.Equal(t, pid, r.pid())
	require.Contains(t, r.must("stop", "here", "--yes"), "here: stop done in ")
	require.Contains(t, r.must("stop", "here", "--yes"), "here is stopped already, and nothing was done; command: its command ended with 1.")
	require.Contains(t, r.must("restart", "here", "--yes"), "its log says that it is ready", "it starts what stands still")
}
