package catalog

import (
	"context"
	"io"
	"io/fs"
	"slices"
	"strings"
	"time"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// texts lets the layout read an archive's files by path.
type texts struct {
	ctx     context.Context
	room    *stockroom.Room
	entries []tree.Entry // by path
	// err is the first failure to read the stockroom. A layout that was made without
	// what could not be read just now is not one to be recorded.
	err error
}

// newTexts takes entries in the order in which the records give them: by path. A
// plain file, which holds none, is its own.
func newTexts(ctx context.Context, room *stockroom.Room, a model.Archive, filename string, entries []tree.Entry) *texts {
	if len(entries) == 0 {
		entries = []tree.Entry{{Path: tree.Path(filename), Digest: a.Digest, Size: a.Size}}
	}
	return &texts{ctx: ctx, room: room, entries: entries}
}

// Open implements fs.FS.
func (t *texts) Open(name string) (fs.File, error) {
	i, ok := slices.BinarySearchFunc(t.entries, name, func(e tree.Entry, name string) int { return strings.Compare(string(e.Path), name) })
	if !ok || t.entries[i].Dir {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	e := t.entries[i]
	rc, err := t.room.Open(t.ctx, e.Digest)
	if err != nil {
		t.failed(err)
		return nil, &fs.PathError{Op: "open", Path: name, Err: err}
	}
	return &textFile{ReadCloser: rc, e: e, texts: t}, nil
}

func (t *texts) failed(err error) {
	if t.err == nil {
		t.err = err
	}
}

type textFile struct {
	io.ReadCloser
	e     tree.Entry
	texts *texts
}

// Read implements fs.File.
func (f *textFile) Read(p []byte) (int, error) {
	n, err := f.ReadCloser.Read(p)
	if err != nil && err != io.EOF {
		f.texts.failed(err)
	}
	return n, err
}

// Stat implements fs.File.
func (f *textFile) Stat() (fs.FileInfo, error) { return textInfo{f.e}, nil }

type textInfo struct{ e tree.Entry }

func (i textInfo) Name() string     { return i.e.Path.Base() }
func (i textInfo) Size() int64      { return i.e.Size }
func (textInfo) Mode() fs.FileMode  { return 0o444 }
func (textInfo) ModTime() time.Time { return time.Time{} }
func (textInfo) IsDir() bool        { return false }
func (textInfo) Sys() any           { return nil }
