package remote

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"time"

	"restlesscrate/internal/core/tree"
)

// Below is what a host lists of a whole tree at once, by folder.
type Below map[tree.Path][]Info

// Whole is a host that may list a whole tree at once.
type Whole interface {
	// ListBelow lists a folder and everything below it. ok is false where the host cannot, or
	// where it is not certain that it would show the same as [Host.List]: then nothing is known,
	// and each folder is listed by itself. More things than there may be end it with a [TooManyError].
	ListBelow(ctx context.Context, folder tree.Path, bounds Bounds) (below Below, ok bool, err error)
}

var _ Whole = (*SFTP)(nil)

// belowBegins is written by the host's shell before its listing: what stands before it, such as a
// greeting, is no part of that.
const belowBegins = "restless-crate-tree"

// belowPatience is how long a host's shell may say nothing before it is taken for none.
const belowPatience = 15 * time.Second

// ListBelow implements [Whole] by `find` in the host's shell (GNU findutils), which crosses the
// line once. A shell may see another tree than SFTP does, behind a changed root or in another
// container. So some folders are listed both ways; where they differ, find is not believed.
func (s *SFTP) ListBelow(ctx context.Context, folder tree.Path, bounds Bounds) (Below, bool, error) {
	if s.noShell.Load() {
		return nil, false, nil
	}
	found, err := s.find(ctx, folder, bounds)
	var tooMany *TooManyError
	switch {
	case ctx.Err() != nil:
		return nil, false, ctx.Err()
	case errors.As(err, &tooMany):
		return nil, false, err
	case errors.Is(err, ErrNoShell):
		s.noShell.Store(true)
		return nil, false, nil
	case err != nil:
		return nil, false, nil //nolint:nilerr // listing each folder says what is wrong, if anything is
	}
	same := found.proved()
	s.sameTree.Store(same)
	return found.below, same, nil
}

// finding is a listing by find, and what SFTP says of some of its folders.
type finding struct {
	below Below

	mu    sync.Mutex
	wg    sync.WaitGroup
	twice map[tree.Path][]Info
	err   error
}

// compare lists a folder by SFTP too, while find goes on.
func (f *finding) compare(ctx context.Context, s *SFTP, folder tree.Path) {
	f.wg.Go(func() {
		list, err := s.List(ctx, folder)
		f.mu.Lock()
		defer f.mu.Unlock()
		f.twice[folder] = list
		f.err = errors.Join(f.err, err)
	})
}

// proved tells whether both ways show one tree. A running server writes while they look: names
// have to be the same, and of sizes and times nearly all.
func (f *finding) proved() bool {
	if f.err != nil {
		return false
	}
	same, other := 0, 0
	for folder, list := range f.twice {
		found := f.below[folder]
		if len(found) != len(list) {
			return false
		}
		byName := make(map[string]Info, len(found))
		for _, i := range found {
			byName[i.Name] = i
		}
		for _, i := range list {
			b, ok := byName[i.Name]
			switch {
			case !ok || b.Being != i.Being:
				return false
			case i.Being == tree.Foreign || b == i:
				same++
			default:
				other++
			}
		}
	}
	return other <= 2+same/8
}

