package catalog

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

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
	Say
	in *stockroom.Incoming
}

// Say is what a person says of an archive.
type Say struct {
	Source   string      // where it was downloaded
	Note     string      // a note of their own
	Expect   tree.Digest // what its SHA-256 has to be, if they know
	CodePage string      // of names in it that are not UTF-8
	Root     string      // a folder in it that is the add-on, where several could be
	KeepOnly bool        // it is kept but not laid out
	Trusted  bool        // it may unpack to far more than it is, since they know it
}

// Receive streams an archive to disk. It is never held in memory.
func (s *Service) Receive(ctx context.Context, filename string, body io.Reader) (*Upload, error) {
	filename, err := fileName(filename)
	if err != nil {
		return nil, err
	}
	in, err := s.Room.Receive(ctx, body)
	if err != nil {
		return nil, err
	}
	return &Upload{Filename: filename, in: in}, nil
}

// fileName is the last part of what an archive is called where it comes from.
func fileName(said string) (string, error) {
	name := path.Base(strings.ReplaceAll(said, `\`, "/"))
	if p, err := tree.ParsePath(name); err != nil || p.Depth() != 1 {
		return "", fault.New(fault.Usage, "bad-filename", "%q is not a file name", name)
	}
	return name, nil
}

// Discard forgets an upload that will not be staged.
func (u *Upload) Discard() error { return u.in.Discard() }

// Size is the upload's size in bytes.
func (u *Upload) Size() int64 { return u.in.Size }

// Staged is the result of staging one archive.
type Staged struct {
	Archive model.Archive
	Known   bool   // the same bytes were staged before
	Before  string // the name under which they were, if it was another
	Renamed bool   // the new name tells more, and counts from now on
	Reread  bool   // with this code page names in it are others, which count from now on
	Back    bool   // its bytes had been let go, and are there again
	Mended  int    // contents of it that were damaged in the stockroom, and are whole again
	Books   []BookResult
}

// BookResult is what one rulebook made of the archive.
type BookResult struct {
	Rulebook string
	Revision int
	Fresh    bool // not laid out by this revision and these corrections before
	Crates   []model.Crate
	Choices  []layout.Choice   // where a person has to choose
	Pallet   string            // name@version, where the crates came together as one
	Findings []finding.Finding // of the archive; each crate has its own besides
}

// Stage opens an upload safely, keeps it unchanged, and has it laid out by one
// rulebook, or by every rulebook in use where name is empty. The same bytes
// under the same revision change nothing. tell is called with what is going on.
func (s *Service) Stage(ctx context.Context, u *Upload, rulebookName, actor string, tell func(string)) (st Staged, err error) {
	var revisions []model.Revision
	if !u.KeepOnly {
		revisions, err = s.laying().revisions(ctx, rulebookName)
	}
	if err == nil && !u.Expect.IsZero() && u.Expect != u.in.Digest {
		err = fault.New(fault.Failed, "other-bytes", "%s has the SHA-256 %s, not the one that you gave", u.Filename, u.in.Digest).WithMend("It was not staged. Download it again, or compare with what its author says.")
	}
	if err != nil {
		return st, errors.Join(err, u.Discard())
	}
	var old []model.Crate // what it made before and may no longer make
	st.Archive, err = s.Records.Archive(ctx, u.in.Digest)
	switch {
	case err == nil:
		st.Known = true
		if st.Reread, old, err = s.laying().reread(ctx, u, &st.Archive, revisions); err != nil {
			return st, errors.Join(err, u.Discard())
		}
		st.Back = st.Archive.Dropped
		if st.Mended, err = s.keeping().heal(ctx, u, st.Archive, tell); err != nil {
			return st, err
		}
	case errors.Is(err, model.ErrNotFound):
		tell(fmt.Sprintf("looking into %s", u.Filename))
		if st.Archive, err = s.keeping().keep(ctx, u, actor); err != nil {
			return st, err
		}
	default:
		return st, errors.Join(err, u.Discard())
	}
	if st.Known && st.Archive.Filename != u.Filename {
		st.Before = st.Archive.Filename
		var made []model.Crate
		if st.Archive, made, err = s.laying().betterName(ctx, st.Archive, u.Filename, revisions); err != nil {
			return st, err
		}
		old = append(old, made...)
		st.Renamed = st.Archive.Filename != st.Before
	}
	if st.Books, err = s.laying().layAll(ctx, st.Archive, u.Root, revisions, actor, tell); err != nil {
		return st, err
	}
	for _, br := range st.Books {
		if st.Known && !br.Fresh {
			again, err := s.keeping().healDerived(ctx, st.Archive, br.Crates)
			if err != nil {
				return st, err
			}
			st.Mended += again
		}
	}
	return st, s.laying().leave(ctx, old, st.Books)
}

// revisions gives the rulebooks to try: the named one, or all that servers
// use, or, where no server is there yet, all there are.
func (s layer) revisions(ctx context.Context, name string) ([]model.Revision, error) {
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
		return nil, fault.New(fault.Conflict, "no-rulebook", "there is no rulebook yet, so nothing could be laid out").WithMend("Add one.").By(finding.AddRulebook.With())
	}
	return out, nil
}
