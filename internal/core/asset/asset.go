// Package asset tells what a file that is no text is, as far as its bytes show: a picture and
// its measures, a sound, a packed file. It compares what a person wants to put in a file's
// place with what stands there.
package asset

import (
	"bytes"
	"fmt"
	"image"
	_ "image/gif"  // so that their measures are read
	_ "image/jpeg" // so that their measures are read
	_ "image/png"  // so that their measures are read
	"strings"

	"github.com/gabriel-vasile/mimetype"

	"restlesscrate/internal/words"
)

// Asset is what a file is.
type Asset struct {
	Type          string // its media type (RFC 6838), without parameters
	Width, Height int    // of a picture; 0 where they are not known
	Size          int64  // bytes
}

// Of looks at the bytes of a file.
func Of(raw []byte) Asset {
	kind, _, _ := strings.Cut(mimetype.Detect(raw).String(), ";")
	a := Asset{Type: kind, Size: int64(len(raw))}
	if c, _, err := image.DecodeConfig(bytes.NewReader(raw)); err == nil {
		a.Width, a.Height = c.Width, c.Height
	}
	return a
}

// unknown is the type of bytes that nothing is known of.
const unknown = "application/octet-stream"

// String says what it is, as a person reads it.
func (a Asset) String() string {
	kind := a.Type
	if kind == unknown {
		kind = "data of a kind that is not known"
	}
	if a.Width > 0 {
		kind += fmt.Sprintf(", %d × %d", a.Width, a.Height)
	}
	return kind + ", " + words.Size(a.Size)
}

// OtherType tells whether two files are of different kinds, as far as both are known.
func OtherType(was, now Asset) bool { return was.Type != now.Type }

// OtherMeasures tells whether two pictures have different measures.
func OtherMeasures(was, now Asset) bool {
	return was.Width > 0 && now.Width > 0 && (was.Width != now.Width || was.Height != now.Height)
}

// muchLarger is how many times as long a file must be for that to be worth a word.
const muchLarger = 4

// MuchLarger tells whether one is so much longer that it is worth a word.
func MuchLarger(was, now Asset) bool { return now.Size > 64<<10 && now.Size > muchLarger*was.Size }
