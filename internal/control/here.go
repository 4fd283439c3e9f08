package control

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"time"
)

// runHere runs a command by this machine's shell. What it starts in the
// background may live on: its output goes to a file, which nobody has to keep
// open, and it is in a session of its own, which does not end with the service.
func runHere(ctx context.Context, command string) (ans Answer, err error) {
	out, err := os.CreateTemp("", "restless-command-")
	if err != nil {
		return ans, fmt.Errorf("keep the output: %w", err)
	}
	defer func() { err = errors.Join(err, out.Close(), os.Remove(out.Name())) }()
	shell, flag := "/bin/sh", "-c"
	if runtime.GOOS == "windows" {
		shell, flag = "cmd", "/C"
	}
	cmd := exec.CommandContext(ctx, shell, flag, command)
	cmd.Stdout, cmd.Stderr, cmd.WaitDelay = out, out, time.Second
	apart(cmd)
	err = cmd.Run()
	text, readErr := os.ReadFile(out.Name())
	if len(text) > longestAnswer {
		text = text[len(text)-longestAnswer:]
	}
	ans.Text = string(text)
	var exit *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return ans, fmt.Errorf("the command did not end in time: %w", ctx.Err())
	case errors.As(err, &exit):
		ans.Code = exit.ExitCode()
		return ans, readErr
	}
	return ans, errors.Join(err, readErr)
}
