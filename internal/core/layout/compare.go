package layout

import (
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Difference is how one file of a crate differs from the other crate's.
type Difference struct {
	Kind  DifferenceKind
	Place string
	Path  tree.Path
	From  tree.Path // with Moved: where the same bytes were, in FromPlace
	// FromPlace is the place of From.
	FromPlace string
	Size      int64 // of the new file, or of the removed one
}

// DifferenceKind is what happened to a file between two versions.
type DifferenceKind string

// The kinds, in the order in which they are told.
const (
	Added   DifferenceKind = "added"
	Removed DifferenceKind = "removed"
	Moved   DifferenceKind = "moved"
	Changed DifferenceKind = "changed"
)

// Compare tells what becomes of the files of old when now takes its place. A
// file with the same bytes that is gone in one spot and new in another has
// moved. Files that are the same are not told.
func Compare(old, now *Crate) []Difference {
	type spot struct {
		place string
		path  tree.Path
	}
	before := map[spot]File{}
	for _, f := range old.Files {
		before[spot{f.Place, f.Target()}] = f
	}
	var out []Difference
	var fresh []File
	for _, f := range now.Files {
		at := spot{f.Place, f.Target()}
		was, there := before[at]
		delete(before, at)
		switch {
		case !there:
			fresh = append(fresh, f)
		case was.Digest != f.Digest || was.Exec != f.Exec:
			out = append(out, Difference{Kind: Changed, Place: f.Place, Path: f.Target(), Size: f.Size})
		}
	}
	gone := map[tree.Digest][]File{}
	for _, f := range old.Files { // in their order, so that the result does not depend on a map's
		if _, left := before[spot{f.Place, f.Target()}]; left {
			gone[f.Digest] = append(gone[f.Digest], f)
		}
	}
	for _, f := range fresh {
		if from := gone[f.Digest]; len(from) > 0 && f.Size > 0 {
			gone[f.Digest] = from[1:]
			out = append(out, Difference{Kind: Moved, Place: f.Place, Path: f.Target(), From: from[0].Target(), FromPlace: from[0].Place, Size: f.Size})
			continue
		}
		out = append(out, Difference{Kind: Added, Place: f.Place, Path: f.Target(), Size: f.Size})
	}
	for _, rest := range gone {
		for _, f := range rest {
			out = append(out, Difference{Kind: Removed, Place: f.Place, Path: f.Target(), Size: f.Size})
		}
	}
	order := []DifferenceKind{Added, Removed, Moved, Changed}
	slices.SortFunc(out, func(a, b Difference) int {
		if c := slices.Index(order, a.Kind) - slices.Index(order, b.Kind); c != 0 {
			return c
		}
		return strings.Compare(a.Place+"/"+string(a.Path), b.Place+"/"+string(b.Path))
	})
	return out
}
