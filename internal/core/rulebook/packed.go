package rulebook

import (
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/tree"
)

// Inside parts a path or a glob at the mark of what is inside a packed file; ok is false
// where it is not inside one.
func Inside(p string) (packed, inner string, ok bool) {
	return strings.Cut(p, "!/")
}

// LooksInto gives what is to be read inside a packed file, as globs over the paths in it: of
// a single file that is an add-on, whatever its kind reads; of any other file, what a reading
// names behind "!/". known is false where no kind asks for what is in it.
func (b *Book) LooksInto(file tree.Path) (globs []string, known bool) {
	for i := range b.Kinds {
		k := &b.Kinds[i]
		single := slices.ContainsFunc(k.Single, func(g string) bool { return doublestar.MatchUnvalidated(g, file.Base()) })
		known = known || single && len(k.Holds) > 0
		for _, rd := range k.readings() {
			outer, inner, inside := Inside(rd.File)
			switch {
			case single && !inside:
				globs, known = append(globs, rd.File), true
			case inside && doublestar.MatchUnvalidated(path.Base(outer), file.Base()):
				globs, known = append(globs, inner), true
			}
		}
	}
	return globs, known
}

// ReadsInside tells whether a reading names what is inside a packed file.
func (b *Book) ReadsInside() bool {
	return slices.ContainsFunc(b.Kinds, func(k Kind) bool {
		return slices.ContainsFunc(k.readings(), func(rd Reading) bool {
			_, _, inside := Inside(rd.File)
			return inside
		})
	})
}

// readings are all readings of a kind.
func (k *Kind) readings() []Reading {
	out := slices.Concat(k.ID, k.NameIn, k.VerIn, k.Called)
	for _, t := range k.Tells {
		out = append(out, t.Read...)
	}
	for _, rds := range k.Facts {
		out = append(out, rds...)
	}
	if k.Overlays != nil {
		out = append(out, k.Overlays.Base...)
	}
	return out
}