// find runs find in a folder.
func (s *SFTP) find(ctx context.Context, folder tree.Path, bounds Bounds) (*finding, error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	l, err := s.borrow(ctx)
	if err != nil {
		return nil, err
	}
	defer func() { l.Return(l.Conn.over.Load()) }() // a session that breaks off is no end of the connection
	session, err := l.Conn.ssh.NewSession()
	if err != nil {
		return nil, fmt.Errorf("%w: %v", ErrNoShell, err)
	}
	defer session.Close()
	out, err := heardFrom(ctx, session)
	if err != nil {
		return nil, err
	}
	mute := time.AfterFunc(belowPatience, out.silence)
	defer mute.Stop()
	err = session.Start(fmt.Sprintf(`printf '%s\0' && cd %s && exec env LC_ALL=C find . -mindepth 1 -printf '%%y %%m %%s %%T@ %%P\0'`, belowBegins, s.word(folder)))
	if err != nil {
		return nil, fmt.Errorf("%w: %v", ErrNoShell, err)
	}
	s.listing.Add(1)
	defer s.listing.Add(-1)
	f := &finding{below: Below{}, twice: map[tree.Path][]Info{}}
	defer f.wg.Wait()
	lines := bufio.NewScanner(out)
	lines.Buffer(make([]byte, 0, 256<<10), 256<<10)
	lines.Split(toNull)
	if !lines.Scan() || !strings.HasSuffix(lines.Text(), belowBegins) {
		return nil, fmt.Errorf("%w: it ran nothing", ErrNoShell)
	}
	mute.Stop()
	f.compare(ctx, s, folder)
	things, folders, next := 0, 0, 1
	in := foundIn{top: folder, at: folder}
	for lines.Scan() {
		if things++; bounds.Things > 0 && things > bounds.Things {
			return nil, &TooManyError{[]tree.Path{folder}, bounds.Things}
		}
		if bounds.Seen != nil {
			bounds.Seen(things)
		}
		at, i, err := in.found(lines.Bytes())
		if err != nil {
			return nil, err
		}
		f.below[at] = append(f.below[at], i)
		if i.Being != tree.Folder {
			continue
		}
		p := at.Join(tree.Path(i.Name))
		if _, ok := f.below[p]; !ok {
			f.below[p] = nil
		}
		if folders++; folders == next { // the more there are, the rarer
			next *= 2
			f.compare(ctx, s, p)
		}
	}
	if err := errors.Join(lines.Err(), session.Wait()); err != nil {
		return nil, fmt.Errorf("find did not end well: %w", err)
	}
	f.wg.Wait()
	return f, nil
}

// toNull splits at zero bytes; what no zero byte ends is left away.
func toNull(data []byte, _ bool) (advance int, token []byte, err error) {
	if i := bytes.IndexByte(data, 0); i >= 0 {
		return i + 1, data[:i], nil
	}
	return 0, nil, nil
}

// foundIn remembers the folder of the last thing that was found: the next one is mostly in it too.
type foundIn struct {
	top  tree.Path
	name string // of the folder, as find wrote it
	at   tree.Path
}

// found reads what find says of one thing: the folder in which it is, and what it is.
func (f *foundIn) found(line []byte) (at tree.Path, i Info, err error) {
	bad := func() error { return fmt.Errorf("find wrote %.100q", line) }
	part := bytes.SplitN(line, []byte(" "), 5)
	if len(part) != 5 || len(part[0]) != 1 {
		return at, i, bad()
	}
	mode, err1 := strconv.ParseUint(string(part[1]), 8, 32)
	size, err2 := strconv.ParseInt(string(part[2]), 10, 64)
	whole, _, _ := bytes.Cut(part[3], []byte("."))
	modified, err3 := strconv.ParseInt(string(whole), 10, 64)
	if err1 != nil || err2 != nil || err3 != nil {
		return at, i, bad()
	}
	// SFTP, version 3, has whole seconds in 32 bits: both ways have to say the same.
	i = Info{Being: tree.Foreign, Mode: uint32(mode & 0o777), Modified: int64(uint32(modified)) * 1000}
	switch part[0][0] {
	case 'd':
		i.Being = tree.Folder
	case 'f':
		i.Being, i.Size = tree.Content, size
	}
	slash := bytes.LastIndexByte(part[4], '/')
	i.Name = string(part[4][slash+1:])
	i.checkName()
	if slash < 0 {
		return f.top, i, nil
	}
	// Below a folder whose name is none nobody looks.
	if folder := part[4][:slash]; string(folder) != f.name {
		f.name = string(folder)
		f.at = f.top.Join(tree.Path(f.name))
	}
	return f.at, i, nil
}
