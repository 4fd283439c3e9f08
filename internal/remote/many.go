package remote

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/tree"
)

// statEach looks at every path by itself, many at a time.
func statEach(ctx context.Context, h Host, paths []tree.Path) ([]Info, error) {
	out := make([]Info, len(paths))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(h.InFlight())
	for i, p := range paths {
		g.Go(func() (err error) {
			out[i], err = h.Stat(ctx, p)
			return err
		})
	}
	return out, g.Wait()
}

// several is how many paths of one folder make a listing of it cheaper than a
// question for each: a listing is four calls for every hundred entries or so.
const several = 8

// statMixed lists the folders in which several paths are asked for, and looks at
// the other paths by themselves.
func statMixed(ctx context.Context, h Host, paths []tree.Path) ([]Info, error) {
	asked := map[tree.Path]int{}
	for _, p := range paths {
		asked[p.Dir()]++
	}
	var listed, single []int
	for i, p := range paths {
		if asked[p.Dir()] >= several {
			listed = append(listed, i)
		} else {
			single = append(single, i)
		}
	}
	out := make([]Info, len(paths))
	for _, part := range []struct {
		which []int
		look  func(context.Context, Host, []tree.Path) ([]Info, error)
	}{{listed, statByListing}, {single, statEach}} {
		some := make([]tree.Path, len(part.which))
		for n, i := range part.which {
			some[n] = paths[i]
		}
		infos, err := part.look(ctx, h, some)
		if err != nil {
			return nil, err
		}
		for n, i := range part.which {
			out[i] = infos[n]
		}
	}
	return out, nil
}

// statByListing looks at whole folders and gives what they say of the paths.
func statByListing(ctx context.Context, h Host, paths []tree.Path) ([]Info, error) {
	folders := map[tree.Path]map[string]Info{}
	for _, p := range paths {
		folders[p.Dir()] = nil
	}
	listed, err := ListAll(ctx, h, folders)
	if err != nil {
		return nil, err
	}
	out := make([]Info, len(paths))
	for i, p := range paths {
		info, ok := listed[p.Dir()][p.Base()]
		if !ok {
			info = Info{Name: p.Base(), Being: tree.Absent}
		}
		out[i] = info
	}
	return out, nil
}

// ListAll lists folders, many at a time, and gives their contents by name. One
// that is not there holds nothing.
func ListAll[V any](ctx context.Context, h Host, folders map[tree.Path]V) (map[tree.Path]map[string]Info, error) {
	listed, err := listFolders(ctx, h, folders)
	if err != nil {
		return nil, err
	}
	out := make(map[tree.Path]map[string]Info, len(listed))
	for folder, list := range listed {
		byName := make(map[string]Info, len(list))
		for _, i := range list {
			byName[i.Name] = i
		}
		out[folder] = byName
	}
	return out, nil
}

// listFolders lists folders, many at a time. One that is not there holds nothing.
func listFolders[V any](ctx context.Context, h Host, folders map[tree.Path]V) (map[tree.Path][]Info, error) {
	var mu sync.Mutex
	out := make(map[tree.Path][]Info, len(folders))
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(AtATime(h))
	for folder := range folders {
		g.Go(func() error {
			list, err := h.List(gctx, folder)
			if err != nil && !errors.Is(err, fs.ErrNotExist) {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			out[folder] = list
			return nil
		})
	}
	return out, g.Wait()
}

// AtATime is how many folders, or small files, are worth being asked for at a time. That is several calls, one
// after the other, and each waits for a round trip: over a distance many can be under way.
func AtATime(h Host) int {
	if l, ok := Unwrapped[interface{ Listings() int }](h); ok {
		return l.Listings()
	}
	return max(1, h.InFlight()/2)
}

// ReadAllowed is [ReadWhole] for a file that says nothing where it is gone or may not be read.
func ReadAllowed(ctx context.Context, h Host, p tree.Path, size, most int64) ([]byte, error) {
	raw, err := ReadWhole(ctx, h, p, size, most)
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrPermission) {
		return nil, nil
	}
	return raw, err
}

// ReadWhole reads a whole file that is as long as it is expected to be, in as few round trips as
// the host allows, and no more than most bytes of any other.
func ReadWhole(ctx context.Context, h Host, p tree.Path, size, most int64) ([]byte, error) {
	if fast, ok := Unwrapped[interface {
		ReadSmall(ctx context.Context, p tree.Path, size int64) (raw []byte, ok bool, err error)
	}](h); ok && size <= most {
		raw, ok, err := fast.ReadSmall(ctx, p, size)
		if ok || err != nil {
			return raw, err
		}
	}
	f, err := h.Open(ctx, p)
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(io.LimitReader(f, most))
	return raw, errors.Join(err, f.Close())
}
