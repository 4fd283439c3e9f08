package drafts

import (
	"context"
	"errors"

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

// ofData is how far a data folder may go that a draft copies.
var ofData = remote.Bounds{Deep: 120, Things: 100_000}

// listTrees lists data folders with everything in them.
func listTrees(ctx context.Context, h remote.Host, obs draft.Observations, folders []tree.Path) error {
	var there []tree.Path
	for _, f := range folders {
		i, err := h.Stat(ctx, f)
		if err != nil {
			return err
		}
		if i.Being == tree.Folder {
			there = append(there, f)
		}
	}
	err := remote.Walk(ctx, h, there, ofData, func(p tree.Path, i remote.Info) (bool, error) {
		if _, seen := obs.Paths[p]; !seen {
			obs.Paths[p] = draft.Seen{State: tree.State{Being: i.Being, Size: i.Size, Mode: i.Mode}, Modified: i.Modified}
		}
		return true, nil
	})
	if many := (*remote.TooManyError)(nil); errors.As(err, &many) {
		return fault.New(fault.Conflict, "data-too-many", "%v", many).
			WithMend("Copy them yourself, and deploy without copying them.").By(finding.LeaveData.With())
	}
	return err
}
