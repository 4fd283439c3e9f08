package catalog

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/helper"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// unpacked gives an archive's entries with the contents of what is in a packed
// format of the game's own, as the rulebook's helper programs unpack it: at the
// top where the download itself is such a file, else behind "!". What could
// not be unpacked is told and stays a file.
func (s keeper) unpacked(ctx context.Context, b *rulebook.Book, a model.Archive, filename string) ([]tree.Entry, []finding.Finding, error) {
	entries, err := s.Records.Entries(ctx, a.ID)
	if err != nil {
		return entries, nil, err
	}
	entries, told, err := s.peeked(ctx, b, a, entries)
	if err != nil || len(b.Helpers) == 0 {
		return entries, told, err
	}
	type packed struct {
		at     tree.Path // of the file; the root for the download itself
		digest tree.Digest
	}
	var todo []packed
	if _, own := b.HelperFor(filename); own {
		todo = append(todo, packed{tree.Root, a.Digest})
	}
	for _, e := range entries {
		if _, own := b.HelperFor(e.Path.Base()); own && !e.Dir {
			todo = append(todo, packed{e.Path, e.Digest})
		}
	}
	for _, p := range todo {
		name := p.at.Base()
		if p.at == tree.Root {
			name = filename
		}
		h, _ := b.HelperFor(name)
		inner, err := s.unpackOne(ctx, a, h.Program, name, p.digest)
		var failed *helper.Error
		switch {
		case errors.Is(err, helper.ErrMissing):
			told = append(told, finding.Finding{Level: finding.Warn, Code: "helper-missing", Path: p.at,
				What: fmt.Sprintf("%s is in a packed format of the game's own, and the helper program %s for it is not there; it was not looked into", name, h.Program),
				Mend: fmt.Sprintf("Put the program into %s on the service's machine, and stage it again.", s.Helpers.Dir)})
			continue
		case errors.As(err, &failed):
			told = append(told, finding.Finding{Level: finding.Warn, Code: "helper-failed", Path: p.at, What: fmt.Sprintf("%s was not looked into: %v", name, failed)})
			continue
		case err != nil:
			return nil, nil, fmt.Errorf("unpack %s: %w", name, err)
		}
		for _, e := range inner {
			if p.at != tree.Root {
				e.Path = p.at + "!/" + e.Path
			}
			entries = append(entries, e)
		}
	}
	slices.SortFunc(entries, func(a, b tree.Entry) int { return strings.Compare(string(a.Path), string(b.Path)) })
	return entries, told, nil
}

// helpersThere names the helper programs of a rulebook that are there: a
// layout that was made without one is not made for good.
func (s keeper) helpersThere(b *rulebook.Book) string {
	var there []string
	for _, h := range b.Helpers {
		if s.Helpers.Has(h.Program) {
			there = append(there, h.Program)
		}
	}
	return strings.Join(there, " ")
}

// unpackOne unpacks one file and keeps what is in it.
func (s keeper) unpackOne(ctx context.Context, a model.Archive, program, name string, d tree.Digest) (entries []tree.Entry, err error) {
	if !s.Helpers.Has(program) {
		return nil, helper.ErrMissing
	}
	work, err := os.MkdirTemp("", "restless-unpack-")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(work)) }()
	file, folder := filepath.Join(work, name), filepath.Join(work, "+")
	if err := errors.Join(s.spool(ctx, d, file), os.Mkdir(folder, 0o700)); err != nil {
		return nil, err
	}
	if err := s.Helpers.Unpack(ctx, program, file, folder); err != nil {
		return nil, err
	}
	seg, err := s.Room.Derive(a.Digest)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, seg.Close()) }()
	var held []stockroom.Held
	total := int64(0)
	err = filepath.WalkDir(folder, func(at string, entry fs.DirEntry, err error) error {
		if err != nil || at == folder || entry.IsDir() {
			return err
		}
		p, err := tree.ParsePath(filepath.ToSlash(strings.TrimPrefix(at, folder+string(filepath.Separator))))
		if err == nil && !entry.Type().IsRegular() {
			err = fmt.Errorf("%s is neither a file nor a folder", p)
		}
		if err != nil {
			return &helper.Error{Program: program, Verb: "unpack", Err: err}
		}
		e, h, err := s.keepFile(ctx, seg, at)
		if err != nil {
			return err
		}
		if total += e.Size; total > s.Limits.Total || len(entries) >= s.Limits.Entries {
			return &helper.Error{Program: program, Verb: "unpack", Err: fmt.Errorf("it makes more than %d files or %d bytes", s.Limits.Entries, s.Limits.Total)}
		}
		e.Path, held = p, append(held, h...)
		entries = append(entries, e)
		return nil
	})
	if err != nil {
		return nil, err
	}
	return entries, s.recordHeld(ctx, seg, held)
}

// recordHeld syncs what was appended and makes it known.
func (s keeper) recordHeld(ctx context.Context, seg *stockroom.Segment, held []stockroom.Held) error {
	if len(held) == 0 {
		return nil
	}
	if err := seg.Sync(); err != nil {
		return err
	}
	return s.Records.AddHeld(ctx, seg.Name(), held)
}

// keepFile appends a file to a segment, unless its bytes are held already.
func (s keeper) keepFile(ctx context.Context, seg *stockroom.Segment, at string) (tree.Entry, []stockroom.Held, error) {
	f, err := os.Open(at)
	if err != nil {
		return tree.Entry{}, nil, err
	}
	defer f.Close()
	d, n, err := tree.SumAll(f)
	if err != nil {
		return tree.Entry{}, nil, err
	}
	e := tree.Entry{Digest: d, Size: n}
	if there, err := s.sound(ctx, d); there || err != nil {
		return e, nil, err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return e, nil, err
	}
	kept, err := seg.Append(ctx, f)
	return e, []stockroom.Held{{Digest: kept.Digest, Span: kept.Span}}, err
}

// spool copies a content to a file, for programs that read files.
func (s keeper) spool(ctx context.Context, d tree.Digest, file string) (err error) {
	src, err := s.Room.Open(ctx, d)
	if err != nil {
		return err
	}
	defer src.Close()
	f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, src)
	return errors.Join(err, f.Close())
}
