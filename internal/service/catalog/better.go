package catalog

import (
	"context"
	"errors"
	"fmt"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// betterName keeps the name under which an archive is staged again, where it tells a
// version that the name before did not, and gives what the old name had made: those
// crates leave the list once the archive is laid out anew. An archive that nobody has
// laid out yet takes the new name in any case. Where the new name tells no more, nothing
// is changed and there are none.
func (s layer) betterName(ctx context.Context, a model.Archive, filename string, revisions []model.Revision) (renamed model.Archive, old []model.Crate, err error) {
	better, err := s.Records.NeverLaidOut(ctx, a.ID)
	if err != nil {
		return a, nil, err
	}
	for _, rev := range revisions {
		if better {
			break
		}
		b, err := s.books.parse(rev)
		if err != nil {
			return a, nil, err
		}
		fixes, _, _, err := s.fixes(ctx, b)
		if err != nil {
			return a, nil, err
		}
		was, _, err := s.lay(ctx, b, a, a.Filename, fixes)
		if err != nil {
			return a, nil, err
		}
		now, _, err := s.lay(ctx, b, a, filename, fixes)
		if err != nil {
			return a, nil, err
		}
		better = tellsMore(was, now)
	}
	if !better {
		return a, nil, nil
	}
	if old, err = s.madeBefore(ctx, a, revisions); err != nil {
		return a, nil, err
	}
	renamed, err = s.Records.RenameArchive(ctx, a, filename)
	return renamed, old, err
}

// tellsMore reports whether a crate of now has a version that it had not before, and none
// has lost its own. Of a pack neither counts: it has a name that a person can change.
func tellsMore(was, now layout.Result) (more bool) {
	if was.Pallet != nil || now.Pallet != nil || len(was.Crates) != len(now.Crates) {
		return false
	}
	for i, c := range now.Crates {
		told, tells := was.Crates[i].Version != layout.Unmarked, c.Version != layout.Unmarked
		if told && !tells {
			return false
		}
		more = more || !told && tells
	}
	return more
}

// madeBefore lists what these revisions have made of an archive under the corrections that
// are in force.
func (s layer) madeBefore(ctx context.Context, a model.Archive, revisions []model.Revision) (old []model.Crate, err error) {
	for _, rev := range revisions {
		b, err := s.books.parse(rev)
		if err != nil {
			return nil, err
		}
		_, corrections, _, err := s.fixes(ctx, b)
		if err != nil {
			return nil, err
		}
		laid, err := s.Records.LaidOut(ctx, a.ID, rev.ID, corrections)
		if err != nil && !errors.Is(err, model.ErrNotFound) {
			return nil, err
		}
		old = append(old, laid.Crates...)
	}
	return old, nil
}

// leave removes crates from the list that an archive no longer yields. Crates that a
// server holds stay.
func (s layer) leave(ctx context.Context, old []model.Crate, books []BookResult) error {
	now := map[tree.Digest]bool{}
	for _, b := range books {
		for _, c := range b.Crates {
			now[c.Digest] = true
		}
	}
	for _, c := range old {
		if now[c.Digest] {
			continue
		}
		if err := s.drop(ctx, c); err != nil {
			return err
		}
	}
	return nil
}

// drop takes a crate out of the list, unless a server holds it.
func (s layer) drop(ctx context.Context, c model.Crate) error {
	err := s.Records.DropCrate(ctx, c)
	if err == nil || errors.Is(err, model.ErrConflict) || errors.Is(err, model.ErrNotFound) {
		return nil
	}
	return fmt.Errorf("take %s out of the list: %w", c.Body.Label(), err)
}
