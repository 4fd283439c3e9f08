package remote

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Bounds are how far a walk goes. A tree that goes deeper or holds more than one may is a
// loop of links that a host follows, or made up.
type Bounds struct {
	Deep   int // folders below the one that the walk begins at; 0: any
	Things int // in all; 0: any
	// Whole says that the walk goes nearly everywhere below the folders: a host that can is
	// asked for all of it at once (see [Whole]).
	Whole bool
	// Seen, where it is set, is told how many things a host that is asked for all of it has
	// listed so far: of every one, while the listing goes on.
	Seen func(things int)
}

// TooDeepError is returned for a tree that goes deeper than a walk may.
type TooDeepError struct {
	At   tree.Path
	Deep int
}

func (e *TooDeepError) Error() string {
	return fmt.Sprintf("%s goes more than %d folders deep, such as a loop of links does", e.At, e.Deep)
}

// TooManyError is returned for a tree that holds more than a walk may look at.
type TooManyError struct {
	At     []tree.Path
	Things int
}

func (e *TooManyError) Error() string {
	return fmt.Sprintf("%v hold more than %d things", e.At, e.Things)
}

// Walk looks at everything below folders: level by level, the folders of a level many at a
// time, and what they hold by path. A folder that is not there holds nothing. visit tells
// of a folder whether the walk goes into it; its error ends the walk, [fs.SkipAll] without
// one. Links are not followed.
func Walk(ctx context.Context, h Host, folders []tree.Path, bounds Bounds, visit func(p tree.Path, i Info) (into bool, err error)) error {
	type under struct{ folder, top tree.Path }
	level := make([]under, len(folders))
	for i, f := range folders {
		level[i] = under{f, f}
	}
	list := func(ctx context.Context, folders map[tree.Path]bool) (map[tree.Path][]Info, error) {
		return listFolders(ctx, h, folders)
	}
	if bounds.Whole {
		all, err := listWhole(ctx, h, folders, bounds)
		if err != nil {
			return err
		}
		if all != nil {
			list = func(context.Context, map[tree.Path]bool) (map[tree.Path][]Info, error) { return all, nil }
		}
	}
	things := 0
	for len(level) > 0 {
		listing := make(map[tree.Path]bool, len(level))
		for _, u := range level {
			if bounds.Deep > 0 && u.folder.Depth()-u.top.Depth() > bounds.Deep {
				return &TooDeepError{u.top, bounds.Deep}
			}
			listing[u.folder] = true
		}
		listed, err := list(ctx, listing)
		if err != nil {
			return err
		}
		var next []under
		for _, u := range level {
			infos := listed[u.folder]
			slices.SortFunc(infos, func(a, b Info) int { return strings.Compare(a.Name, b.Name) })
			for _, i := range infos {
				if things++; bounds.Things > 0 && things > bounds.Things {
					return &TooManyError{folders, bounds.Things}
				}
				p := u.folder.Join(tree.Path(i.Name))
				into, err := visit(p, i)
				switch {
				case errors.Is(err, fs.SkipAll):
					return nil
				case err != nil:
					return err
				case into && i.Being == tree.Folder:
					next = append(next, under{p, u.top})
				}
			}
		}
		level = next
	}
	return nil
}

// listWhole lists everything below folders at once; nil where the host cannot.
func listWhole(ctx context.Context, h Host, folders []tree.Path, bounds Bounds) (map[tree.Path][]Info, error) {
	host, can := Unwrapped[Whole](h)
	if !can || len(folders) != 1 {
		return nil, nil
	}
	all, ok, err := host.ListBelow(ctx, folders[0], bounds)
	if err != nil || !ok {
		return nil, err
	}
	return all, nil
}
