package game

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"time"
)

// log is a game's log. Its lines may reach the disk later than they were said.
type log struct {
	mu    sync.Mutex
	f     *os.File
	delay time.Duration
	held  []byte
	timer *time.Timer
	err   error
}

func openLog(file, rotate string, delay time.Duration) (*log, error) {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return nil, err
	}
	flags := os.O_CREATE | os.O_WRONLY | os.O_APPEND
	switch rotate {
	case "aside":
		if err := os.Rename(file, file+".1"); err != nil && !errors.Is(err, os.ErrNotExist) {
			return nil, err
		}
	case "empty":
		flags |= os.O_TRUNC
	}
	f, err := os.OpenFile(file, flags, 0o644)
	return &log{f: f, delay: delay}, err
}

func (l *log) line(format string, args ...any) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.held = append(l.held, fmt.Sprintf(format, args...)+"\n"...)
	if l.delay == 0 {
		l.flush()
		return
	}
	if l.timer == nil {
		l.timer = time.AfterFunc(l.delay, func() {
			l.mu.Lock()
			defer l.mu.Unlock()
			l.timer = nil
			l.flush()
		})
	}
}

// flush is called with mu held.
func (l *log) flush() {
	_, err := l.f.Write(l.held)
	l.held, l.err = nil, errors.Join(l.err, err)
}

// Close writes what is held back, and closes.
func (l *log) Close() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.flush()
	return errors.Join(l.err, l.f.Close())
}
