package testbed

import (
	"os/exec"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// cut kills the processes that serve a server's connections, and leaves the
// server running.
func cut(pid int) {
	server := strconv.Itoa(pid)
	// While the server is held still it cannot take a connection that is then
	// missed, and would go on without its server.
	_ = exec.Command("kill", "-STOP", server).Run()
	for _, p := range held(server) {
		_ = exec.Command("kill", "-9", p).Run() // it may have ended by itself
	}
	_ = exec.Command("kill", "-CONT", server).Run()
}

// end kills a server and all that serve its connections.
func end(server *exec.Cmd) {
	pid := strconv.Itoa(server.Process.Pid)
	_ = exec.Command("kill", "-STOP", pid).Run()
	rest := held(pid)
	_ = server.Process.Kill()
	for _, p := range rest {
		_ = exec.Command("kill", "-9", p).Run()
	}
	_ = server.Wait()
}

// held stops the children of a process that stands still, and theirs, and
// lists them.
func held(pid string) []string {
	var all []string
	for _, child := range children(pid) {
		_ = exec.Command("kill", "-STOP", child).Run()
		all = append(append(all, child), held(child)...)
	}
	return all
}

func children(pid string) []string {
	out, _ := exec.Command("pgrep", "-P", pid).Output() // none is an error too
	return strings.Fields(string(out))
}

// signal sends a signal to all that serve a server's connections. One that ends just
// then needs none.
func signal(t testing.TB, server *exec.Cmd, which string) {
	t.Helper()
	for _, child := range children(strconv.Itoa(server.Process.Pid)) {
		_ = exec.Command("pkill", which, "-P", child).Run() // who has no children has none to signal
		if exec.Command("kill", which, child).Run() != nil {
			require.Error(t, exec.Command("kill", "-0", child).Run(), "process %s takes no %s", child, which)
		}
	}
}
