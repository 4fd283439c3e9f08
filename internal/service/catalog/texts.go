package catalog

import (
	"context"
	"io"
	"io/fs"
	"time"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/stockroom"
)

// texts lets the layout read an archive's files by path.
type texts struct {
	ctx     context.Context
	room    *stockroom.Room
	entries map[string]tree.Entry
}

func newTexts(ctx context.Context, room *stockroom.Room, entries []tree.Entry) *texts {
	t := &texts{ctx: ctx, room: room, entries: make(map[string]tree.Entry, len(entries))}
	for _, e := range entries {
		if !e.Dir {
			t.entries[string(e.Path)] = e
		}
	}
	return t
}

// Open implements fs.FS.
func (t *texts) Open(name string) (fs.File, error) {
	e, ok := t.entries[name]
	if !ok {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	rc, err := t.room.Open(t.ctx, e.Digest)
	if err != nil {
		return nil, &fs.PathError{Op: "open", Path: name, Err: err}
	}
	return &textFile{ReadCloser: rc, e: e}, nil
}

type textFile struct {
	io.ReadCloser
	e tree.Entry
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
