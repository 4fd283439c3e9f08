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

// treeAt lists what stands at a path and below it: states without digests, by
// path below it, the folder itself as [tree.Root]. Nothing there is an empty
// map. infos has what the host reports of each.
func treeAt(ctx context.Context, h remote.Host, at tree.Path) (states map[tree.Path]tree.State, infos map[tree.Path]remote.Info, err error) {
	states, infos = map[tree.Path]tree.State{}, map[tree.Path]remote.Info{}
	top, err := h.Stat(ctx, at)
	if err != nil || top.Being == tree.Absent {
		return states, infos, err
	}
	note := func(rel tree.Path, i remote.Info) {
		states[rel], infos[rel] = tree.State{Being: i.Being, Size: i.Size, Mode: i.Mode}, i
	}
	note(tree.Root, top)
	for level := map[tree.Path]bool{at: true}; len(level) > 0 && top.Being == tree.Folder; {
		if err := bearable(at, level, len(infos)); err != nil {
			return nil, nil, err
		}
		listed, err := remote.ListAll(ctx, h, level)
		if err != nil {
			return nil, nil, err
		}
		level = map[tree.Path]bool{}
		for folder, byName := range listed {
			for name, i := range byName {
				p := folder.Join(tree.Path(name))
				rel, _ := p.Below(at)
				note(rel, i)
				if i.Being == tree.Folder {
					level[p] = true
				}
			}
		}
	}
	return states, infos, nil
}

// A tree that goes deeper, or holds more, is none that a game server has: it is a loop
// of links that a host follows, or made up.
const (
	deepest = 100
	most    = 1_000_000
)

func bearable(at tree.Path, level map[tree.Path]bool, things int) error {
	for p := range level {
		if p.Depth()-at.Depth() > deepest {
			return fmt.Errorf("%s goes more than %d folders deep, such as a loop of links does", at, deepest)
		}
		break // all of a level are as deep
	}
	if things > most {
		return fmt.Errorf("%s holds more than %d things", at, most)
	}
	return nil
}

// lookBefore looks, once for a batch, whether the names are free to which its
// folders are to come: where they are, no motion has to look by itself.
func (r *Run) lookBefore(ctx context.Context, motions []draft.Motion) error {
	var paths []tree.Path
	for _, m := range motions {
		if m.Whole() && m.Kind == draft.InMotion {
			paths = append(paths, m.Path)
		}
	}
	if len(paths) == 0 {
		return nil
	}
	infos, err := r.Host.StatAll(ctx, paths)
	if err != nil {
		return fmt.Errorf("look where folders are to come: %w", err)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.vacant = map[tree.Path]bool{}
	for i, p := range paths {
		r.vacant[p] = infos[i].Being == tree.Absent
	}
	return nil
}

func (r *Run) isVacant(p tree.Path) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.vacant[p]
}

// acts does operations in their order.
func (r *Run) acts(ctx context.Context, acts []draft.Act) error {
	for _, a := range acts {
		left, err := r.act(ctx, a)
		if errors.Is(err, fs.ErrExist) && a.Op == draft.Rename {
			return fmt.Errorf("something else has appeared at %s; move it away by hand, then go on: %w", a.To, err)
		}
		if err != nil {
			return err
		}
		if left {
			r.note("the folder %s stays: something that is not of this deployment is in it", a.From)
		}
	}
	return nil
}

// backWhole takes the moving of a whole folder back. Bytes that the server
// wrote into our files in the meantime are kept.
func (r *Run) backWhole(ctx context.Context, m draft.Motion, marks Marks) (Result, error) {
	at := r.Names.Temp(m)
	temp, _, err := treeAt(ctx, r.Host, at)
	if err != nil {
		return Result{}, err
	}
	final, _, err := treeAt(ctx, r.Host, m.Path)
	if err != nil {
		return Result{}, err
	}
	if err := r.acts(ctx, draft.WholeBack(r.Draft, m, r.Names, temp, final)); err != nil || m.Kind == draft.AsideMotion {
		return Result{}, err
	}
	// Looked at also where it is an earlier undo, broken off since, that has
	// taken the folder back.
	_, now, err := treeAt(ctx, r.Host, at)
	if err != nil {
		return Result{}, err
	}
	var res Result
	for s := range r.Draft.Motions.Of(draft.SendMotion, m.Path) {
		rel, inside := s.Path.Below(m.Path)
		i, back := now[rel]
		if !inside || !back || i.Being != tree.Content {
			continue
		}
		mark := marks.At(KeyOf(s))
		if mark.State == Finished && i.Size == mark.Result.Size && i.Modified == mark.Result.Modified && r.tells(i.Modified, marks.At(KeyOf(m)).Result.At) {
			continue
		}
		if err := r.keepInside(ctx, at, rel, s.Path, s.After.Digest, &res, "%s was written to while it was in place; what it held is kept"); err != nil {
			return Result{}, err
		}
	}
	return res, nil
}

// keepInside is keepIfOther for one file of a whole folder.
func (r *Run) keepInside(ctx context.Context, at, rel, path tree.Path, expected tree.Digest, res *Result, format string) error {
	var one Result
	if err := r.keepIfOther(ctx, at.Join(rel), expected, &one, format, path); err != nil || one.Kept == nil {
		return err
	}
	if res.Inside == nil {
		res.Inside = map[tree.Path]Result{}
	}
	res.Inside[rel] = one
	return nil
}

// checkAsideWhole looks into a folder that was set aside: what the server wrote
// last into files of the deployment is kept, and what is not of the deployment
// goes back to where it was.
func (r *Run) checkAsideWhole(ctx context.Context, m draft.Motion, res *Result) error {
	at := r.Names.Temp(m)
	temp, infos, err := treeAt(ctx, r.Host, at)
	if err != nil {
		return err
	}
	if temp[tree.Root].Being != tree.Folder {
		return errors.New("it is not under its set-aside name")
	}
	ours := map[tree.Path]draft.Motion{}
	for t := range r.Draft.Motions.Of(draft.TidyMotion, m.Path) {
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
