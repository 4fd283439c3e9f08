package deploy

import (
	"context"

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
	if top.Being != tree.Folder {
		return states, infos, nil
	}
	err = remote.Walk(ctx, h, []tree.Path{at}, bearable, func(p tree.Path, i remote.Info) (bool, error) {
		rel, _ := p.Below(at)
		note(rel, i)
		return true, nil
	})
	return states, infos, err
}

// bearable bounds the listing of a game server's tree.
var bearable = remote.Bounds{Deep: 100, Things: 1_000_000}

// backWhole takes the moving of a whole folder back. Bytes that the server
// wrote into our files in the meantime are kept.
func (r site) backWhole(ctx context.Context, m draft.Motion, marks Marks) (Result, error) {
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
	for s := range r.Draft.Motions.OfKind(draft.SendMotion, m.Path) {
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
