package catalog

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/helper"
	"restlesscrate/internal/model"
)

// recipe is what a merged file is made of. Replaced is what came of it and no
// part of its digest.
type recipe struct {
	Base     tree.Digest       `json:"base"`
	Program  string            `json:"program,omitempty"`
	Parts    []model.MergePart `json:"parts"`
	Replaced []tree.Path       `json:"replaced,omitempty"`
}

// Merge makes a packed file out of another one and parts, once: the same of
// the same is not made again. name is the packed file's own, which tells
// whether it is in a format of the game's own; otherwise it is a zip. What was
// made is read again and checked before it counts.
func (s *Service) Merge(ctx context.Context, b *rulebook.Book, base tree.Digest, name string, parts []model.MergePart) (m model.Merged, err error) {
	r := recipe{Base: base, Parts: slices.SortedFunc(slices.Values(parts), func(a, b model.MergePart) int { return strings.Compare(string(a.Path), string(b.Path)) })}
	if h, own := b.HelperFor(name); own {
		r.Program = h.Program
	}
	raw, err := json.Marshal(r)
	if err != nil {
		return m, err
	}
	id := tree.Sum(raw)
	text, made, err := s.Records.Made(ctx, id)
	if err == nil {
		err := json.Unmarshal([]byte(text), &r)
		return model.Merged{Bytes: made, Replaced: r.Replaced}, err
	}
	if !errors.Is(err, model.ErrNotFound) {
		return m, err
	}
	work, err := os.MkdirTemp("", "restless-merge-")
	if err != nil {
		return m, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(work)) }()
	from, to := filepath.Join(work, "base-"+name), filepath.Join(work, name)
	if err := s.keeping().spool(ctx, base, from); err != nil {
		return m, err
	}
	if r.Program != "" {
		r.Replaced, err = s.merging().mergeByHelper(ctx, r, work, from, to)
	} else {
		r.Replaced, err = s.merging().mergeZip(ctx, r, from, to)
	}
	if err != nil {
		return m, fault.New(fault.Failed, "not-merged", "%s could not be merged: %v", name, err).WithMend("Nothing was changed.")
	}
	m.Replaced = r.Replaced
	if m.Bytes, err = s.merging().keepMade(ctx, base, to); err != nil {
		return m, err
	}
	full, err := json.Marshal(r)
	if err != nil {
		return m, err
	}
	return m, s.Records.AddMade(ctx, id, string(full), m.Bytes)
}

// keepMade stores a file that was made out of another.
func (s merger) keepMade(ctx context.Context, of tree.Digest, file string) (b draft.Bytes, err error) {
	seg, err := s.Room.Derive(of)
	if err != nil {
		return b, err
	}
	defer func() { err = errors.Join(err, seg.Close()) }()
	e, held, err := s.keeping().keepFile(ctx, seg, file)
	if err != nil {
		return b, err
	}
	return draft.Bytes{Digest: e.Digest, Size: e.Size}, s.keeping().recordHeld(ctx, seg, held)
}

func (s merger) mergeZip(ctx context.Context, r recipe, from, to string) (replaced []tree.Path, err error) {
	in, err := os.Open(from)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return nil, err
	}
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	var additions []archive.Addition
	for _, p := range r.Parts {
		additions = append(additions, archive.Addition{Path: p.Path, Open: func() (io.ReadCloser, error) { return s.Room.Open(ctx, p.Digest) }})
	}
	if replaced, err = archive.Merge(out, in, info.Size(), additions); err != nil {
		return nil, err
	}
	size, err := out.Seek(0, io.SeekEnd)
	if err != nil {
		return nil, err
	}
	l, err := archive.Open(ctx, out, size, archive.Options{Limits: s.Limits, Filename: filepath.Base(to), Pack: func() (archive.Pack, error) {
		return nil, errors.New("it holds an archive that cannot be read where it is")
	}})
	if err != nil {
		return nil, fmt.Errorf("what was made cannot be read again: %w", err)
	}
	found := map[tree.Path]tree.Digest{}
	for _, it := range l.Items {
		found[it.Path] = it.Digest
	}
	return replaced, holds(r, found)
}

// holds checks that every part is in what was made.
func holds(r recipe, found map[tree.Path]tree.Digest) error {
	for _, p := range r.Parts {
		if found[p.Path] != p.Digest {
			return fmt.Errorf("what was made does not hold %s as it should", p.Path)
		}
	}
	return nil
}

// mergeByHelper unpacks, puts the parts in, packs, and unpacks what was made
// to check it.
func (s merger) mergeByHelper(ctx context.Context, r recipe, work, from, to string) (replaced []tree.Path, err error) {
	if !s.Helpers.Has(r.Program) {
		return nil, fmt.Errorf("%w: %s; put it into %s", helper.ErrMissing, r.Program, s.Helpers.Dir)
	}
	folder, check := filepath.Join(work, "+"), filepath.Join(work, "++")
	if err := errors.Join(os.Mkdir(folder, 0o700), os.Mkdir(check, 0o700)); err != nil {
		return nil, err
	}
	if err := s.Helpers.Unpack(ctx, r.Program, from, folder); err != nil {
		return nil, err
	}
	jail, err := os.OpenRoot(folder) // what a program unpacked may hold links
	if err != nil {
		return nil, err
	}
	defer jail.Close()
	for _, p := range r.Parts {
		at := filepath.FromSlash(string(p.Path))
		if _, err := jail.Lstat(at); err == nil {
			replaced = append(replaced, p.Path)
			if err := jail.Remove(at); err != nil {
				return nil, err
			}
		}
		if err := s.putInto(ctx, jail, at, p.Digest); err != nil {
			return nil, err
		}
	}
	if err := s.Helpers.Pack(ctx, r.Program, folder, to); err != nil {
		return nil, err
	}
	if err := s.Helpers.Unpack(ctx, r.Program, to, check); err != nil {
		return nil, fmt.Errorf("what was made cannot be read again: %w", err)
	}
	made, err := os.OpenRoot(check)
	if err != nil {
		return nil, err
	}
	defer made.Close()
	found := map[tree.Path]tree.Digest{}
	for _, p := range r.Parts {
		f, err := made.Open(filepath.FromSlash(string(p.Path)))
		if err != nil {
			return nil, fmt.Errorf("what was made does not hold %s", p.Path)
		}
		d, _, err := tree.SumAll(f)
		if err = errors.Join(err, f.Close()); err != nil {
			return nil, err
		}
		found[p.Path] = d
	}
	return replaced, holds(r, found)
}

func (s merger) putInto(ctx context.Context, jail *os.Root, at string, d tree.Digest) error {
	if err := jail.MkdirAll(filepath.Dir(at), 0o700); err != nil {
		return err
	}
	src, err := s.Room.Open(ctx, d)
	if err != nil {
		return err
	}
	defer src.Close()
	f, err := jail.OpenFile(at, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, src)
	return errors.Join(err, f.Close())
}
