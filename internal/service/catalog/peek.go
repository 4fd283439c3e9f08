package catalog

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// longestRead is how much of a text inside a packed file is kept, in bytes: as much as a
// layout searches.
const longestRead = 1 << 20

// inMemory is up to how many bytes a packed file is looked into without a copy on disk.
const inMemory = 32 << 20

// peeked adds what is in packed files that only have suffixes of their own, as far as the
// rulebook asks for it: all names, and the contents of what it reads. A file that is called an
// archive was looked into when it was staged.
func (s keeper) peeked(ctx context.Context, b *rulebook.Book, a model.Archive, entries []tree.Entry) (out []tree.Entry, told []finding.Finding, err error) {
	looked := map[tree.Path]bool{}
	for _, e := range entries {
		if packed, _, ok := rulebook.Inside(string(e.Path)); ok {
			looked[tree.Path(packed)] = true
		}
	}
	var seg *stockroom.Segment
	var held []stockroom.Held
	defer func() {
		if seg != nil {
			err = errors.Join(err, s.recordHeld(ctx, seg, held), seg.Close())
		}
	}()
	out = entries
	for _, e := range entries {
		globs, asked := b.LooksInto(e.Path)
		if _, _, inside := rulebook.Inside(string(e.Path)); e.Dir || inside || looked[e.Path] || !asked {
			continue
		}
		found, err := s.peek(ctx, e, globs)
		var bad *archive.Error
		if errors.As(err, &bad) {
			told = append(told, finding.Finding{Level: finding.Note, Code: "not-looked-into", Path: e.Path, What: fmt.Sprintf("%s is packed and cannot be looked into: %v", e.Path, bad)})
			continue
		}
		if err != nil {
			return nil, nil, err
		}
		for _, in := range found.Entries {
			if text, read := found.Texts[in.Path]; read {
				if seg == nil {
					if seg, err = s.Room.Derive(a.Digest); err != nil {
						return nil, nil, err
					}
				}
				in.Digest, in.Size = tree.Sum(text), int64(len(text))
				there, err := s.sound(ctx, in.Digest)
				if err != nil {
					return nil, nil, err
				}
				if !there {
					kept, err := seg.Append(ctx, bytes.NewReader(text))
					if err != nil {
						return nil, nil, err
					}
					held = append(held, stockroom.Held{Digest: kept.Digest, Span: kept.Span})
				}
			}
			in.Path = e.Path + "!/" + in.Path
			out = append(out, in)
		}
	}
	return out, told, nil
}

// peek looks into one file, if it is packed in a way that can be seen through.
func (s keeper) peek(ctx context.Context, e tree.Entry, globs []string) (p archive.Peeked, err error) {
	want := func(p tree.Path) bool {
		for _, g := range globs {
			if doublestar.MatchUnvalidated(g, string(p)) {
				return true
			}
		}
		return false
	}
	src, err := s.Room.Open(ctx, e.Digest)
	if err != nil {
		return p, err
	}
	defer src.Close()
	head := make([]byte, 512)
	n, err := io.ReadFull(src, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return p, err
	}
	if !archive.SeenThrough(head[:n]) {
		return p, nil
	}
	rest := io.MultiReader(bytes.NewReader(head[:n]), src)
	if e.Size <= inMemory {
		all, err := io.ReadAll(rest)
		if err != nil {
			return p, err
		}
		return archive.Peek(ctx, bytes.NewReader(all), int64(len(all)), s.Limits, want, longestRead)
	}
	f, err := os.CreateTemp("", "restless-peek-")
	if err != nil {
		return p, err
	}
	defer func() { err = errors.Join(err, f.Close(), os.Remove(f.Name())) }()
	size, err := io.Copy(f, rest)
	if err != nil {
		return p, fmt.Errorf("copy %s to look into it: %w", strings.TrimSpace(e.Path.Base()), err)
	}
	return archive.Peek(ctx, f, size, s.Limits, want, longestRead)
}
