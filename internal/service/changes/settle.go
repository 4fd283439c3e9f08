package changes

import (
	"context"
	"fmt"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
)

// mostRemoved is how many things may go with folders that nobody deployed.
const mostRemoved = 20_000

// wholeFolders writes out what is in the folders that are to be removed: the ask then says of each
// file that it goes, and means the same when it is drafted again.
func wholeFolders(ctx context.Context, h remote.Host, ask *requests.Ask) error {
	var out []requests.Settling
	for _, a := range ask.Settle {
		if a.Do != draft.RemoveIt {
			out = append(out, a)
			continue
		}
		i, err := h.Stat(ctx, a.Path)
		if err != nil {
			return fmt.Errorf("look at %s: %w", a.Path, err)
		}
		if a.Folder = i.Being == tree.Folder; !a.Folder {
			out = append(out, a)
			continue
		}
		out = append(out, a)
		err = remote.Walk(ctx, h, []tree.Path{a.Path}, remote.Bounds{Deep: 120, Things: mostRemoved}, func(p tree.Path, i remote.Info) (bool, error) {
			if i.Being == tree.Foreign {
				return false, fault.New(fault.Conflict, "foreign-in-way", "%s is a link or device on the server; such things are never touched", p).WithMend("Take it away by hand, or remove the rest one by one.")
			}
			out = append(out, requests.Settling{Path: p, Do: a.Do, Folder: i.Being == tree.Folder})
			return true, nil
		})
		if err != nil {
			return fmt.Errorf("look into %s: %w", a.Path, err)
		}
	}
	ask.Settle = out
	return nil
}
