// Package helper runs programs that unpack a game's own packed format to a
// folder and pack a folder into it. Rulebooks name such programs, and rulebooks
// come from strangers: so a program is only ever one that the owner of this
// service has put into one folder, it is named without a path, and it is run
// without a shell, as
//
//	PROGRAM unpack FILE FOLDER
//	PROGRAM pack FOLDER FILE
//
// with an empty FOLDER, or a FILE that does not exist yet, to be made.
package helper

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"time"
)

// ErrMissing is returned where the folder holds no such program.
var ErrMissing = errors.New("there is no such helper program")

// Error says that a program did not do what it was asked.
type Error struct {
	Program, Verb string
	Said          string // the end of what it wrote
	Err           error
}

func (e *Error) Error() string {
	text := fmt.Sprintf("the helper program %s could not %s: %v", e.Program, e.Verb, e.Err)
	if e.Said != "" {
		text += ": " + e.Said
	}
	return text
}
func (e *Error) Unwrap() error { return e.Err }

// Folder is where the programs stand. The zero value has none.
type Folder struct {
	Dir     string
	Timeout time.Duration // per run; 0: ten minutes
}

// Has tells whether a program is there.
func (f Folder) Has(program string) bool {
	_, err := f.find(program)
	return err == nil
}

// Unpack has a program unpack a file into an empty folder. The errors are
// [ErrMissing] and *[Error].
func (f Folder) Unpack(ctx context.Context, program, file, folder string) error {
	return f.run(ctx, program, "unpack", file, folder)
}

// Pack has a program pack a folder into a file that does not exist yet.
func (f Folder) Pack(ctx context.Context, program, folder, file string) error {
	if err := f.run(ctx, program, "pack", folder, file); err != nil {
		return err
	}
	if i, err := os.Lstat(file); err != nil || !i.Mode().IsRegular() {
		return &Error{Program: program, Verb: "pack", Err: errors.New("it ended well but made no file")}
	}
	return nil
}

func (f Folder) find(program string) (string, error) {
	if f.Dir == "" || program == "" || filepath.Base(program) != program {
		return "", ErrMissing
	}
	names := []string{program}
	if runtime.GOOS == "windows" {
		names = append(names, program+".exe")
	}
	for _, name := range names {
		at := filepath.Join(f.Dir, name)
		i, err := os.Stat(at)
		if err == nil && i.Mode().IsRegular() {
			return filepath.Abs(at)
		}
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return "", err
		}
	}
	return "", ErrMissing
}

// saidAtMost is how much of what a program writes is kept, in bytes.
const saidAtMost = 2000

func (f Folder) run(ctx context.Context, program string, args ...string) error {
	at, err := f.find(program)
	if err != nil {
		return err
	}
	limit := f.Timeout
	if limit == 0 {
		limit = 10 * time.Minute
	}
	ctx, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("it was not done after %s", limit))
	defer cancel()
	var said bytes.Buffer
	cmd := exec.CommandContext(ctx, at, args...)
	cmd.Dir = os.TempDir()
	cmd.Env = []string{"PATH=" + os.Getenv("PATH"), "TMPDIR=" + os.TempDir(), "SystemRoot=" + os.Getenv("SystemRoot")}
	cmd.Stdout, cmd.Stderr = &said, &said
	cmd.WaitDelay = limit // what it has started may go on after it has ended
	err = cmd.Run()
	if cause := context.Cause(ctx); err != nil && cause != nil {
		err = cause
	}
	if err != nil {
		text := strings.TrimSpace(said.String())
		return &Error{Program: program, Verb: args[0], Said: text[max(0, len(text)-saidAtMost):], Err: err}
	}
	return nil
}
