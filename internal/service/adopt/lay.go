package adopt

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"io"
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// mostInside is the longest packed file, in bytes, that is looked into for what it tells of itself.
const mostInside = 8 << 20

// lay lays what lies at a path out as if it had been downloaded so, and keeps of that what is really
// there: its files are where they are, whatever a rule would call them.
func (l *looking) lay(ctx context.Context, f *Found) error {
	top := l.all[f.Path]
	below := l.below(f.Path)
	a := layout.AsDownloaded(f.Path, below, func(p tree.Path, most int64) ([]byte, error) { return l.head(ctx, f, p, most) })
	if !top.Dir {
		inner := map[tree.Path][]byte{}
		a.Whole = tree.Entry{Size: top.Size, Exec: top.Exec}
		if err := l.inside(ctx, f, top, &a, inner); err != nil {
			return err
		}
		a.Read = func(e tree.Entry, most int64) ([]byte, error) {
			if raw, ok := inner[e.Path]; ok {
				return raw[:min(int64(len(raw)), most)], nil
			}
			return l.head(ctx, f, f.Path, most)
		}
	}
	res, err := layout.Lay(l.book, a, nil)
	if err != nil {
		return err
	}
	if top.Dir {
		f.Files, f.Bytes = len(below), 0
		for _, e := range below {
			f.Bytes += e.Size
		}
	} else {
		f.Files, f.Bytes = 1, top.Size
	}
	i := slices.IndexFunc(res.Crates, func(c *layout.Crate) bool { return c.Kind == f.Kind })
	if i < 0 {
		f.From = "its name alone"
		return nil
	}
	c := res.Crates[i]
	f.Name, f.Version, f.From = c.Name, c.Version, c.NameFrom
	if c.VersionFrom != "" && c.VersionFrom != c.NameFrom {
		f.From += ", its version from " + c.VersionFrom
	}
	l.asThere(f, c, below)
	return nil
}

// inside opens a packed file as an archive is opened, if it is a short zip.
func (l *looking) inside(ctx context.Context, f *Found, top tree.Entry, a *layout.Archive, inner map[tree.Path][]byte) error {
	if top.Size > mostInside || top.Size < 22 {
		return nil
	}
	begin, err := l.head(ctx, f, f.Path, 4)
	if err != nil || !strings.HasPrefix(string(begin), "PK\x03\x04") {
		return err
	}
	raw, err := l.head(ctx, f, f.Path, mostInside)
	if err != nil {
		return err
	}
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return nil //nolint:nilerr // it is no archive then, and goes as it is
	}
	for _, x := range z.File {
		path, err := tree.ParsePath(x.Name)
		if err != nil || x.FileInfo().IsDir() || x.UncompressedSize64 > mostInside {
			continue
		}
		a.Entries = append(a.Entries, tree.Entry{Path: path, Size: int64(x.UncompressedSize64)})
		r, err := x.Open()
		if err != nil {
			continue
		}
		text, err := io.ReadAll(io.LimitReader(r, 1<<20))
		if errors.Join(err, r.Close()) == nil {
			inner[path] = text
		}
	}
	return nil
}

// head reads the beginning of a file of an add-on; what may not be read says nothing.
func (l *looking) head(ctx context.Context, f *Found, p tree.Path, most int64) ([]byte, error) {
	if raw, ok := f.read[p]; ok {
		return raw[:min(int64(len(raw)), most)], nil
	}
	if l.asked != nil {
		l.asked(p)
	}
	return remote.ReadAllowed(ctx, l.host, p, l.all[p].Size, most)
}

// placeOf is the place in which a path lies, the innermost one.
func (l *looking) placeOf(p tree.Path) (name string, at tree.Path) {
	for _, x := range l.book.Places {
		folder, ok := l.places[x.Name]
		if !ok || folder != tree.Root && !p.Within(folder) {
			continue
		}
		if name == "" || folder.Depth() > at.Depth() {
			name, at = x.Name, folder
		}
	}
	return name, at
}

// compare finds the staged crate that what lies there looks like: of its version, or the one of
// which all is there at the same length.
func (l *looking) compare(f *Found, staged []model.Crate) {
	if f.crate == nil {
		return
	}
	best, least := -1, 0
	for i := range staged {
		c := &staged[i]
		missing, differs, same := l.against(f, c)
		sameVersion := c.Body.Version == f.Version
		// Lengths alone tell no version from another: only where nothing else does do they count.
		if same == 0 || !sameVersion && (f.Version != layout.Unmarked || len(missing)+len(differs) > 0) {
			continue
		}
		bad := 2 * (len(missing) + len(differs))
		if !sameVersion {
			bad++
		}
		if best < 0 || bad < least {
			best, least = i, bad
		}
	}
	if best < 0 {
		return
	}
	f.staged = &staged[best]
	f.Missing, f.Differs, _ = l.against(f, f.staged)
	f.Crate = f.staged.Body.Label() + "~" + f.staged.Digest.Short()
	if f.byLength = f.Version == layout.Unmarked; f.byLength {
		f.Version, f.From = f.staged.Body.Version, "the staged crate of which all is there, by names and lengths"
	}
}

// against compares what lies on the server with what a staged crate would put there.
func (l *looking) against(f *Found, c *model.Crate) (missing, differs []tree.Path, same int) {
	parts := map[string]bool{}
	for _, x := range f.crate.Files {
		parts[x.Optional] = true
	}
	for _, x := range c.Body.Files {
		at, ok := l.places[x.Place]
		if !ok || x.Into != "" || x.Optional != "" && !parts[x.Optional] {
			continue
		}
		target := at.Join(x.Path)
		switch e, there := l.all[target]; {
		case !there || e.Dir:
			missing = append(missing, target)
		case e.Size != x.Size:
			differs = append(differs, target)
		default:
			same++
		}
	}
	return missing, differs, same
}
