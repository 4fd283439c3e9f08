package requests

import (
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// copiesOf finds, by a server's rulebook, what looks like an add-on among things on it.
func copiesOf(b *rulebook.Book, srv model.Server) func([]tree.Entry) []draft.Copy {
	return func(entries []tree.Entry) (out []draft.Copy) {
		read, err := layout.Read(b, srv.Variables, entries)
		if err != nil {
			return nil // a place that depends on what nobody said: nothing can be told of it
		}
		for _, a := range read.Addons {
			c := draft.Copy{Path: a.Path, Addon: layout.Key(a.Name), Label: a.Name}
			if a.Version != "" {
				c.Label += "@" + a.Version
			}
			out = append(out, c)
		}
		return out
	}
}

// recognised tells, by a server's rulebook, which add-on a folder on it holds, out of what is right
// in the folder and of what its texts say of themselves.
func recognised(b *rulebook.Book, srv model.Server) func(folder tree.Path, inside []tree.Entry, read func(tree.Path, int64) ([]byte, error)) (draft.Copy, bool, error) {
	return func(folder tree.Path, inside []tree.Entry, read func(tree.Path, int64) ([]byte, error)) (draft.Copy, bool, error) {
		there, err := layout.Read(b, srv.Variables, inside)
		if err != nil {
			return draft.Copy{}, false, nil //nolint:nilerr // nothing can be told of it
		}
		i := slices.IndexFunc(there.Addons, func(a layout.AddonThere) bool { return a.Path == folder })
		if i < 0 {
			return draft.Copy{}, false, nil
		}
		res, err := layout.Lay(b, layout.AsDownloaded(folder, inside, read), nil)
		if err != nil {
			return draft.Copy{}, false, err
		}
		for _, c := range res.Crates {
			if c.Kind == there.Addons[i].Kind {
				return draft.Copy{Path: folder, Addon: layout.Key(c.Name), Label: c.Label()}, true, nil
			}
		}
		return draft.Copy{}, false, nil
	}
}
