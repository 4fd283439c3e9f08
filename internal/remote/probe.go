package remote

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"strings"
	"time"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/tree"
)

// Found is what a probe learnt of a host. Times are milliseconds.
type Found struct {
	ability.Set
	Entries int // at the root
}

// Names that a probe uses, in a folder of its own: two services may try a host at
// once.
const (
	probeFolder = "probe"
	probeFile   = "probe-a"
)

// OfProbe tells whether a folder in the work folder is one of [Probe], which may just be at work.
func OfProbe(name string) bool { return strings.HasPrefix(name, probeFolder+"-") }

// clearing is how long taking a probe's files away may take.
const clearing = 20 * time.Second

// Probe tries out, in the work folder and at the root, what the host can do,
// and takes everything it made away again.
func Probe(ctx context.Context, h Host, work tree.Path, now func() time.Time) (f Found, err error) {
	list, err := h.List(ctx, tree.Root)
	if err != nil {
		return f, fmt.Errorf("list the root: %w", err)
	}
	f.Entries = len(list)
	odd := false // a file whose time is an odd second: so two seconds are told apart
	for _, i := range list {
		odd = odd || i.Being == tree.Content && i.Modified%2000 >= 1000
	}
	if f.Free, err = h.Free(ctx); err != nil {
		f.Free = -1
	}
	p := prober{h: h, name: tree.Path(probeFolder + "-" + strings.ToLower(rand.Text()[:8])), now: now}
	p.dir = work.Join(p.name)
	clear := func() error {
		brief, stop := context.WithTimeout(context.WithoutCancel(ctx), clearing) // who gave up leaves nothing either
		defer stop()
		if err := p.clear(brief, work); err != nil {
			return fmt.Errorf("take the probe's files away: %w", err)
		}
		return nil
	}
	if err := p.begin(ctx, work); err != nil {
		if errors.Is(err, ErrLine) {
			return f, err
		}
		if ctx.Err() != nil {
			return f, errors.Join(err, clear())
		}
		// Many hosts let nobody make anything at the root, but in the folders
		// that stand there.
		inner, ok := p.elsewhere(ctx, list, work)
		if !ok {
			return f, fmt.Errorf("make the work folder %s: %w", work, err)
		}
		f.NoWork, work = true, inner
	}
	defer func() {
		f.RenameFromWork, f.RenameFolders, f.Copies = f.RenameFromWork && !f.NoWork, f.RenameFolders && !f.NoWork, f.Copies && !f.NoWork
		err = errors.Join(err, clear())
	}()
	if err := p.try(ctx, work, &f); err != nil {
		return f, err
	}
	if odd && f.Resolution == 2000 {
		f.Resolution = 1000
	}
	return f, nil
}

type prober struct {
	h       Host
	name    tree.Path // that no other probe has
	dir     tree.Path
	now     func() time.Time
	made    []tree.Path // files
	folders []tree.Path
}

