// Package observe looks at a host for what the core has to know of a server. It changes nothing
// there.
package observe

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/facts"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// How much is read for facts, in bytes, and how many names are looked at.
const (
	factText  = 1 << 20
	factLog   = 4 << 20
	shortLog  = 256 << 10 // is read again at every look
	factNames = 5_000
)

// Tell reads the facts that a server's tree and log tell, and takes them in; the caller keeps
// them. A long log is read only for what is not known yet, or with thorough: what it says at a
// start is heard by the roll call.
func Tell(ctx context.Context, h remote.Host, b *rulebook.Book, srv *model.Server, now time.Time, thorough bool) error {
	if len(b.Facts) == 0 {
		return nil
	}
	known := srv.Known()
	for _, f := range b.Facts {
		thorough = thorough || known[f.Name] == "" && slices.ContainsFunc(f.Read, func(r rulebook.FactReading) bool { return r.Log })
	}
	longest := int64(shortLog)
	if thorough {
		longest = math.MaxInt64
	}
	seen, err := look(ctx, h, b, srv.Variables, longest)
	if err != nil {
		return fmt.Errorf("read the facts of %s: %w", srv.Name, err)
	}
	TakeIn(srv, b, seen, now)
	return nil
}

// TakeIn takes in what a look at a server tells of its facts.
func TakeIn(srv *model.Server, b *rulebook.Book, seen facts.Seen, now time.Time) {
	found, looked := facts.Read(b, srv.Variables, seen)
	told := make([]model.Fact, len(found))
	for i, f := range found {
		told[i] = model.Fact{Name: f.Name, Value: f.Value, From: f.From, At: now}
	}
	srv.Tells(told, looked)
}

// look looks at what a rulebook's facts are told by: texts, the names of files, and the end of
// the server's log where that is no longer than longest. What is not there, or may not be read,
// tells nothing.
func look(ctx context.Context, h remote.Host, b *rulebook.Book, vars map[string]string, longest int64) (facts.Seen, error) {
	want := facts.Wanted(b, vars)
	seen := facts.Seen{Texts: map[tree.Path][]byte{}, Names: []tree.Path{}}
	var mu sync.Mutex
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(min(8, max(1, h.InFlight())))
	for _, p := range want.Files {
		g.Go(func() error {
			raw, err := readFrom(gctx, h, p, 0, factText)
			if raw == nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			seen.Texts[p] = raw
			return nil
		})
	}
	if len(want.Folders) > 0 {
		deep := facts.Deep(b)
		g.Go(func() error {
			n := 0
			return remote.Walk(gctx, h, want.Folders, remote.Bounds{}, func(p tree.Path, i remote.Info) (bool, error) {
				if n++; n > factNames {
					return false, fs.SkipAll
				}
				if i.Being == tree.Content {
					seen.Names = append(seen.Names, p)
				}
				for _, f := range want.Folders {
					if p.Within(f) && p.Depth()-f.Depth() <= deep {
						return true, nil
					}
				}
				return false, nil
			})
		})
	}
	if file, ok := logFile(b, vars); ok && want.Log {
		g.Go(func() error {
			i, err := h.Stat(gctx, file)
			if err != nil || i.Being != tree.Content || i.Size > longest {
				return ignored(err)
			}
			raw, err := readFrom(gctx, h, file, max(0, i.Size-factLog), factLog)
			if raw == nil {
				return err
			}
			text := rollcall.Decode(raw)
			seen.Log = &text
			return nil
		})
	}
	err := g.Wait()
	return seen, err
}

func logFile(b *rulebook.Book, vars map[string]string) (tree.Path, bool) {
	filled, err := rulebook.Fill(b.Log.File, func(name string) (string, bool) { v, ok := vars[name]; return v, ok })
	if err != nil {
		return tree.Root, false
	}
	p, err := tree.ParsePath(filled)
	return p, err == nil
}

// ignored drops the errors that only say that something is not to be seen.
func ignored(err error) error {
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrPermission) {
		return nil
	}
	return err
}

// readFrom reads a file from an offset on, at most so many bytes; nil where it is not to be seen.
func readFrom(ctx context.Context, h remote.Host, p tree.Path, from, most int64) ([]byte, error) {
	f, err := h.OpenFrom(ctx, p, from)
	if err != nil {
		return nil, ignored(err)
	}
	raw, err := io.ReadAll(io.LimitReader(f, most))
	if err = errors.Join(err, f.Close()); err != nil {
		return nil, err
	}
	return raw, nil
}
