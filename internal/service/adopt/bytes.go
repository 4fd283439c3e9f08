package adopt

import (
	"context"
	"slices"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
)

// byBytes names a file, which is an add-on by itself, after the staged crate that brings the same
// bytes: somebody put it there under a name of their own. Only a file of the length of such a
// crate's is read.
func (l *looking) byBytes(ctx context.Context, f *Found) error {
	top := l.all[f.Path]
	if top.Dir || f.crate == nil {
		return nil
	}
	singles, err := l.singles()
	if err != nil {
		return err
	}
	alike := singles[top.Size]
	if len(alike) == 0 {
		return nil
	}
	is, err := deploy.HashOf(ctx, l.host, f.Path, top.Size)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(alike, func(c model.Crate) bool { return c.Body.Kind == f.Kind && c.Body.Files[0].Digest == is })
	if i < 0 {
		return nil
	}
	c := alike[i].Body
	f.Name, f.Version, f.From = c.Name, c.Version, "its bytes, which are those of "+c.Label()
	f.crate.Name, f.crate.Version, f.crate.NameFrom, f.crate.VersionFrom = c.Name, c.Version, f.From, f.From
	return nil
}

// oneFile gives the staged crates of a game that are one file, by its length.
func (s *Service) oneFile(ctx context.Context, rulebook string, staged []model.CrateFacts) (map[int64][]model.Crate, error) {
	out, asked := map[int64][]model.Crate{}, map[string]bool{}
	for _, c := range staged {
		if c.Dropped || c.Made || asked[c.Key] {
			continue
		}
		asked[c.Key] = true
		all, err := s.Records.Crates(ctx, rulebook, c.Key, 0, 100)
		if err != nil {
			return nil, err
		}
		for _, x := range all {
			if files := x.Body.Files; len(files) == 1 && files[0].Into == "" && x.Body.Version != layout.Unmarked {
				out[files[0].Size] = append(out[files[0].Size], x)
			}
		}
	}
	return out, nil
}