func (p *prober) begin(ctx context.Context, work tree.Path) error {
	var err error
	for range 5 { // who ends just then takes the empty work folder away
		for _, dir := range []tree.Path{work, p.dir} {
			if err = p.h.MakeFolder(ctx, dir, 0o700); errors.Is(err, fs.ErrExist) {
				err = nil
			}
			if err != nil {
				break
			}
		}
		if !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return err
}

// elsewhere finds a folder at the root in which the probe may be made.
func (p *prober) elsewhere(ctx context.Context, list []Info, work tree.Path) (inner tree.Path, ok bool) {
	for _, i := range list {
		if i.Being != tree.Folder {
			continue
		}
		inner = tree.Path(i.Name).Join(work)
		p.dir = inner.Join(p.name)
		if p.begin(ctx, inner) == nil {
			return inner, true
		}
	}
	return tree.Root, false
}

func (p *prober) write(ctx context.Context, at tree.Path, mode uint32) (Info, error) {
	p.made = append(p.made, at) // it may come to be though nobody waits for it any more
	w, err := p.h.Create(ctx, at, mode)
	if err != nil {
		return Info{}, err
	}
	if _, err := w.Write([]byte("Restless Crate was here to see what this host can do.\n")); err != nil {
		return Info{}, errors.Join(err, w.Close())
	}
	if err := w.Close(); err != nil {
		return Info{}, err
	}
	return p.h.Stat(ctx, at)
}

func (p *prober) try(ctx context.Context, work tree.Path, f *Found) error {
	a := p.dir.Join(probeFile)
	i, err := p.write(ctx, a, 0o640)
	if err != nil {
		return fmt.Errorf("write a file: %w", err)
	}
	f.Modes = i.Mode == 0o640
	f.Skew = i.Modified - p.now().UnixMilli()
	// Whole seconds three times over are no accident, nor are whole minutes;
	// a host that counts seconds may even count them in steps of two.
	f.Resolution = 60_000
	for range 2 {
		switch {
		case i.Modified%1000 != 0:
			f.Resolution = 20 // finer than a kernel's tick is not to be had
		case i.Modified%60_000 != 0 && f.Resolution > 2000:
			f.Resolution = 2000
		}
		if i, err = p.write(ctx, a, 0o640); err != nil {
			return fmt.Errorf("write a file again: %w", err)
		}
		f.Skew = max(f.Skew, i.Modified-p.now().UnixMilli())
	}
	other, err := p.h.Stat(ctx, p.dir.Join(tree.Path(strings.ToUpper(probeFile))))
	if err != nil {
		return fmt.Errorf("look for another spelling: %w", err)
	}
	f.CaseBlind = other.Being != tree.Absent
	if err := p.over(ctx, a, f); err != nil {
		return err
	}
	if err := p.clean(ctx, f); err != nil {
		return err
	}
	if by, ok := Unwrapped[interface {
		ProveAhead(ctx context.Context, folder tree.Path) (bool, []tree.Path)
	}](p.h); ok {
		var left []tree.Path
		f.Ahead, left = by.ProveAhead(ctx, p.dir)
		p.made = append(p.made, left...)
	}
	out := tree.Path(string(work) + "-" + string(p.name))
	p.made = append(p.made, out)
	begun := p.now()
	err = p.h.Rename(ctx, a, out)
	f.RenameMS = p.now().Sub(begun).Milliseconds()
	if err == nil {
		f.RenameFromWork = true
	} else if errors.Is(err, ErrLine) {
		return err
	}
	return p.folder(ctx, work, f)
}

// folder tries to rename a folder with a file in it into the tree.
func (p *prober) folder(ctx context.Context, work tree.Path, f *Found) error {
	from, to := p.dir.Join("probe-f"), tree.Path(string(work)+"-"+string(p.name)+"-f")
	p.folders, p.made = append(p.folders, from, to), append(p.made, to.Join("x"))
	if err := p.h.MakeFolder(ctx, from, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("make a folder: %w", err)
	}
	if _, err := p.write(ctx, from.Join("x"), 0o640); err != nil {
		return fmt.Errorf("write a file into a folder: %w", err)
	}
	if err := p.copies(ctx, from, f); err != nil {
		return err
	}
	err := p.h.Rename(ctx, from, to)
	f.RenameFolders = err == nil
	if errors.Is(err, ErrLine) {
		return err
	}
	return nil
}

// copies tries to have the host copy the folder from itself, and looks whether what
// its shell sees is what we see.
func (p *prober) copies(ctx context.Context, from tree.Path, f *Found) error {
	c, ok := Unwrapped[Copier](p.h)
	if !ok {
		return nil
	}
	to := p.dir.Join("probe-c")
	err := c.CopyFolder(ctx, from, to)
	if errors.Is(err, ErrLine) || ctx.Err() != nil {
		return err
	}
	if err != nil {
		return nil // it gives no shell, or one without the commands
	}
	p.folders, p.made = append(p.folders, to), append(p.made, to.Join("x"))
	there, err := p.h.StatAll(ctx, []tree.Path{from.Join("x"), to.Join("x")})
	if err != nil {
		return err
	}
	if there[1].Being != tree.Content || there[0].Size != there[1].Size {
		return nil
	}
	if err := c.RemoveTree(ctx, to); err != nil {
		if errors.Is(err, ErrLine) {
			return err
		}
		return nil
	}
	f.Copies = true
	return nil
}

// everyByte is a text that a channel changes which is not fit for bytes: every byte by
// itself and behind every other, with all line ends, and the marks that some take for
// an end or an order (RFC 959, 3.1.1; RFC 854).
func everyByte() []byte {
	var out []byte
	for a := range 256 {
		for b := range 256 {
			out = append(out, byte(a), byte(b))
		}
	}
	return append(out, "\r\n\n\r\r\r\n\x00\x1a\xff\xf4\xff\xfd\x06tail\r"...)
}

// clean tries whether bytes come back as they were sent: once, instead of reading back
// every file that is sent later.
func (p *prober) clean(ctx context.Context, f *Found) error {
	at, want := p.dir.Join("probe-e"), everyByte()
	p.made = append(p.made, at)
	w, err := p.h.Create(ctx, at, 0o640)
	if err != nil {
		return fmt.Errorf("write a file of every byte: %w", err)
	}
	_, err = w.Write(want)
	if err = errors.Join(err, w.Close()); err != nil {
		return fmt.Errorf("write a file of every byte: %w", err)
	}
	r, err := p.h.Open(ctx, at)
	if err != nil {
		return fmt.Errorf("read a file of every byte: %w", err)
	}
	got, err := io.ReadAll(io.LimitReader(r, int64(2*len(want))))
	if err = errors.Join(err, r.Close()); err != nil {
		return fmt.Errorf("read a file of every byte: %w", err)
	}
	i, err := p.h.Stat(ctx, at)
	if err != nil {
		return fmt.Errorf("look at a file of every byte: %w", err)
	}
	// A channel that changes line ends both ways gives them back as they were; its
	// size on the host tells.
	f.Clean = bytes.Equal(got, want) && i.Size == int64(len(want))
	return nil
}

// over tries to rename one file over another.
func (p *prober) over(ctx context.Context, a tree.Path, f *Found) error {
	b := p.dir.Join("probe-b")
	if _, err := p.write(ctx, b, 0o640); err != nil {
		return fmt.Errorf("write a second file: %w", err)
	}
	if err := p.h.Replace(ctx, b, a); err == nil {
		f.RenameOver = true
	} else if errors.Is(err, ErrLine) {
		return err
	}
	return nil
}

// clear removes everything; what never came to be is no error.
func (p *prober) clear(ctx context.Context, work tree.Path) error {
	var errs []error
	for _, at := range p.made {
		if err := p.h.RemoveFile(ctx, at); err != nil && !errors.Is(err, fs.ErrNotExist) {
			errs = append(errs, err)
		}
	}
	for _, at := range append(p.folders, p.dir) {
		if err := sweep(ctx, p.h, at); err != nil {
			errs = append(errs, err)
		}
	}
	if err := p.h.RemoveFolder(ctx, work); err != nil && !errors.Is(err, ErrNotEmpty) && !errors.Is(err, fs.ErrNotExist) {
		errs = append(errs, err)
	}
	return errors.Join(errs...)
}

// sweep removes a folder of the probe's own with whatever is in it. What the host was told
// before, and has not done yet, may still come to be in it: it is tried again for a while.
func sweep(ctx context.Context, h Host, folder tree.Path) error {
	for wait := 20 * time.Millisecond; ; wait *= 2 {
		err := removeAll(ctx, h, folder)
		if err == nil || errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		if !errors.Is(err, ErrNotEmpty) || wait > 5*time.Second {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(wait):
		}
	}
}

func removeAll(ctx context.Context, h Host, folder tree.Path) error {
	err := h.RemoveFolder(ctx, folder)
	if !errors.Is(err, ErrNotEmpty) {
		return err
	}
	list, err := h.List(ctx, folder)
	if err != nil {
		return err
	}
	for _, i := range list {
		at := folder.Join(tree.Path(i.Name))
		remove := h.RemoveFile
		if i.Being == tree.Folder {
			remove = func(ctx context.Context, p tree.Path) error { return removeAll(ctx, h, p) }
		}
		if err := remove(ctx, at); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return h.RemoveFolder(ctx, folder)
}
