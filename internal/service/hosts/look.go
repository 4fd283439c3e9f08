package hosts

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"sync"
	"unicode/utf8"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// How far [Service.Look] goes: enough to see how a tree is made.
const (
	lookDepth   = 4
	lookEntries = 50_000
)

// How much of a server's texts [Service.Texts] reads.
const (
	textDepth   = 3
	textMost    = 60
	textLongest = 64 << 10 // bytes
)

// Texts reads small texts near the root of a server's tree that may say something about how
// its add-ons are loaded. What looks like a secret is not read; of a log only the beginning is.
func (s *Service) Texts(ctx context.Context, name string, entries []tree.Entry) (map[tree.Path]string, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return nil, err
	}
	h, err := s.Connect(ctx, srv)
	if err != nil {
		return nil, err
	}
	defer h.Close()
	out := map[tree.Path]string{}
	var mu sync.Mutex
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(min(16, max(1, h.InFlight()))) // over a distance one after the other would take long
	n := 0
	for _, e := range entries {
		if e.Dir || e.Size == 0 || e.Size > textLongest && !propose.IsLog(e.Path) || e.Path.Depth() > textDepth || propose.Secret(e.Path) {
			continue
		}
		if n++; n > textMost {
			break
		}
		g.Go(func() error {
			text, err := smallText(gctx, h, e.Path)
			mu.Lock()
			defer mu.Unlock()
			if err == nil && text != "" {
				out[e.Path] = text
			}
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, fmt.Errorf("read texts of %s: %w", name, err)
	}
	return out, nil
}

// smallText reads a file if it is a text; empty where it is none, or has gone meanwhile, or
// may not be read.
func smallText(ctx context.Context, h remote.Host, p tree.Path) (string, error) {
	f, err := h.Open(ctx, p)
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrPermission) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	raw, err := io.ReadAll(io.LimitReader(f, textLongest))
	if i := bytes.LastIndexByte(raw, '\n'); len(raw) == textLongest && i >= 0 {
		raw = raw[:i+1] // the last line may be cut
	}
	if err = errors.Join(err, f.Close()); err != nil || !utf8.Valid(raw) || bytes.ContainsRune(raw, 0) {
		return "", err
	}
	return string(raw), nil
}

// Look lists what is near the root of a server's tree, level by level. It
// changes nothing.
func (s *Service) Look(ctx context.Context, name string) ([]tree.Entry, error) {
	srv, err := s.Find(ctx, name)
	if err != nil {
		return nil, err
	}
	h, err := s.Connect(ctx, srv)
	if err != nil {
		return nil, err
	}
	defer h.Close()
	var out []tree.Entry
	err = remote.Walk(ctx, h, []tree.Path{tree.Root}, remote.Bounds{}, func(p tree.Path, i remote.Info) (bool, error) {
		if _, err := tree.ParsePath(i.Name); err != nil || i.Being != tree.Folder && i.Being != tree.Content {
			return false, nil // a link or a name that is no path says nothing about the game
		}
		if p == draft.Work { // ours
			return false, nil
		}
		if len(out) >= lookEntries {
			return false, fs.SkipAll
		}
		out = append(out, tree.Entry{Path: p, Dir: i.Being == tree.Folder, Size: i.Size})
		return p.Depth() < lookDepth, nil
	})
	if err != nil {
		return nil, fmt.Errorf("look at %s: %w", name, err)
	}
	return out, nil
}
