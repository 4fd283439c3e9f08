package hosts

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// How far [Service.Look] goes: enough to see how a tree is made.
const (
	lookDepth   = 4
	lookEntries = 4000
)

// Look lists what is near the root of a server's tree, folders first met
// first. It changes nothing.
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
	for folders := []tree.Path{tree.Root}; len(folders) > 0 && len(out) < lookEntries; folders = folders[1:] {
		found, err := h.List(ctx, folders[0])
		if err != nil {
			return nil, fmt.Errorf("look at %s on %s: %w", folders[0], name, err)
		}
		slices.SortFunc(found, func(a, b remote.Info) int { return strings.Compare(a.Name, b.Name) }) // a host lists in no order
		for _, i := range found {
			p, err := tree.ParsePath(i.Name)
			if err != nil || i.Being != tree.Folder && i.Being != tree.Content {
				continue // a link or a name that is no path says nothing about the game
			}
			p = folders[0].Join(p)
			out = append(out, tree.Entry{Path: p, Dir: i.Being == tree.Folder, Size: i.Size})
			if i.Being == tree.Folder && p.Depth() < lookDepth {
				folders = append(folders, p)
			}
		}
	}
	return out, nil
}
