package requests

import (
	"context"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// renaming has a request be about the tree as it is once things have their new names: the ledger,
// and the texts that are changed along with it.
func renaming(ask *Ask, req *draft.Request) error {
	for _, m := range ask.Moves {
		switch {
		case m.From == tree.Root || m.To == tree.Root || m.From == m.To:
			return fault.New(fault.Usage, "bad-request", "a new name needs a path and another one")
		case m.To.Within(m.From):
			return fault.New(fault.Usage, "bad-request", "%s cannot be moved into itself", m.From)
		}
	}
	if len(ask.Moves) == 0 {
		return nil
	}
	under(req, slices.Clone(ask.Moves))
	return nil
}

// under has a request be about the tree as moves leave it. What names a folder names it anew.
func under(req *draft.Request, moves draft.Moves) {
	req.Moves, req.Ledger = moves, moves.Moved(req.Ledger)
	for p, row := range req.Ledger {
		for i, l := range row.Listed {
			for _, m := range moves {
				if l.Key == m.From.Base() {
					row.Listed = slices.Clone(row.Listed)
					row.Listed[i].Key = m.To.Base()
				}
			}
		}
		req.Ledger[p] = row
	}
}

// moved gives the paths that crates' files have on a server on which folders were renamed.
func (s *Maker) moved(ctx context.Context, srv model.Server, req *draft.Request) error {
	moves, err := s.Records.Moves(ctx, srv.ID)
	if err != nil || len(moves) == 0 {
		return err
	}
	for i := range req.Wanted {
		w := &req.Wanted[i]
		for n := range w.Files {
			w.Files[n].Path = moves.New(w.Files[n].Path)
		}
		for n := range w.Folders {
			w.Folders[n] = moves.New(w.Folders[n])
		}
		for n := range w.Listings {
			for _, m := range moves {
				if w.Listings[n].Listing.Key == m.From.Base() {
					w.Listings[n].Listing.Key = m.To.Base()
				}
			}
		}
	}
	return nil
}

// movesBack has the names go back that a deployment gave. Over them nothing else goes back but
// that deployment as a whole: a path that is called otherwise since is another one.
func (s *Maker) movesBack(ctx context.Context, srv model.Server, b *Back, req *draft.Request) error {
	list, err := s.Records.Deployments(ctx, srv.Name, 0, -1)
	if err != nil {
		return err
	}
	for _, d := range list {
		if d.State != model.Done || len(d.Draft.Moves) == 0 {
			continue
		}
		if d.Number == b.Deployment {
			under(req, d.Draft.Moves.Back())
			for i := range req.Back {
				req.Back[i].Path = req.Moves.New(req.Back[i].Path)
			}
			continue
		}
		if b.To != nil && d.Number > *b.To && len(s.since(list, d)) == 0 {
			return fault.New(fault.Conflict, "moved-since", "%s has given files and folders other names since", d.Name()).WithMend("Take that one back first.").By(finding.RollBack.On(d.Name()))
		}
	}
	return nil
}

// since lists the deployments that took back what one did.
func (s *Maker) since(list []model.Deployment, d model.Deployment) (out []model.Deployment) {
	for _, o := range list {
		if o.State == model.Done && o.Number > d.Number && slices.Equal(o.Draft.Moves, d.Draft.Moves.Back()) {
			out = append(out, o)
		}
	}
	return out
}
