package catalog

import (
	"context"
	"errors"
	"fmt"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// sound tells whether the stockroom holds a content and its bytes are what they
// were.
func (s keeper) sound(ctx context.Context, d tree.Digest) (bool, error) {
	err := s.Room.Sound(ctx, d)
	var bad *stockroom.DamagedError
	if errors.As(err, &bad) || errors.Is(err, stockroom.ErrNotHeld) {
		return false, nil
	}
	return err == nil, err
}

// heal checks that the stockroom holds every content of an archive undamaged. Where it
// is not, the upload, which is the same archive, takes its place. It uses the
// upload up and gives how many contents are whole again.
func (s keeper) heal(ctx context.Context, u *Upload, a model.Archive, tell func(string)) (mended int, err error) {
	tell(fmt.Sprintf("%s was staged before; making sure that the stockroom's copy is whole", u.Filename))
	damaged, err := s.damagedOf(ctx, a)
	if err != nil || len(damaged) == 0 && !a.Dropped {
		return 0, errors.Join(err, u.Discard())
	}
	if a.Dropped {
		damaged = nil
	} else {
		tell(fmt.Sprintf("%d contents of the stockroom's copy are damaged; storing it again", len(damaged)))
	}
	u.CodePage = s.recovering().codePageOf(a, u.CodePage)
	l, packed, err := s.lookInto(ctx, u.in, u.in.Size, a.Filename, u.Say, func() (*stockroom.Segment, error) { return s.Room.Repack(a.Digest) })
	if err != nil {
		return 0, errors.Join(err, u.Discard())
	}
	if a.Container, err = s.commit(u, a); err != nil {
		return 0, err
	}
	_, held := contents(l, a, packed)
	return len(damaged), s.Records.Heal(ctx, a, held)
}

// damagedOf lists the contents of an archive, itself among them, whose bytes are not
// what they were.
func (s keeper) damagedOf(ctx context.Context, a model.Archive) ([]tree.Digest, error) {
	entries, err := s.Records.Entries(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	whole, err := s.sound(ctx, a.Digest)
	if err != nil {
		return nil, err
	}
	var damaged []tree.Digest
	if !whole {
		damaged = append(damaged, a.Digest)
	}
	seen := map[tree.Digest]bool{a.Digest: true}
	for _, e := range entries {
		if e.Dir || seen[e.Digest] {
			continue
		}
		seen[e.Digest] = true
		if whole { // what lies in it is whole with it
			loc, err := s.Records.Locate(ctx, e.Digest)
			if err != nil && !errors.Is(err, stockroom.ErrNotHeld) {
				return nil, err
			}
			if err == nil && loc.Container == a.Container {
				continue
			}
		}
		ok, err := s.sound(ctx, e.Digest)
		if err != nil {
			return nil, err
		}
		if !ok {
			damaged = append(damaged, e.Digest)
		}
	}
	return damaged, nil
}

// healDerived rebuilds damaged files that were repacked for crates.
func (s keeper) healDerived(ctx context.Context, a model.Archive, crates []model.Crate) (mended int, err error) {
	for _, c := range crates {
		for _, f := range c.Body.Files {
			if f.Repack == "" {
				continue
			}
			if ok, err := s.sound(ctx, f.Digest); ok || err != nil {
				if err != nil {
					return mended, err
				}
				continue
			}
			if _, err := s.laying().repackOne(ctx, a, f.Repack); err != nil {
				return mended, fmt.Errorf("pack %s anew: %w", a.Filename, err)
			}
			mended++
		}
	}
	return mended, nil
}
