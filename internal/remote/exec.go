package remote

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"
)

// Shell is a host that also runs commands.
type Shell interface {
	// Exec runs a command in the shell of the user who is signed in, and gives
	// what it wrote and its exit code. An error means that it is not known whether
	// it ran; one that wraps [ErrNoShell] that it cannot.
	// in is what the command finds on its standard input.
	Exec(ctx context.Context, command, in string) (out string, code int, err error)
}

// Unwrapped finds what a host can do besides, behind what lends it out.
func Unwrapped[T any](h Host) (T, bool) {
	for {
		if t, ok := h.(T); ok {
			return t, true
		}
		lent, ok := h.(interface{ Unwrap() Host })
		if !ok {
			var none T
			return none, false
		}
		h = lent.Unwrap()
	}
}

// ErrNoShell is returned by a host that gives SFTP and no shell.
var ErrNoShell = errors.New("the host gives no shell")

// longestOutput is how much of a command's output is kept.
const longestOutput = 64 << 10

// settled is how long output is waited for once a command has ended.
const settled = 300 * time.Millisecond

// Exec implements [Shell]. What the command starts in the background may hold its
// output open; the session ends with the command all the same.
func (s *SFTP) Exec(ctx context.Context, command, in string) (out string, code int, err error) {
	l, err := s.borrow(ctx)
	if err != nil {
		return "", 0, err
	}
	defer func() { l.Return(isLost(err)) }()
	c := l.Conn
	session, err := c.ssh.NewSession()
	if err != nil {
		return "", 0, fmt.Errorf("%w: %v", ErrNoShell, err)
	}
	defer session.Close()
	stop := context.AfterFunc(ctx, func() { session.Close() })
	defer stop()
	session.Stdin = strings.NewReader(in)
	var buf limited
	read, err := buf.from(session.StdoutPipe, session.StderrPipe)
	if err != nil {
		return "", 0, err
	}
	if err = session.Start(command); err == nil {
		err = session.Wait()
	}
	select {
	case <-read:
	case <-time.After(settled): // somebody in the background holds it open
	}
	out = buf.text()
	var exit *ssh.ExitError
	var missing *ssh.ExitMissingError
	switch {
	case ctx.Err() != nil:
		return out, 0, fmt.Errorf("the command did not end in time: %w", ctx.Err())
	case errors.As(err, &exit):
		return out, exit.ExitStatus(), nil
	case errors.As(err, &missing):
		return out, 0, fmt.Errorf("%w: the command ended without saying how", ErrLine)
	case err != nil:
		return out, 0, fmt.Errorf("%w: %v", ErrNoShell, err)
	}
	return out, 0, nil
}
