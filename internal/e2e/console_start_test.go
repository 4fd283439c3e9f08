package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/testbed"
)

// A start that proves nothing is waited for long. It can be given up, it is shown in every
// window, and a second press follows it instead of starting a second server.
func TestAStartThatProvesNothingCanBeGivenUp(t *testing.T) {
	t.Parallel()
	s, root := folderServer(t)
	s.must("server", "control", "lantern", "--yes", "--file", textFile(t, t.TempDir(), "control.yaml", `acts:
  start: {by: command, command: "echo started >> `+root+`/starts"}
  stop: {by: command, command: "true"}
probes: [{by: command, command: "test -f `+root+`/running"}]
ready-within: 600
`))
	c := openConsole(t, s)
	c.goTo("/servers/lantern/running")
	c.clickIn("[data-standing='stopped']", "Start")
	c.see("Starting…")
	c.goTo("/servers/lantern/running") // loaded again
	c.see("Starting…")
	tab, closeTab, err := c.page.Another(1280, 800)
	require.NoError(t, err)
	defer closeTab()
	other := console{t, tab, c.base}
	other.goTo("/servers/lantern/running")
	other.see("Starting…")

	press := func(act string) (int, api.Job, string) {
		var j api.Job
		status, raw := s.call("POST", "/api/v1/servers/lantern/acts", s.token(), `{"act": "`+act+`", "wait": true}`)
		if status == 202 {
			require.NoError(t, json.Unmarshal([]byte(raw), &j))
		}
		return status, j, raw
	}
	_, one, _ := press("start")
	_, two, _ := press("start")
	require.Equal(t, one.ID, two.ID, "the second press follows the first")
	status, _, raw := press("stop")
	require.Equal(t, 409, status)
	require.Contains(t, raw, "lantern is told to start already, and that is waited for")

	c.click("Give it up")
	c.see("what the server was told stays told")
	c.seeIn("[data-standing='stopped']", "Start")
	other.seeIn("[data-standing='stopped']", "Start")
	require.Equal(t, 1, strings.Count(read(t, filepath.Join(root, "starts")), "started"), "it was started once")

	// It can be pressed again then, and comes up.
	require.NoError(t, os.WriteFile(filepath.Join(root, "running"), nil, 0o600))
	testbed.Eventually(t, "another start is another job", func() bool {
		status, three, _ := press("start")
		return status == 202 && three.ID != one.ID
	})
}
