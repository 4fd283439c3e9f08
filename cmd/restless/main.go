// Restless Crate: the service, the command line and the demo in one program.
package main

import (
	_ "time/tzdata" // time zones, where the machine has none

	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"golang.org/x/term"

	"restlesscrate/internal/cli"
	"restlesscrate/internal/core/rulebook"
)

// version is set when a release is built.
var version = "0.1.0-dev"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	app := &cli.App{In: os.Stdin, Out: os.Stdout, Err: os.Stderr, Version: version, Schema: rulebook.Schema, Serve: serve, Demo: runDemo, Play: play, Ask: ask,
		Terminal: term.IsTerminal(int(os.Stdout.Fd()))}
	code := app.Run(ctx, os.Args)
	stop()
	os.Exit(code)
}

// ask reads one line from the terminal, unseen where hidden is true.
func ask(question string, hidden bool) (string, error) {
	fd := int(os.Stdin.Fd())
	if !term.IsTerminal(fd) {
		return "", errors.New("standard input is no terminal")
	}
	fmt.Fprint(os.Stderr, question)
	if hidden {
		line, err := term.ReadPassword(fd)
		fmt.Fprintln(os.Stderr)
		return string(line), err
	}
	var line []byte
	for b := make([]byte, 1); ; {
		n, err := os.Stdin.Read(b)
		if n == 0 || b[0] == '\n' {
			return string(line), err
		}
		line = append(line, b[0])
	}
}
