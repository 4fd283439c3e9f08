package catalog

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"sort"
	"strings"
	"time"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// Upload is an archive that has arrived whole and is not recorded yet.
// Exactly one of Stage and Discard uses it up.
type Upload struct {
	Filename string
	Source   string // where it was downloaded, as the person says
	Note     string
	in       *stockroom.Incoming
}

// Receive streams an archive to disk. It is never held in memory.
func (s *Service) Receive(ctx context.Context, filename string, body io.Reader) (*Upload, error) {
	filename = path.Base(strings.ReplaceAll(filename, `\`, "/"))
	if p, err := tree.ParsePath(filename); err != nil || p.Depth() != 1 {
		return nil, fault.New(fault.Usage, "bad-filename", "%q is not a file name", filename)
	}
	in, err := s.Room.Receive(ctx, body)
	if err != nil {
		return nil, err
	}
	return &Upload{Filename: filename, in: in}, nil
}

// Discard forgets an upload that will not be staged.
func (u *Upload) Discard() error { return u.in.Discard() }

// Size is the upload's size in bytes.
func (u *Upload) Size() int64 { return u.in.Size }

// Staged is what came of staging one archive.
type Staged struct {
	Archive model.Archive
	Known   bool   // the same bytes were staged before
	Unread  string // why it was not looked into, empty where it was
	Books   []BookResult
}

// BookResult is what one rulebook made of the archive.
type BookResult struct {
	Rulebook string
	Revision int
	Fresh    bool // not laid out by this revision before
	Crate    *model.Crate
	Findings []finding.Finding
}

// Stage opens an upload safely, keeps it unchanged, and has it laid out by one
// rulebook, or by every rulebook in use where name is empty. The same bytes
// under the same revision change nothing. tell is called with what is going on.
func (s *Service) Stage(ctx context.Context, u *Upload, rulebookName, actor string, tell func(string)) (st Staged, err error) {
	revisions, err := s.revisions(ctx, rulebookName)
	if err != nil {
		return st, errors.Join(err, u.Discard())
	}
	st.Archive, err = s.Records.Archive(ctx, u.in.Digest)
	switch {
	case err == nil:
		st.Known = true
		if err := u.Discard(); err != nil {
			return st, err
		}
	case errors.Is(err, model.ErrNotFound):
		tell(fmt.Sprintf("looking into %s", u.Filename))
		if st.Archive, st.Unread, err = s.keep(ctx, u, actor); err != nil {
			return st, err
		}
	default:
		return st, errors.Join(err, u.Discard())
	}
	for _, rev := range revisions {
		tell(fmt.Sprintf("laying it out by rulebook %s", rev.Name))
		br, err := s.lay(ctx, st.Archive, u.Filename, rev, actor)
		if err != nil {
			return st, err
		}
		st.Books = append(st.Books, br)
	}
	return st, nil
}

// revisions gives the rulebooks to try: the named one, or all that servers
// use, or, where no server is there yet, all there are.
func (s *Service) revisions(ctx context.Context, name string) ([]model.Revision, error) {
	if name != "" {
		_, rev, err := s.Book(ctx, name)
		return []model.Revision{rev}, err
	}
	all, err := s.Records.Rulebooks(ctx)
	if err != nil {
		return nil, err
	}
	servers, err := s.Records.Servers(ctx)
	if err != nil {
		return nil, err
	}
	used := map[string]bool{}
	for _, srv := range servers {
		used[srv.Rulebook] = true
	}
	var out []model.Revision
	for _, r := range all {
		if used[r.Name] || len(servers) == 0 {
			out = append(out, r)
		}
	}
	if len(out) == 0 {
		return nil, fault.New(fault.Conflict, "no-rulebook", "there is no rulebook yet, so nothing could be laid out").WithMend("rulebook add FILE adds one.")
	}
	return out, nil
}

// keep looks into a new archive and records it. A broken or unsafe one leaves
// nothing behind.
func (s *Service) keep(ctx context.Context, u *Upload, actor string) (model.Archive, string, error) {
	l, err := archive.Open(ctx, u.in, u.in.Size, s.Limits)
	if err != nil {
		err = errors.Join(err, u.Discard())
		var bad *archive.Error
		if errors.As(err, &bad) {
			return model.Archive{}, "", fault.New(fault.Failed, bad.Code, "%s: %v", u.Filename, bad).WithMend("It was not staged; nothing of it was kept.")
		}
		return model.Archive{}, "", err
	}
	whole := stockroom.Held{Digest: u.in.Digest, Span: stockroom.Span{Length: u.in.Size, Size: u.in.Size, Method: stockroom.Stored}}
	held := []stockroom.Held{whole}
	entries := make([]tree.Entry, len(l.Items))
	for i, it := range l.Items {
		entries[i] = it.Entry
		if !it.Dir {
			held = append(held, stockroom.Held{Digest: it.Digest, Span: it.Span})
		}
	}
	a := model.Archive{Digest: u.in.Digest, Size: u.in.Size, Filename: u.Filename, Format: string(l.Format), Source: u.Source, Note: u.Note, Actor: actor}
	if a.Container, err = u.in.Commit(); err != nil {
		return a, "", err
	}
	a, err = s.Records.AddArchive(ctx, a, entries, held)
	return a, l.Unread, err
}

// lay has one revision lay the archive out, unless it did so before.
func (s *Service) lay(ctx context.Context, a model.Archive, filename string, rev model.Revision, actor string) (BookResult, error) {
	br := BookResult{Rulebook: rev.Name, Revision: rev.Number}
	laid, err := s.Records.LaidOut(ctx, a.ID, rev.ID)
	if errors.Is(err, model.ErrNotFound) {
		br.Fresh = true
		laid, err = s.layNow(ctx, a, filename, rev, actor)
	}
	br.Crate, br.Findings = laid.Crate, laid.Findings
	return br, err
}

func (s *Service) layNow(ctx context.Context, a model.Archive, filename string, rev model.Revision, actor string) (model.Laid, error) {
	b, _, err := s.Revision(ctx, rev.Name, rev.Number)
	if err != nil {
		return model.Laid{}, err
	}
	entries, err := s.Records.Entries(ctx, a.ID)
	if err != nil {
		return model.Laid{}, err
	}
	res := layout.Lay(b, layout.Archive{Filename: filename, Whole: tree.Entry{Digest: a.Digest, Size: a.Size},
		Entries: entries, Texts: &texts{ctx: ctx, room: s.Room, entries: entries}})
	return s.Records.AddLayout(ctx, a.ID, rev.ID, res, actor)
}

// Entries lists what an archive holds.
func (s *Service) Entries(ctx context.Context, a model.Archive) ([]tree.Entry, error) {
	return s.Records.Entries(ctx, a.ID)
}

// maxReadme is how much of a text is shown, in bytes.
const maxReadme = 256 << 10

// Readme is the author's notes of a crate.
type Readme struct{ Path, Text string }

// Readme gives the author's notes that came with a crate, the outermost first.
func (s *Service) Readme(ctx context.Context, c model.Crate) ([]Readme, error) {
	var out []Readme
	for _, a := range c.Archives {
		entries, err := s.Records.Entries(ctx, a.ID)
		if err != nil {
			return nil, err
		}
		sort.SliceStable(entries, func(i, j int) bool { return entries[i].Path.Depth() < entries[j].Path.Depth() })
		t := &texts{ctx: ctx, room: s.Room, entries: entries}
		for _, e := range entries {
			if e.Dir || !isNotes(e.Path.Base()) {
				continue
			}
			f, err := t.Open(string(e.Path))
			if err != nil {
				return nil, err
			}
			text, err := io.ReadAll(io.LimitReader(f, maxReadme))
			if err = errors.Join(err, f.Close()); err != nil {
				return nil, err
			}
			out = append(out, Readme{Path: string(e.Path), Text: strings.ToValidUTF8(string(text), "�")})
		}
	}
	return out, nil
}

func isNotes(base string) bool {
	base = strings.ToLower(base)
	stem := strings.TrimSuffix(base, path.Ext(base))
	return stem == "readme" || stem == "install" || stem == "read me"
}

// texts lets the layout read an archive's files by path.
type texts struct {
	ctx     context.Context
	room    *stockroom.Room
	entries []tree.Entry
}

// Open implements fs.FS.
func (t *texts) Open(name string) (fs.File, error) {
	for _, e := range t.entries {
		if string(e.Path) == name && !e.Dir {
			rc, err := t.room.Open(t.ctx, e.Digest)
			if err != nil {
				return nil, &fs.PathError{Op: "open", Path: name, Err: err}
			}
			return &textFile{ReadCloser: rc, e: e}, nil
		}
	}
	return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
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
