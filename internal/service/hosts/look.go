package hosts

import (
	"context"
	"fmt"
	"io/fs"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// How far [Service.Look] goes: enough to see how a tree is made.
const (
	lookDepth   = 4
	lookEntries = 50_000
)

// Look lists what is near the root of a server's tree, level by level. It
// changes nothing.
func (s *Service) Look(ctx context.Context, name string) ([]tree.Entry, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return nil, err
	}
	h, err := s.Connect(ctx, srv)
	if err != nil {
		return nil, err
	}
	defer h.Close()
	var out []tree.Entry
	err = remote.Walk(ctx, h, []tree.Path{tree.Root}, remote.Bounds{}, func(p tree.Path, i remote.Info) (bool, error) {
		if _, err := tree.ParsePath(i.Name); err != nil || i.Being != tree.Folder && i.Being != tree.Content {
			return false, nil // a link or a name that is no path says nothing about the game
		}
		if len(out) >= lookEntries {
			return false, fs.SkipAll
		}
		out = append(out, tree.Entry{Path: p, Dir: i.Being == tree.Folder, Size: i.Size})
		return p.Depth() < lookDepth, nil
	})
	if err != nil {
		return nil, fmt.Errorf("look at %s: %w", name, err)
	}
	return out, nil
}
