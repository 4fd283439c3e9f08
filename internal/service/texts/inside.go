package texts

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"io"
	"strings"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/words"
)

// longestPacked is the size in bytes of the longest packed file that is looked into.
const longestPacked = 64 << 20

// zipStart is what every zip begins with.
var zipStart = []byte("PK")

// unpack fetches a packed file of the server and opens it; nil for what is none.
func (s *session) unpack(ctx context.Context, p tree.Path) (*zip.Reader, error) {
	f, err := s.host.Open(ctx, p)
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(io.LimitReader(f, int64(len(zipStart))))
	if err == nil && bytes.Equal(raw, zipStart) { // only then is the rest worth its way
		var rest []byte
		rest, err = io.ReadAll(io.LimitReader(f, longestPacked))
		raw = append(raw, rest...)
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return nil, err
	}
	return opened(raw), nil
}

// opened opens a packed file; nil for what is none.
func opened(raw []byte) *zip.Reader {
	if len(raw) > longestPacked || !bytes.HasPrefix(raw, zipStart) {
		return nil
	}
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return nil // it only begins like one
	}
	return z
}

// inside reads a file inside a packed one.
func (s *session) inside(ctx context.Context, p tree.Path, inner string) ([]byte, error) {
	z, err := s.unpack(ctx, p)
	if err != nil {
		return nil, err
	}
	if z == nil {
		return nil, fault.New(fault.Usage, "not-packed", "%s is no zip that can be looked into", p)
	}
	var names []string
	for _, f := range z.File {
		names = append(names, f.Name)
		if f.Name == inner {
			return member(f)
		}
	}
	e := fault.New(fault.Unknown, "text-unknown", "%s holds no %s", p, inner)
	if near := words.Nearest(inner, names); near != "" {
		return nil, e.WithMend("It holds %s; is that meant?", near)
	}
	return nil, e
}

// member reads a file of a zip, if it is not too long for a text.
func member(f *zip.File) ([]byte, error) {
	if f.UncompressedSize64 > longestPacked || strings.HasSuffix(f.Name, "/") {
		return nil, fault.New(fault.Usage, "no-text", "%s is no text", f.Name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(io.LimitReader(r, longestPacked))
	return raw, errors.Join(err, r.Close())
}
