package control

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"time"
)

// runHere runs a script by this machine's shell. What it starts in the
// background may live on: its output goes to a file, which nobody has to keep
// open, and it is in a session of its own, which does not end with the service.
func runHere(ctx context.Context, s script) (ans Answer, err error) {
	out, err := os.CreateTemp("", "restless-command-")
	if err != nil {
		return ans, fmt.Errorf("keep the output: %w", err)
	}
	// Nothing is left of it where the service is killed meanwhile, as far as the
	// system lets an open file go.
	gone := os.Remove(out.Name()) == nil
	defer func() {
		err = errors.Join(err, out.Close())
		if !gone {
			err = errors.Join(err, os.Remove(out.Name()))
		}
	}()
	shell, flag := "/bin/sh", "-c"
	if runtime.GOOS == "windows" {
		shell, flag = "cmd", "/C"
	}
	cmd := exec.CommandContext(ctx, shell, flag, s.text)
	if s.in != "" {
		cmd.Stdin = strings.NewReader(s.in)
	}
	cmd.Stdout, cmd.Stderr, cmd.WaitDelay = out, out, time.Second
	apart(cmd)
	err = cmd.Run()
	text, readErr := endOf(out, longestAnswer)
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

// endOf gives the last bytes of an open file.
func endOf(f *os.File, most int64) ([]byte, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	from := max(0, info.Size()-most)
	return io.ReadAll(io.NewSectionReader(f, from, info.Size()-from))
}
