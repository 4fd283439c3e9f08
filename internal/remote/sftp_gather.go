package remote

import (
	"archive/tar"
	"bufio"
	"context"
	"errors"
	"io"
	"maps"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Gatherer is a host that may read many short files at once.
type Gatherer interface {
	// Gather reads files that are as long as it is expected. What it leaves out is gone, is no
	// longer so long, or may not be read: that is read by itself.
	Gather(ctx context.Context, files map[tree.Path]int64) (map[tree.Path][]byte, error)
}

var _ Gatherer = (*SFTP)(nil)

// longestGathered is the longest file, in bytes, that is gathered.
const longestGathered = 64 << 10

// Gather reads many short files at once, where the host can, and none where it cannot.
func Gather(ctx context.Context, h Host, files map[tree.Path]int64) (map[tree.Path][]byte, error) {
	g, can := Unwrapped[Gatherer](h)
	if !can || len(files) == 0 {
		return nil, nil
	}
	return g.Gather(ctx, files)
}

// Gather implements [Gatherer] by `tar` in the host's shell (GNU tar), once a listing has shown
// that the shell sees the same tree as SFTP does.
func (s *SFTP) Gather(ctx context.Context, files map[tree.Path]int64) (map[tree.Path][]byte, error) {
	if !s.sameTree.Load() {
		return nil, nil
	}
	out, err := s.gather(ctx, files)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil && len(out) == 0 {
		return nil, nil //nolint:nilerr // reading them one by one says what is wrong, if anything is
	}
	return out, nil
}

func (s *SFTP) gather(ctx context.Context, files map[tree.Path]int64) (out map[tree.Path][]byte, err error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	l, err := s.borrow(ctx)
	if err != nil {
		return nil, err
	}
	defer func() { l.Return(isLost(err)) }()
	session, err := l.Conn.ssh.NewSession()
	if err != nil {
		return nil, err
	}
	defer session.Close()
	defer context.AfterFunc(ctx, func() { session.Close() })()
	in, err := session.StdinPipe()
	if err != nil {
		return nil, err
	}
	pipe, err := session.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := session.Start("cd " + s.word(tree.Root) + " && exec tar -cf - --format=gnu --hard-dereference --no-recursion --ignore-failed-read --null -T -"); err != nil {
		return nil, err
	}
	go func() {
		w := bufio.NewWriterSize(in, 32<<10)
		for _, p := range slices.Sorted(maps.Keys(files)) {
			if files[p] <= longestGathered {
				_, _ = w.WriteString("./" + string(p) + "\x00") // what did not get there does not come back
			}
		}
		_ = errors.Join(w.Flush(), in.Close())
	}()
	out = map[tree.Path][]byte{}
	t := tar.NewReader(bufio.NewReaderSize(pipe, 256<<10))
	for {
		head, err := t.Next()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return out, err
		}
		p, err := tree.ParsePath(path.Clean(strings.TrimPrefix(head.Name, "./")))
		want, asked := files[p]
		if err != nil || !asked || head.Typeflag != tar.TypeReg || head.Size != want {
			continue
		}
		raw := make([]byte, head.Size)
		if _, err := io.ReadFull(t, raw); err != nil {
			return out, err
		}
		out[p] = raw
	}
}
