package demo

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/power"
)

// consolePassword is that of the made-up games' consoles.
const consolePassword = "gull-and-lamp"

// passwordVariable is where the games read it: an argument is seen by everybody on the
// machine, and would stand in the record of how a server is started.
const passwordVariable = "STANDIN_PASSWORD"

// game is a made-up game that runs as a process of its own.
type game struct {
	name, folder, program, console string
}

// command is what starts it, as a person would write it into a start script.
func (g game) command() []string {
	return []string{g.program, "standin", "--game", g.name, "--folder", g.folder, "--console", g.console}
}

// start starts it and waits until it has noted its process.
func (g game) start(ctx context.Context) error {
	args := g.command()
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Env = append(os.Environ(), passwordVariable+"="+consolePassword)
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("start %s: %w", g.name, err)
	}
	go func() { _ = cmd.Wait() }() // how it ended is in its log
	return g.until(ctx, func() bool { return g.pid() != 0 })
}

// stop tells it to stop and waits until it has.
func (g game) stop(ctx context.Context) error {
	pid := g.pid()
	if pid == 0 {
		return nil
	}
	p, err := os.FindProcess(pid)
	if err != nil {
		return err
	}
	if p.Signal(syscall.SIGTERM) != nil {
		_ = p.Kill() // where there is no asking
	}
	return g.until(ctx, func() bool { return g.pid() == 0 })
}

func (g game) pid() int {
	raw, err := os.ReadFile(filepath.Join(g.folder, "standin.pid"))
	if err != nil {
		return 0
	}
	n, _ := strconv.Atoi(strings.TrimSpace(string(raw))) // 0 where it is being written
	return n
}

func (g game) until(ctx context.Context, there func() bool) error {
	for range 400 {
		if there() {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(25 * time.Millisecond):
		}
	}
	return fmt.Errorf("%s takes too long", g.name)
}

// Close ends it with the demo.
func (g game) Close() error { return g.stop(context.Background()) }

// run starts a server's game and tells the service how it is stopped and started:
// by commands, or in a host's panel, by hand.
func (p *play) runGame(ctx context.Context, server, name string) error {
	if runtime.GOOS == "windows" {
		return nil // its commands are those of another shell
	}
	program, err := os.Executable()
	if err != nil {
		return err
	}
	console, err := freePort()
	if err != nil {
		return err
	}
	g := game{name: name, folder: p.path(server), program: program, console: console}
	if server != neverRun {
		if err := g.start(ctx); err != nil {
			return err
		}
	}
	p.hosts = append(p.hosts, g)
	p.games[server] = g
	pid := quoted(filepath.Join(g.folder, "standin.pid"))
	words := make([]string, 0, len(g.command()))
	for _, w := range g.command() {
		words = append(words, quoted(w))
	}
	by := ""
	if name == "tidewright" { // a loader may bring a program of its own
		by = " --program {program}"
	}
	c := power.Control{RCON: g.console, StopWithin: 20, ReadyWithin: 30,
		Probes: []power.Probe{{By: "command", Command: fmt.Sprintf("test -f %s && kill -0 $(cat %[1]s)", pid)}},
		Acts: map[power.Act]power.Way{
			"start": {By: "command", Command: passwordVariable + "={secret:rcon} " + strings.Join(words, " ") + by + " </dev/null >/dev/null 2>&1 &"},
			"stop":  {By: "command", Command: fmt.Sprintf("kill -TERM $(cat %s)", pid)},
		}}
	if name == "mossgrave" {
		c.Acts = map[power.Act]power.Way{"stop": {By: "hand", Command: "Press Stop in your host's panel."}, "start": {By: "hand", Command: "Press Start in your host's panel."}}
	}
	return p.c.SetControl(ctx, server, api.SetControl{Control: &c, Secrets: map[string]string{"rcon": consolePassword}})
}

// quoted makes a text one word of a shell.
func quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }

// byHand does what a deployment waits for, as a person in a host's panel would,
// and ticks it off.
func (p *play) byHand(ctx context.Context, d api.Deployment) (api.Deployment, error) {
	for d.State == "waiting" {
		what, text, _ := strings.Cut(d.Trouble, "\n")
		if text != "" {
			text = " (" + text + ")"
		}
		p.printf("%s waits for a person: %s%s. Somebody does, and ticks it off.", d.Name, strings.TrimSuffix(what, "."), text)
		g := p.games[d.Server]
		var err error
		switch {
		case strings.Contains(what, "Stop"):
			err = g.stop(ctx)
		case strings.Contains(what, "Start"):
			err = g.start(ctx)
		}
		if err != nil {
			return d, err
		}
		if d, err = p.c.Tick(ctx, d.Server, d.Number, nil); err != nil {
			return d, err
		}
	}
	return d, nil
}

// rolled says in words what a deployment's roll call found.
func rolled(d api.Deployment) string {
	if d.RollCall == nil {
		return ""
	}
	counts := map[string]int{}
	for _, e := range d.RollCall.Entries {
		counts[e.Standing]++
	}
	out := fmt.Sprintf("; roll call: %d loaded", counts["loaded"])
	if n := counts["failed"]; n > 0 {
		out += fmt.Sprintf(", %d failed", n)
	}
	if d.Figures.AwayMS > 0 {
		out += fmt.Sprintf("; away for %d ms", d.Figures.AwayMS)
	}
	return out
}

// freePort finds an address for a console that is only listened at later. It lies
// below the ports that a system takes for its own end of a connection, so that it is
// free then too.
func freePort() (string, error) {
	for range 100 {
		at := fmt.Sprintf("127.0.0.1:%d", 7500+rand.IntN(20000))
		l, err := net.Listen("tcp", at)
		if err == nil {
			return at, l.Close()
		}
	}
	return "", errors.New("no port for a console is free")
}
