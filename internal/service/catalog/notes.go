package catalog

import (
	"context"
	"slices"
	"strings"

	"restlesscrate/internal/core/notes"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// Entries lists what an archive holds.
func (s *Service) Entries(ctx context.Context, a model.Archive) ([]tree.Entry, error) {
	return s.Records.Entries(ctx, a.ID)
}

// maxReadme is how much of a text is shown, in bytes.
const maxReadme = 256 << 10

// Readme is the author's notes of a crate.
type Readme struct{ Path, Text string }

// Readme gives the author's notes that came with a crate, the outermost first.
func (s *Service) Readme(ctx context.Context, c model.Crate) ([]Readme, error) {
	var out []Readme
	for _, a := range c.Archives {
		entries, err := s.Records.Entries(ctx, a.ID)
		if err != nil {
			return nil, err
		}
		read := reader(ctx, s.Room)
		shallow := slices.Clone(entries)
		slices.SortStableFunc(shallow, func(a, b tree.Entry) int { return a.Path.Depth() - b.Path.Depth() })
		for _, e := range shallow {
			named := notes.KindOf(e.Path.Base()) != ""
			if e.Dir || !named && (!notes.MayBeText(e.Path.Base()) || e.Size > maxReadme) {
				continue
			}
			text, err := read(e, maxReadme)
			if err != nil {
				return nil, err
			}
			if !named && !notes.Speaks(string(text)) {
				continue
			}
			out = append(out, Readme{Path: string(e.Path), Text: strings.ToValidUTF8(string(text), "�")})
		}
	}
	return out, nil
}
