package standin

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"strings"
	"sync"
	"time"
)

// Rules are what a stand-in host does otherwise than a good one does. The zero
// value is a good host.
type Rules struct {
	Delay       time.Duration          // before each answer
	Room        int64                  // bytes that may still be written; 0: any number
	UploadLimit int64                  // bytes of the longest file that it takes; 0: any
	SameFolder  bool                   // it renames only within one folder
	IgnoreCase  bool                   // names that differ only in case are one
	Minutes     bool                   // it tells times in whole minutes
	Frozen      bool                   // it tells the same time of every file, for ever
	InUse       func(name string) bool // files that a game has open, as on Windows: they stay where they are
	ReadOnly    func(name string) bool // folders in which nothing may come or go
}

// disk is a host's folder, jailed, under rules that may change at any time.
type disk struct {
	root *os.Root

	mu    sync.Mutex
	rules Rules
	room  int64
}

// Behave changes what the host does from now on.
func (d *disk) Behave(r Rules) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.rules, d.room = r, r.Room
}

// asked is called for every request: it waits, and gives the rules.
func (d *disk) asked() Rules {
	d.mu.Lock()
	r := d.rules
	d.mu.Unlock()
	if r.Delay > 0 {
		time.Sleep(r.Delay)
	}
	return r
}

// name turns a request's path into one below the root, in the spelling that is
// there where case is ignored.
func (d *disk) name(p string) string {
	if p = strings.TrimLeft(path.Clean("/"+p), "/"); p == "" {
		return "."
	}
	d.mu.Lock()
	ignore := d.rules.IgnoreCase
	d.mu.Unlock()
	if !ignore {
		return p
	}
	at := "."
	for _, part := range strings.Split(p, "/") {
		next := path.Join(at, part)
		if _, err := d.root.Lstat(next); err != nil {
			list, _ := fs.ReadDir(d.root.FS(), at) // a folder that is not there has nothing in it
			for _, e := range list {
				if strings.EqualFold(e.Name(), part) {
					next = path.Join(at, e.Name())
				}
			}
		}
		at = next
	}
	return at
}

func refuse(name, why string) error {
	return &fs.PathError{Op: "change", Path: name, Err: fmt.Errorf("%w: %s", fs.ErrPermission, why)}
}

// mayChange checks that a name may come or go.
func (r Rules) mayChange(names ...string) error {
	for _, n := range names {
		if r.InUse != nil && r.InUse(n) {
			return refuse(n, "it is in use by another process")
		}
		if r.ReadOnly != nil && r.ReadOnly(path.Dir(n)) {
			return refuse(n, "the folder may not be changed")
		}
	}
	return nil
}

func (d *disk) open(p string) (*os.File, error) {
	d.asked()
	return d.root.Open(d.name(p))
}

// create opens a file to be written, by flags as in package os.
func (d *disk) create(p string, flags int) (*limited, error) {
	r, n := d.asked(), d.name(p)
	if _, err := d.root.Lstat(n); err != nil || flags&os.O_TRUNC != 0 {
		if err := r.mayChange(n); err != nil {
			return nil, err
		}
	}
	f, err := d.root.OpenFile(n, flags, 0o644)
	if err != nil {
		return nil, err
	}
	return &limited{File: f, d: d, longest: r.UploadLimit}, nil
}

// limited is a file that a host with limits takes.
type limited struct {
	*os.File
	d       *disk
	longest int64
}

// WriteAt implements io.WriterAt.
func (l *limited) WriteAt(p []byte, at int64) (int, error) {
	if l.longest > 0 && at+int64(len(p)) > l.longest {
		return 0, fmt.Errorf("a file of more than %d bytes is not taken here", l.longest)
	}
	l.d.mu.Lock()
	if l.d.rules.Room > 0 {
		if l.d.room < int64(len(p)) {
			l.d.mu.Unlock()
			return 0, errors.New("no space left on device")
		}
		l.d.room -= int64(len(p))
	}
	l.d.mu.Unlock()
	return l.File.WriteAt(p, at)
}

// rename never replaces unless over is set.
func (d *disk) rename(from, to string, over bool) error {
	r, a, b := d.asked(), d.name(from), d.name(to)
	if r.SameFolder && path.Dir(a) != path.Dir(b) {
		return refuse(b, "renaming into another folder is not possible here")
	}
	if err := r.mayChange(a, b); err != nil {
		return err
	}
	if _, err := d.root.Lstat(b); err == nil && !over {
		return &fs.PathError{Op: "rename", Path: b, Err: fs.ErrExist}
	}
	return d.root.Rename(a, b)
}

func (d *disk) remove(p string, folder bool) error {
	r, n := d.asked(), d.name(p)
	if err := r.mayChange(n); err != nil {
		return err
	}
	i, err := d.root.Lstat(n)
	if err != nil {
		return err
	}
	if i.IsDir() != folder {
		return errors.New("that is the wrong kind of thing to remove so")
	}
	return d.root.Remove(n)
}

func (d *disk) mkdir(p string) error {
	r, n := d.asked(), d.name(p)
	if err := r.mayChange(n); err != nil {
		return err
	}
	return d.root.Mkdir(n, 0o755)
}

// stat looks at one name; a link is looked through where follow is set.
func (d *disk) stat(p string, follow bool) (os.FileInfo, error) {
	r, n := d.asked(), d.name(p)
	look := d.root.Lstat
	if follow {
		look = d.root.Stat
	}
	i, err := look(n)
	if err != nil {
		return nil, err
	}
	return r.reported(i), nil
}

func (d *disk) list(p string) ([]os.FileInfo, error) {
	r := d.asked()
	f, err := d.root.Open(d.name(p))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	all, err := f.Readdir(-1)
	for i := range all {
		all[i] = r.reported(all[i])
	}
	return all, err
}

// reportedInfo is what a host tells of a file: not always the truth about its time.
type reportedInfo struct {
	os.FileInfo
	at time.Time
}

// ModTime implements os.FileInfo.
func (t reportedInfo) ModTime() time.Time { return t.at }

// Sys implements os.FileInfo: the times in there are the true ones.
func (t reportedInfo) Sys() any { return nil }

func (r Rules) reported(i os.FileInfo) os.FileInfo {
	switch {
	case r.Frozen:
		return reportedInfo{i, time.Date(2020, 1, 2, 3, 4, 0, 0, time.UTC)}
	case r.Minutes:
		return reportedInfo{i, i.ModTime().Truncate(time.Minute)}
	}
	return i
}

// sequential writes one piece after the other, from an offset on.
func (l *limited) sequential(from int64) io.Writer { return io.NewOffsetWriter(l, from) }
