package deploy

import (
	"context"
	"errors"
	"io/fs"
	"maps"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// RuledTexts lists the files on a server that its rulebook's settings name. Folders that are not
// there hold none; what may not be looked into is passed over.
func RuledTexts(ctx context.Context, h remote.Host, b *rulebook.Book) ([]tree.Path, error) {
	var out []tree.Path
	for _, w := range SettingsPlaces(b) {
		err := remote.Walk(ctx, h, []tree.Path{w.Folder}, remote.Bounds{Deep: 64}, func(p tree.Path, i remote.Info) (bool, error) {
			if _, ruled := b.TextRule(p); ruled && i.Being == tree.Content && !p.Within(draft.Work) && i.Size <= LongestText {
				out = append(out, p)
			}
			return w.Deep && !p.Within(draft.Work), nil
		})
		if err != nil && !errors.Is(err, fs.ErrNotExist) && !errors.Is(err, fs.ErrPermission) {
			return nil, err
		}
	}
	slices.Sort(out)
	return slices.Compact(out), nil
}

// TextPlace is a folder in which texts may lie, and whether also below it.
type TextPlace struct {
	Folder tree.Path
	Deep   bool
}

// SettingsPlaces gives the folders in which the rulebook's settings may lie.
func SettingsPlaces(b *rulebook.Book) (out []TextPlace) {
	seen := map[tree.Path]bool{} // deep or not
	for _, t := range b.Texts {
		for _, glob := range t.Files {
			base, rest := doublestar.SplitPattern(glob)
			folder := tree.Root
			if base != "." {
				folder = tree.Path(base)
			}
			seen[folder] = seen[folder] || strings.Contains(rest, "/") || strings.Contains(rest, "**")
		}
	}
	for _, f := range slices.Sorted(maps.Keys(seen)) {
		out = append(out, TextPlace{f, seen[f]})
	}
	return out
}
