package drafts

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// mostNeighbours is how many folders beside what is wanted are looked into. A server that was
// filled by hand with more of them is adopted instead.
const mostNeighbours = 200

// doubles looks into the folders beside what is wanted that nobody deployed, and notes those that
// hold the same add-on under another name, with what is in them. It gives what the folders held
// in short.
func (s *Drafter) doubles(ctx context.Context, srv model.Server, h remote.Host, plan draft.Plan, obs *draft.Observations, req *draft.Request) ([]glimpse, error) {
	if req.Recognise == nil {
		return nil, nil
	}
	folders := plan.Neighbours(*obs)
	if len(folders) == 0 {
		return nil, nil
	}
	rows, err := s.Records.LedgerOf(ctx, srv.ID, nil, folders) // of the ledger only a part may be known so far
	if err != nil {
		return nil, err
	}
	folders = slices.DeleteFunc(folders, func(p tree.Path) bool { return len(rows[p].Claims) > 0 })
	wanted := map[tree.Path]bool{}
	for _, p := range folders[:min(len(folders), mostNeighbours)] {
		wanted[p] = true
	}
	held, err := remote.ListAll(ctx, h, wanted)
	if err != nil {
		return nil, err
	}
	var glance []glimpse
	for p, list := range held {
		glance = append(glance, glimpse{folder: p, sum: sumOf(slices.Collect(maps.Values(list)), false)})
	}
	found, err := recognised(ctx, h, held, req)
	if err != nil || len(found) == 0 {
		return glance, err
	}
	whole, err := s.Records.Ledger(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	claimed := draft.ClaimedFolders(whole)
	found = slices.DeleteFunc(found, func(c draft.Copy) bool { return claimed[c.Path] })
	var paths []tree.Path
	for _, c := range found {
		paths = append(paths, c.Path)
	}
	obs.Doubles = found
	return glance, remote.Walk(ctx, h, paths, remote.Bounds{Deep: ofData.Deep}, func(p tree.Path, i remote.Info) (bool, error) {
		obs.Paths[p] = draft.Seen{State: tree.State{Being: i.Being, Mode: i.Mode, Size: i.Size}, Modified: i.Modified}
		return true, nil
	})
}

// recognised gives those of some folders that hold an add-on that is wanted, sorted.
func recognised(ctx context.Context, h remote.Host, held map[tree.Path]map[string]remote.Info, req *draft.Request) ([]draft.Copy, error) {
	var mu sync.Mutex
	var found []draft.Copy
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, h.InFlight()))
	for folder, list := range held {
		g.Go(func() error {
			inside := []tree.Entry{{Path: folder, Dir: true}}
			for name, i := range list {
				inside = append(inside, tree.Entry{Path: folder.Join(tree.Path(name)), Dir: i.Being == tree.Folder, Size: i.Size})
			}
			slices.SortFunc(inside, func(a, b tree.Entry) int { return strings.Compare(string(a.Path), string(b.Path)) })
			c, ok, err := req.Recognise(folder, inside, func(p tree.Path, most int64) ([]byte, error) {
				return remote.ReadAllowed(gctx, h, p, list[p.Base()].Size, most)
			})
			if err != nil || !ok || !slices.ContainsFunc(req.Wanted, func(w draft.Wanted) bool { return w.Addon == c.Addon }) {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			found = append(found, c)
			return nil
		})
	}
	err := g.Wait()
	slices.SortFunc(found, func(a, b draft.Copy) int { return strings.Compare(string(a.Path), string(b.Path)) })
	return found, err
}
