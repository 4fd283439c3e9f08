package catalog

import (
	"context"
	"errors"
	"slices"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// reread looks into an archive that is staged again with a code page. Where names in it
// are others then, they are what counts from now on, and the crates that it made before
// leave the list once it is laid out anew; what was noted of its names is renewed in a. It does not use the upload up.
func (s layer) reread(ctx context.Context, u *Upload, a *model.Archive, revisions []model.Revision) (renewed bool, old []model.Crate, err error) {
	if u.CodePage == "" {
		return false, nil, nil
	}
	o := s.keeping().reading(a.Filename, u.Say)
	var again *stockroom.Segment // of no use: its bytes are held already
	o.Pack = func() (_ archive.Pack, err error) {
		again, err = s.Room.Repack(a.Digest)
		return again, err
	}
	l, err := archive.Open(ctx, u.in, u.in.Size, o)
	if again != nil {
		err = errors.Join(err, again.Discard())
	}
	if err != nil {
		return false, nil, err
	}
	now := make([]tree.Entry, len(l.Items))
	for i, it := range l.Items {
		now[i] = it.Entry
	}
	was, err := s.Records.Entries(ctx, a.ID)
	if err != nil || slices.Equal(was, now) {
		return false, nil, err
	}
	if old, err = s.madeBefore(ctx, *a, revisions); err != nil {
		return false, nil, err
	}
	a.Findings = l.Notes // of names that could not be read as these can
	return true, old, s.Records.Relist(ctx, *a, now)
}
