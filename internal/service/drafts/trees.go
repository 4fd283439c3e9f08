package drafts

import (
	"context"
	"fmt"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/remote"
)

// copiesThere checks that the copies on the host that are to be put back are still
// there.
func copiesThere(ctx context.Context, h remote.Host, req *draft.Request) error {
	for _, r := range req.Returns {
		if r.Copy == "" {
			continue
		}
		i, err := h.Stat(ctx, r.Copy)
		if err != nil {
			return err
		}
		if i.Being != tree.Folder {
			return fault.New(fault.Conflict, "copy-gone", "the copy of %s that the host had made is no longer there: newer ones have taken its place", r.Folder).
				WithMend("The files alone can still go back: the same without the data.")
		}
	}
	return nil
}

// deepest is how deep a data folder may go.
const deepest = 120

// mostListed is how many things of a data folder are looked at before a draft.
const mostListed = 100_000

// listTrees lists data folders with everything in them.
func listTrees(ctx context.Context, h remote.Host, obs draft.Observations, folders []tree.Path) error {
	level := map[tree.Path]bool{}
	for _, f := range folders {
		i, err := h.Stat(ctx, f)
		if err != nil {
			return err
		}
		if i.Being == tree.Folder {
			level[f] = true
		}
	}
	for n := 0; len(level) > 0; {
		listed, err := remote.ListAll(ctx, h, level)
		if err != nil {
			return err
		}
		level = map[tree.Path]bool{}
		for folder, byName := range listed {
			if folder.Depth() > deepest {
				return fmt.Errorf("%s goes more than %d folders deep, such as a loop of links does", folder.Parts()[0], deepest)
			}
			for name, i := range byName {
				p := folder.Join(tree.Path(name))
				if _, seen := obs.Paths[p]; !seen {
					obs.Paths[p] = draft.Seen{State: tree.State{Being: i.Being, Size: i.Size, Mode: i.Mode}, Modified: i.Modified}
				}
				if i.Being == tree.Folder {
					level[p] = true
				}
				n++
			}
		}
		if n > mostListed {
			return fault.New(fault.Conflict, "data-too-many", "%v hold more than %d things", slices.Sorted(slices.Values(folders)), mostListed).
				WithMend("Copy them yourself, and deploy without copying them.").By(finding.LeaveData.With())
		}
	}
	return nil
}
