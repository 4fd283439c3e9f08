package changes

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// data says which data folders are copied: those that a wanted add-on changes, as
// its kind says, or all where a person wants that.
func (s *Service) data(b *rulebook.Book, srv model.Server, ask Ask, req *draft.Request) error {
	if ask.NoData {
		return nil
	}
	why := map[string]string{}
	for _, w := range req.Wanted {
		for _, k := range b.Kinds {
			if k.Name != w.Effect.Kind {
				continue
			}
			for _, place := range k.ChangesData {
				why[place] = w.Label() + " may change it at its first start"
			}
		}
	}
	for _, p := range b.Places {
		if !p.Data {
			continue
		}
		reason, changed := why[p.Name]
		if !changed && !ask.Data {
			continue
		}
		if !changed {
			reason = "you wish it"
		}
		folder, err := b.Resolve(p.Name, shared(b, srv.Variables))
		if err != nil {
			continue // its path belongs to each add-on
		}
		req.Data = append(req.Data, draft.DataFolder{Path: folder, Why: reason})
	}
	if ask.Data && len(req.Data) == 0 {
		return fault.New(fault.Conflict, "no-data", "rulebook %s names no folder that the server writes", b.Name).WithMend("Mark a place with data: true.")
	}
	return nil
}

// dataPlaces names the places that a server writes.
func dataPlaces(b *rulebook.Book) string {
	var out []string
	for _, p := range b.Places {
		if p.Data {
			out = append(out, p.Name)
		}
	}
	if len(out) == 0 {
		return "none in this rulebook"
	}
	return strings.Join(out, ", ")
}

// dataBack wants the data folders back that a deployment copied.
func (s *Service) dataBack(ctx context.Context, srv model.Server, number int, req *draft.Request) error {
	d, err := s.Find(ctx, srv.Name, number)
	if err == nil {
		d, err = s.Records.DeploymentByID(ctx, d.ID)
	}
	if err != nil {
		return err
	}
	marks, err := s.Records.Marks(ctx, d.ID)
	if err != nil {
		return err
	}
	for m := range d.Draft.Motions.All() {
		if !m.KeepsFolder() {
			continue
		}
		if files, copy, ok := deploy.HeldBy(&d.Draft, marks, m.Path); ok {
			req.Returns = append(req.Returns, draft.DataReturn{Folder: m.Path, Files: files, Copy: copy, Why: "as it was before " + d.Name()})
		}
	}
	if len(req.Returns) == 0 {
		return fault.New(fault.Conflict, "no-copy", "%s copied no data folder, so only its files can go back", d.Name())
	}
	return nil
}

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
			return fmt.Errorf("%v hold more than %d things; copy them yourself and deploy with --no-copy-data", slices.Sorted(slices.Values(folders)), mostListed)
		}
	}
	return nil
}
