package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// A deployment in two legs is drafted and run in the console, the service is killed
// in the middle, and it is finished there; then the server is stopped, started and
// spoken to, an add-on is disabled, and the roll is called.
func TestTheConsoleRunsLegsAndAServer(t *testing.T) {
	t.Parallel()
	r := bare(t)
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("start-takes 3s\n"), 0o644))
	c := openConsole(t, r.service)
	c.goTo("/servers/here")
	c.clickIn("main header", "Deploy…")
	c.click("tide-base 3.2.1")
	c.click("Draft it")
	c.see("the text is changed in a later leg")
	c.seeIn("[data-phase='proof']", "next leg")
	c.click("Run it")
	testbed.Eventually(t, "the first start is under way", func() bool { return r.pid() != "" })
	r.kill()
	require.NoError(t, os.Remove(filepath.Join(r.root, "standin.rules"))) // the next start is quick
	r.up()
	c.goTo("/servers/here/deployments/1")
	c.see("The server stands half-way.")
	c.click("Resume")
	c.seeIn("[data-rollcall]", "1 loaded")
	c.seeIn("main", "Leg 2")
	c.seeIn("[data-diff]", "+load-fixtures = tide-base")
	c.seeIn("main", "from the stop to ready")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = tide-base\n")

	// The server's own page.
	c.goTo("/servers/here")
	c.seeIn("[data-addon='tide-base']", "loaded")
	c.click("Seen to work")
	c.seeIn("[data-addon='tide-base']", "confirmed")
	c.goTo("/servers/here/running")
	c.seeIn("[data-standing='running']", "its command ended with 0")
	c.seeIn("[data-log]", "fixture tide-base 3.2.1 in place")
	c.fill("A line for the console", "fixtures")
	c.click("Send")
	c.see("* tide-base 3.2.1")
	c.click("Stop")
	c.see("Whoever plays there is disconnected.")
	c.click("Stop it")
	c.seeIn("[data-standing='stopped']", "Start")
	require.Empty(t, r.pid())
	c.click("Start")
	c.seeIn("[data-standing='running']", "Restart")
	c.seeIn("[data-log]", "gates open")
	c.click("Call the roll")
	c.seeIn("[data-called='tide-base']", "fixture tide-base 3.2.1 in place")

	c.goTo("/servers/here")
	c.click("Disable")
	c.seeIn("[data-diff]", "-load-fixtures = tide-base")
	c.click("Run it")
	c.see("Take back…")
	c.goTo("/servers/here")
	c.seeIn("[data-addon='tide-base']", "disabled")
	require.Contains(t, r.read("tidewright.conf"), "load-fixtures = \n")
}

// What a person has to do is told with the text to copy, and ticked off there.
func TestTheConsoleTicksAStepByHandOff(t *testing.T) {
	t.Parallel()
	r := play(t, "mossgrave")
	r.must("stage", r.download("rope-lore-1.3.zip"))
	c := openConsole(t, r.service)
	c.goTo("/servers/here")
	c.clickIn("main header", "Deploy…")
	c.click("rope-lore 1.3")
	c.click("Draft it")
	c.see("Open the port that surveyors call, in your host's panel.")
	c.click("Run it")
	c.seeIn("[data-waiting]", "You may close this page meanwhile.")
	c.seeIn("[data-copy]", "7171/udp")
	c.seeIn("main", "waiting")
	c.click("It is done")
	c.seeIn("[data-rollcall]", "1 loaded")
}

// How a server is controlled is said in the console, whose probes answer at once, and
// what is kept is what a deployment then goes by.
func TestTheConsoleSaysHowAServerIsControlled(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	command := r.byCommands("tidewright")
	r.control("acts: {}\n")
	c := openConsole(t, r.service)
	c.goTo("/servers/here/running")
	c.see("is not known yet")
	c.click("Say how")
	c.see("Without a probe nothing proves that it has stopped")
	c.click("Add a probe")
	line := func(act string) string { // the command in the file of the command line
		_, text, _ := strings.Cut(command, act+": {by: command, command: \"")
		text, _, _ = strings.Cut(text, "\"}")
		return text
	}
	c.fill("Probe 1: what", "test -f "+r.root+"/standin.pid")
	c.pick("stop: how", "command")
	c.fill("stop: what", line("stop"))
	c.pick("start: how", "command")
	c.fill("start: what", line("start"))
	c.pick("say: how", "http")
	c.fill("say: address", "nowhere")
	c.click("Keep it and ask the probes")
	c.see("say by http needs an address (url)")
	c.pick("say: how", "")
	c.fill("Console (RCON)", r.console)
	c.fill("Secret: rcon", "tide-and-reed")
	c.click("Keep it and ask the probes")
	c.seeIn("[data-gave='running']", "its command ended with 0")
	c.goTo("/servers/here/running")
	c.seeIn("[data-standing='running']", "Stop")
	c.fill("A line for the console", "say hello")
	c.click("Send")
	c.seeIn("[data-log]", "everybody hears: hello")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	require.Contains(t, r.must("deploy", "here", "tide-base@3.2.1", "--yes"), "Roll call: 1 loaded")
	require.NotContains(t, r.must("server", "control", "here", "--json"), "tide-and-reed")
}

// What a person says is done is looked for, and can be ticked all the same.
func TestTheConsoleTicksUncheckedWhereAPersonKnowsBetter(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	book := read(t, fullBooks+"tidewright.yaml") + "\nby-hand:\n  - {what: Put your licence beside the program., check: {file: harbour.licence}}\n"
	r.must("rulebook", "add", written(t, "tidewright.yaml", book))
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	r.fails(4, "here#1 waits for a person", "deploy", "here", "tide-base@3.2.1", "--yes")
	c := openConsole(t, r.service)
	c.goTo("/servers/here/deployments/1")
	c.click("It is done")
	c.see("harbour.licence is not on the server")
	c.click("It is done all the same")
	c.seeIn("[data-rollcall]", "1 loaded")
}
