package remote

import (
	"archive/tar"
	"bufio"
	"compress/gzip"
	"context"
	_ "embed"
	"errors"
	"io"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"restlesscrate/internal/core/tree"
)

// Gatherer is a host that may read many short files at once.
type Gatherer interface {
	// Gather reads files that are as long as it is expected, and gives each as it comes, sorted by
	// path, one after the other. What it leaves out is gone, is no longer so long, or may not be
	// read: that is read by itself. The bytes are the caller's. It asks which files those are, with
	// their lengths, when it is ready to read; where it cannot read, it may not ask. It may be called
	// while [Whole] lists the tree, which shows whether it can, and be told the files after that.
	Gather(ctx context.Context, files func() map[tree.Path]int64, got func(tree.Path, []byte)) error
}

var _ Gatherer = (*SFTP)(nil)

// longestGathered is the longest file, in bytes, that is gathered.
const longestGathered = 64 << 10

// behindListing is how long a shell may say nothing while another lists a tree: what it says first
// stands behind all that on the line.
const behindListing = time.Minute

// Gather reads many short files at once, where the host can, and none where it cannot.
func Gather(ctx context.Context, h Host, files func() map[tree.Path]int64, got func(tree.Path, []byte)) error {
	g, can := Unwrapped[Gatherer](h)
	if !can {
		return nil
	}
	return g.Gather(ctx, files, got)
}

// Gather implements [Gatherer] by `tar` in the host's shell (GNU tar), if a listing has shown
// that the shell sees the same tree as SFTP does.
func (s *SFTP) Gather(ctx context.Context, files func() map[tree.Path]int64, got func(tree.Path, []byte)) error {
	if !s.noShell.Load() {
		_ = s.gather(ctx, files, got) // reading the others one by one says what is wrong, if anything is
	}
	return ctx.Err()
}

// gathers is what the host's shell runs, with the root as its first argument.
//
//go:embed gather.sh
var gathers string

// These are what it says first.
const (
	gathersPacked = "restless-crate-packed"
	gathersPlain  = "restless-crate-plain"
)

// greeting is how many lines a shell may say of its own first.
const greeting = 100

func (s *SFTP) gather(ctx context.Context, ask func() map[tree.Path]int64, got func(tree.Path, []byte)) (err error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	l, err := s.borrow(ctx)
	if err != nil {
		return err
	}
	defer func() { l.Return(l.Conn.over.Load()) }() // a session that breaks off is no end of the connection
	session, err := l.Conn.ssh.NewSession()
	if err != nil {
		return err
	}
	defer session.Close()
	in, err := session.StdinPipe()
	if err != nil {
		return err
	}
	pipe, err := heardFrom(ctx, session)
	if err != nil {
		return err
	}
	patience := belowPatience
	if s.listing.Load() > 0 {
		patience = behindListing
	}
	mute := time.AfterFunc(patience, pipe.silence)
	defer mute.Stop()
	if err := session.Start("exec sh -c '" + gathers + "' sh " + s.word(tree.Root)); err != nil {
		return err
	}
	out := bufio.NewReaderSize(pipe, 256<<10)
	isPacked, err := packs(out)
	if err != nil {
		return err
	}
	mute.Stop()
	files := ask()
	if len(files) == 0 || !s.sameTree.Load() {
		return nil
	}
	go func() { // what did not get there does not come back
		_ = errors.Join(sendNames(in, files, isPacked), in.Close())
	}()
	if !isPacked {
		return gathered(tar.NewReader(out), files, got)
	}
	unpacked, err := gzip.NewReader(out)
	if err != nil {
		return err
	}
	return gathered(tar.NewReader(unpacked), files, got)
}

// packs reads what the host says of itself before it reads.
func packs(out *bufio.Reader) (bool, error) {
	for range greeting {
		line, err := out.ReadSlice('\n')
		if err != nil {
			return false, err
		}
		switch strings.TrimRight(string(line), "\r\n") {
		case gathersPacked:
			return true, nil
		case gathersPlain:
			return false, nil
		}
	}
	return false, errors.New("the host's shell says other things")
}

// sendNames sends the names of files that are not too long, sorted.
func sendNames(to io.Writer, files map[tree.Path]int64, packed bool) error {
	w := bufio.NewWriterSize(to, 32<<10)
	end := w.Flush
	var names io.Writer = w
	if packed {
		z, err := gzip.NewWriterLevel(w, gzip.BestSpeed)
		if err != nil {
			return err
		}
		names, end = z, func() error { return errors.Join(z.Close(), w.Flush()) }
	}
	for _, p := range slices.Sorted(maps.Keys(files)) {
		if files[p] > longestGathered {
			continue
		}
		if _, err := io.WriteString(names, "./"+string(p)+"\x00"); err != nil {
			return err
		}
	}
	return end()
}

// gathered gives the files of a tar that were asked for and are as long as was said.
func gathered(t *tar.Reader, files map[tree.Path]int64, got func(tree.Path, []byte)) error {
	for {
		head, err := t.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		p, err := tree.ParsePath(path.Clean(strings.TrimPrefix(head.Name, "./")))
		want, asked := files[p]
		if err != nil || !asked || want > longestGathered || head.Typeflag != tar.TypeReg || head.Size != want {
			continue
		}
		raw := make([]byte, head.Size)
		if _, err := io.ReadFull(t, raw); err != nil {
			return err
		}
		got(p, raw)
	}
}
