package stockroom

import (
	"bufio"
	"io"
	"sync"

	"github.com/klauspost/compress/flate"

	"restlesscrate/internal/core/tree"
)

// Method is how bytes lie in a container.
type Method string

// The methods.
const (
	Stored   Method = "stored"
	Deflated Method = "deflate" // RFC 1951
)

// Span is where in a container some content lies. All figures are bytes.
type Span struct {
	Offset int64  `json:"offset"`
	Length int64  `json:"length"` // as it lies there
	Size   int64  `json:"size"`   // of the content itself
	Method Method `json:"method"`
}

// Held is a content and where in a container it lies.
type Held struct {
	Digest tree.Digest
	Span   Span
}

// Reader reads the content out of its container. It never gives more than one
// byte over Size, so that a lying table of contents is found out cheaply.
// Closing it is not needed; it lets the next reader have its memory.
func (s Span) Reader(container io.ReaderAt) io.Reader {
	section := io.NewSectionReader(container, s.Offset, s.Length)
	if s.Method != Deflated {
		return section
	}
	in, ok := inflaters.Get().(*inflating)
	if !ok {
		in = &inflating{buffer: bufio.NewReaderSize(nil, inflateBuffer)}
		in.inflater = flate.NewReader(in.buffer).(inflater)
	}
	in.buffer.Reset(section)
	// Reset fails only for a dictionary, and there is none.
	_ = in.inflater.Reset(in.buffer, nil)
	in.left = s.Size + 1
	return in
}

// inflateBuffer holds most small contents whole, so that they are read at once.
const inflateBuffer = 16 << 10

// inflaters are readers that wait for their next content: making one takes
// longer than unpacking a small file.
var inflaters sync.Pool

type inflater interface {
	io.Reader
	flate.Resetter
}

// inflating unpacks one content after another.
type inflating struct {
	buffer   *bufio.Reader
	inflater inflater
	left     int64 // bytes that may still be given
	closed   bool
}

func (r *inflating) Read(p []byte) (int, error) {
	if r.closed || r.left <= 0 {
		return 0, io.EOF
	}
	n, err := r.inflater.Read(p[:min(int64(len(p)), r.left)])
	r.left -= int64(n)
	return n, err
}

// Close gives the reader's memory back; the reader cannot be used again.
func (r *inflating) Close() error {
	if !r.closed {
		r.closed = true
		inflaters.Put(&inflating{buffer: r.buffer, inflater: r.inflater})
	}
	return nil
}
