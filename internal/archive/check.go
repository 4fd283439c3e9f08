package archive

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"iter"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/tree"
)

// check refuses listings in which one name stands for two things, and sorts.
func (l *Listing) check() error {
	files := map[tree.Path]bool{}
	for _, it := range l.Items {
		if it.Dir {
			continue
		}
		if files[it.Path] {
			return &Error{Code: "unsafe-entry", Entry: string(it.Path), What: "is in the archive twice"}
		}
		files[it.Path] = true
	}
	for _, it := range l.Items {
		for _, up := range it.Path.Ancestors() {
			if files[up] {
				return &Error{Code: "unsafe-entry", Entry: string(it.Path), What: fmt.Sprintf("stands below %q, which is a file", up)}
			}
		}
	}
	slices.SortStableFunc(l.Items, func(a, b Item) int { return strings.Compare(string(a.Path), string(b.Path)) })
	return nil
}

// buffers are shared by the files that are hashed.
var buffers = sync.Pool{New: func() any { b := make([]byte, 64<<10); return &b }}

// hash reads every file that is not in the pack once, on all cores, and
// proves its size on the way. Many small files are one piece of work.
func (l *Listing) hash(ctx context.Context) error {
	var todo []*Item
	for i := range l.Items {
		if it := &l.Items[i]; !it.Dir && it.Digest.IsZero() {
			todo = append(todo, it)
		}
	}
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for some := range pieces(todo) {
		g.Go(func() error {
			buf := buffers.Get().(*[]byte)
			defer buffers.Put(buf)
			for _, it := range some {
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := it.hash(*buf); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return g.Wait()
}

// pieces parts work so that no core waits for another: many small files
// together, a large one alone.
func pieces(todo []*Item) iter.Seq[[]*Item] {
	const (
		files = 64
		bytes = 1 << 20
	)
	return func(yield func([]*Item) bool) {
		for from, i, size := 0, 0, int64(0); i < len(todo); i++ {
			if size += todo[i].Size; i-from+1 == files || size >= bytes || i == len(todo)-1 {
				if !yield(todo[from : i+1]) {
					return
				}
				from, size = i+1, 0
			}
		}
	}
}

func (it *Item) hash(buf []byte) error {
	content := it.Span.Reader(it.from)
	if c, ok := content.(io.Closer); ok {
		defer c.Close()
	}
	h, sum := sha256.New(), crc32.NewIEEE()
	look := &looker{Reader: content}
	var n int64
	var err error
	if it.Size < int64(len(buf)) {
		// A small file is one piece: most of an archive of many is such.
		var got int
		if got, err = io.ReadFull(content, buf[:it.Size+1]); errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
			err = nil
		}
		n, look.head = int64(got), buf[:min(got, lookAt)]
		h.Write(buf[:got])
		sum.Write(buf[:got])
	} else {
		n, err = io.CopyBuffer(onlyWriter{io.MultiWriter(h, sum)}, look, buf)
	}
	if err != nil || n != it.Size {
		return &Error{Code: "broken-archive", Entry: string(it.Path), What: "is broken: " + damage(n, it.Size, err)}
	}
	if it.summed && it.crc != sum.Sum32() {
		return &Error{Code: "broken-archive", Entry: string(it.Path), What: fmt.Sprintf("is broken: its checksum is %08x and should be %08x", sum.Sum32(), it.crc)}
	}
	it.Digest, it.Looks = tree.Digest(h.Sum(nil)), look.look()
	return nil
}

// onlyWriter hides what else a writer can do, so that the buffer is used.
type onlyWriter struct{ io.Writer }

func damage(n, want int64, err error) string {
	if err != nil {
		return err.Error()
	}
	return fmt.Sprintf("it holds %d bytes instead of %d", n, want)
}
