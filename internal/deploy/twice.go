package deploy

import (
	"context"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// twice tells whether a single file stands under both names of a rename, with the same bytes.
// A host may rename by linking the new name and removing the old one, as SFTP servers do; where
// its disk becomes read-only between the two, or it is killed, both are there.
func (r site) twice(ctx context.Context, m draft.Motion) (bool, error) {
	temp := r.Names.Temp(m)
	if m.Whole() || temp == tree.Root || m.Kind != draft.AsideMotion && m.Kind != draft.InMotion {
		return false, nil
	}
	one, err := r.Host.Stat(ctx, m.Path)
	if err != nil {
		return false, err
	}
	other, err := r.Host.Stat(ctx, temp)
	if err != nil || one.Being != tree.Content || other.Being != tree.Content || one.Size != other.Size || one.Modified != other.Modified {
		return false, err
	}
	a, err := HashOf(ctx, r.Host, m.Path, one.Size)
	if err != nil {
		return false, err
	}
	b, err := HashOf(ctx, r.Host, temp, other.Size)
	return a == b, err
}

// only removes the other name of a file that stands twice; ok is false where it does not.
func (r site) only(ctx context.Context, m draft.Motion, remove tree.Path) (ok bool, err error) {
	if ok, err = r.twice(ctx, m); err == nil && ok {
		err = r.Host.RemoveFile(ctx, remove)
	}
	return ok, err
}
