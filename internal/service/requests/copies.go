package requests

import (
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
