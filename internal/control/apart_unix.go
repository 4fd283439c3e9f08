//go:build unix

package control

import (
	"os/exec"
	"syscall"
)

// apart gives a command a session of its own; if it takes too long, all of it is
// ended.
func apart(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
}
