package requests

import (
	"context"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// worlds says what is copied, renewed and brought back of a server's data.
type worlds struct{ *Maker }

// data says which data folders are copied: those that a wanted add-on changes, as
// its kind says, or all where a person wants that.
func (s worlds) data(b *rulebook.Book, srv model.Server, ask Ask, req *draft.Request) error {
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
		if staysAside(req, folder) {
			continue
		}
		req.Data = append(req.Data, draft.DataFolder{Path: folder, Why: reason})
	}
	if ask.Data && len(req.Data) == 0 {
		return fault.New(fault.Conflict, "no-data", "rulebook %s names no folder that the server writes", b.Name).WithMend("Mark a place with data: true.")
	}
	return nil
}

// staysAside tells whether a folder is set aside or left alone by a request, so that nothing
// of it is lost without a copy.
func staysAside(req *draft.Request, folder tree.Path) bool {
	return slices.ContainsFunc(req.Renew, func(f draft.DataFolder) bool { return folder.Within(f.Path) }) ||
		slices.ContainsFunc(req.NewNames, func(n draft.NewName) bool { return folder.Within(n.From) })
}

// renewedBack wants data folders back that deployments have set aside: those of the
// deployments that chosen names, of each folder the one that was set aside first.
func (s worlds) renewedBack(ctx context.Context, srv model.Server, chosen func(model.Deployment) bool, req *draft.Request) error {
	done, err := s.Records.Deployments(ctx, srv.Name, 0, -1)
	if err != nil {
		return err
	}
	from := map[tree.Path]draft.DataFolder{}
	for _, d := range done { // the newest first
		if d.State != model.Done || !chosen(d) {
			continue
		}
		ask, err := Read(d.Ask)
		if err != nil || len(ask.Renew) == 0 {
			continue
		}
		whole, err := s.Records.DeploymentByID(ctx, d.ID)
		if err != nil {
			return err
		}
		for m := range whole.Draft.Motions.All() {
			if m.Kind == draft.RenewMotion && m.Subject == "" {
				from[m.Path] = draft.DataFolder{Path: m.Path, Why: "as it was before " + d.Name(), From: draft.Names{Number: d.Number}.Before(m.Path)}
			}
		}
	}
	for _, p := range slices.Sorted(maps.Keys(from)) {
		req.Renew = append(req.Renew, from[p])
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
func (s worlds) dataBack(ctx context.Context, srv model.Server, number int, req *draft.Request) error {
	d, err := Find(ctx, s.Records, srv.Name, number)
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
