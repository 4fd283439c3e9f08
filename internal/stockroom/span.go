package stockroom

import (
	"io"

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
func (s Span) Reader(container io.ReaderAt) io.Reader {
	raw := io.NewSectionReader(container, s.Offset, s.Length)
	if s.Method == Deflated {
		return io.LimitReader(flate.NewReader(raw), s.Size+1)
	}
	return raw
}
