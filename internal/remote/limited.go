package remote

import (
	"bytes"
	"io"
	"sync"
)

// limited keeps the end of what is written to it.
type limited struct {
	mu  sync.Mutex
	buf bytes.Buffer
}

// Write implements io.Writer.
func (l *limited) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.buf.Write(p)
	if over := l.buf.Len() - longestOutput; over > 0 {
		l.buf.Next(over)
	}
	return len(p), nil
}

// from copies what comes out of some pipes, until all of them have ended.
func (l *limited) from(pipes ...func() (io.Reader, error)) (ended <-chan struct{}, err error) {
	var wg sync.WaitGroup
	for _, pipe := range pipes {
		r, err := pipe()
		if err != nil {
			return nil, err
		}
		wg.Add(1)
		go func() {
			defer wg.Done()
			_, _ = io.Copy(l, r) // whether the command ended well is told elsewhere
		}()
	}
	done := make(chan struct{})
	go func() { wg.Wait(); close(done) }()
	return done, nil
}

func (l *limited) text() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.buf.String()
}
