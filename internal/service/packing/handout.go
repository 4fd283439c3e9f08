package packing

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	core "restlesscrate/internal/core/packing"
	"restlesscrate/internal/core/tree"
)

// Shared tells whether anything of a list may be handed out.
func (l List) Shared() bool {
	return slices.ContainsFunc(l.Entries, func(e core.Entry) bool {
		return e.Share && len(e.Files) > 0 && (e.Need == core.Must || e.Need == core.May)
	})
}

// stamp is the time of every file in a bundle: the same files give the same bytes.
var stamp = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// Bundle writes what players need, as far as licences allow that it is handed out, as a zip that is
// unpacked in a player's own folder.
func (s *Service) Bundle(ctx context.Context, l List, to io.Writer) error {
	z := zip.NewWriter(to)
	done := map[string]bool{}
	for _, e := range l.Entries {
		if !e.Share || e.Need != core.Must && e.Need != core.May {
			continue
		}
		for _, f := range e.Files {
			if done[tree.Fold(f.Path)] {
				continue
			}
			done[tree.Fold(f.Path)] = true
			if err := s.pack(ctx, z, f); err != nil {
				return fmt.Errorf("%s of %s: %w", f.Path, e.Name, err)
			}
		}
	}
	return z.Close()
}

func (s *Service) pack(ctx context.Context, z *zip.Writer, f core.File) (err error) {
	r, err := s.Open(ctx, f.Digest)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, r.Close()) }()
	w, err := z.CreateHeader(&zip.FileHeader{Name: f.Path, Method: zip.Deflate, Modified: stamp})
	if err != nil {
		return err
	}
	_, err = io.Copy(w, r)
	return err
}
