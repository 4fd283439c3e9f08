package remote

import (
	"context"
	"errors"
	"io"

	"golang.org/x/crypto/ssh"
)

// told is what a session's command writes.
type told struct {
	*io.PipeReader
	silence func() // no more is waited for
}

// errSilent is read once no more is waited for.
var errSilent = errors.New("the host's shell says nothing more")

// heardFrom is what a session's command will write, until ctx ends. A host closes a session only
// when its command has ended, and that may be never: so the reader is let go by itself.
func heardFrom(ctx context.Context, session *ssh.Session) (*told, error) {
	out, err := session.StdoutPipe()
	if err != nil {
		return nil, err
	}
	r, w := io.Pipe()
	go func() {
		_, err := io.Copy(w, out)
		_ = w.CloseWithError(err) // nil is the end
	}()
	silence := func() {
		_ = r.CloseWithError(errSilent)
		_ = session.Close()
	}
	context.AfterFunc(ctx, silence) // ctx ends with who reads
	return &told{r, silence}, nil
}
