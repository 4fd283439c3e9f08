package hosts

import (
	"context"
	"fmt"
	"maps"
	"slices"

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
	for level := []tree.Path{tree.Root}; len(level) > 0 && len(out) < lookEntries; {
		folders := map[tree.Path]bool{}
		for _, p := range level {
			folders[p] = true
		}
		listed, err := remote.ListAll(ctx, h, folders)
		if err != nil {
			return nil, fmt.Errorf("look at %s: %w", name, err)
		}
		var next []tree.Path
		for _, folder := range level {
			for _, base := range slices.Sorted(maps.Keys(listed[folder])) { // a host lists in no order
				i := listed[folder][base]
				p, err := tree.ParsePath(base)
				if err != nil || i.Being != tree.Folder && i.Being != tree.Content {
					continue // a link or a name that is no path says nothing about the game
				}
				p = folder.Join(p)
				out = append(out, tree.Entry{Path: p, Dir: i.Being == tree.Folder, Size: i.Size})
				if i.Being == tree.Folder && p.Depth() < lookDepth {
					next = append(next, p)
				}
			}
		}
		level = next
	}
	return out, nil
}
