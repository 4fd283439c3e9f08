package control

import "os/exec"

// apart is for systems with sessions.
func apart(*exec.Cmd) {}
