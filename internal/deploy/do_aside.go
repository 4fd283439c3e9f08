package deploy

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// asider sets a file aside, or a folder with everything in it.
type asider struct{ site }

func (r asider) backward(ctx context.Context, m draft.Motion, marks Marks) (Result, error) {
	if m.Whole() {
		return r.backWhole(ctx, m, marks)
	}
	_, res, err := r.back(ctx, m)
	if errors.Is(err, fs.ErrExist) { // what is there may be the file itself, under its other name
		if one, other := r.only(ctx, m, r.Names.Temp(m)); one || other != nil {
			return Result{}, other
		}
	}
	return res, err
}

func (r asider) forward(ctx context.Context, m draft.Motion, begun bool) (Result, error) {
	if begun {
		if one, err := r.only(ctx, m, m.Path); one || err != nil {
			return Result{}, err
		}
	}
	return r.site.forward(ctx, m, begun)
}

func (r asider) settles(m draft.Motion) settling {
	if m.Whole() {
		return byItself
	}
	return byTemp
}

func (r asider) settle(ctx context.Context, m draft.Motion, found remote.Info, _ int64, res *Result) error {
	switch {
	case m.Whole():
		return r.checkAsideWhole(ctx, m, res)
	case r.editOf(m.Path) != nil:
		return editor(r).checkEdited(ctx, m, r.Names.Temp(m), found, res)
	}
	return r.checkAside(ctx, m, r.Names.Temp(m), found, res)
}

// checkAside compares a file that was set aside with what the draft saw: what
// the server wrote into it last is fetched, so that nothing of it is lost.
func (r asider) checkAside(ctx context.Context, m draft.Motion, at tree.Path, i remote.Info, res *Result) error {
	if i.Being != tree.Content {
		return fmt.Errorf("it is not under its set-aside name")
	}
	res.Size, res.Modified = i.Size, i.Modified
	if i.Size == m.Before.Size && i.Modified == m.Seen && r.tells(m.Seen, r.Draft.LookedAt) {
		return nil
	}
	return r.keepIfOther(ctx, at, m.Before.Digest, res, "%s was written to after it was looked at; its last bytes are kept", m.Path)
}

// checkAsideWhole looks into a folder that was set aside: what the server wrote
// last into files of the deployment is kept, and what is not of the deployment
// goes back to where it was.
func (r asider) checkAsideWhole(ctx context.Context, m draft.Motion, res *Result) error {
	at := r.Names.Temp(m)
	temp, infos, err := treeAt(ctx, r.Host, at)
	if err != nil {
		return err
	}
	if temp[tree.Root].Being != tree.Folder {
		return errors.New("it is not under its set-aside name")
	}
	ours := map[tree.Path]draft.Motion{}
	for t := range r.Draft.Motions.OfKind(draft.TidyMotion, m.Path) {
		if rel, inside := t.Path.Below(m.Path); inside {
			ours[rel] = t
		}
	}
	theirs := func(rel tree.Path) bool { _, known := ours[rel]; return !known }
	if foreign := slices.ContainsFunc(slices.Collect(maps.Keys(temp)), func(rel tree.Path) bool { return rel != tree.Root && theirs(rel) }); foreign {
		final, _, err := treeAt(ctx, r.Host, m.Path)
		if err != nil {
			return err
		}
		if err := r.acts(ctx, draft.MoveTree(at, m.Path, temp, final, theirs)); err != nil {
			return err
		}
		r.note("something that is not of this deployment was in %s; it is where it was", m.Path)
	}
	for rel, t := range ours {
		i := infos[rel]
		if t.Before.Being != tree.Content || i.Being == tree.Content && i.Size == t.Before.Size && i.Modified == t.Seen && r.tells(t.Seen, r.Draft.LookedAt) {
			continue
		}
		if i.Being != tree.Content {
			continue // gone since it was looked at; the look after the swap does not miss it
		}
		if err := r.keepInside(ctx, at, rel, t.Path, t.Before.Digest, res, "%s was written to after it was looked at; its last bytes are kept"); err != nil {
			return err
		}
	}
	return nil
}
