package stockroom

import (
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
	raw := io.NewSectionReader(container, s.Offset, s.Length)
	if s.Method != Deflated {
		return raw
	}
	r, ok := inflaters.Get().(io.ReadCloser)
	if !ok || r.(flate.Resetter).Reset(raw, nil) != nil {
		r = flate.NewReader(raw)
	}
	return &inflating{Reader: io.LimitReader(r, s.Size+1), inflater: r}
}

// inflaters are readers that wait for their next content: making one takes
// longer than unpacking a small file.
var inflaters sync.Pool

type inflating struct {
	io.Reader
	inflater io.ReadCloser
}

// Close gives the reader's memory back; the reader cannot be used again.
func (r *inflating) Close() error {
	if r.inflater != nil {
		inflaters.Put(r.inflater)
		r.Reader, r.inflater = eof{}, nil
	}
	return nil
}

type eof struct{}

func (eof) Read([]byte) (int, error) { return 0, io.EOF }
