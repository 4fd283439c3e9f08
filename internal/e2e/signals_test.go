package e2e

import "os/exec"

func kill(pid string) error  { return exec.Command("kill", "-TERM", pid).Run() }
func kill9(pid string) error { return exec.Command("kill", "-KILL", pid).Run() }
