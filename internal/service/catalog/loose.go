package catalog

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Archives are the use cases about staged archives themselves: those without a crate in the
// list, and laying one out again.
type Archives struct{ *Service }

// Loose is an archive of which no crate is in the list.
type Loose struct {
	Archive model.Archive
	Said    []Said // by the rulebooks in use that have looked at it
}

// Said is what a rulebook made of an archive the last time that it looked at it.
type Said struct {
	Rulebook string
	Choices  []layout.Choice // where a person has to choose
	Crates   int             // that have left the list since
}

// Loose lists the archives of which no crate is in the list, the newest first.
func (s Archives) Loose(ctx context.Context) ([]Loose, error) {
	archives, err := s.Records.Crateless(ctx)
	if err != nil || len(archives) == 0 {
		return nil, err
	}
	revisions, err := s.laying().revisions(ctx, "")
	if err != nil && fault.As(err).Code != "no-rulebook" {
		return nil, err
	}
	out := make([]Loose, len(archives))
	for i, a := range archives {
		out[i].Archive = a
		for _, rev := range revisions {
			choices, crates, err := s.Records.LastSaid(ctx, a.ID, rev.ID)
			if errors.Is(err, model.ErrNotFound) {
				continue
			}
			if err != nil {
				return nil, err
			}
			out[i].Said = append(out[i].Said, Said{rev.Name, choices, crates})
		}
	}
	return out, nil
}

// Choosing says how an archive is laid out again.
type Choosing struct {
	Rulebook string // that lays it out; empty: every one in use
	Root     string // the folder in it that is the add-on
	Forget   bool   // a root that was chosen before: it is asked anew
}

// Find gives the archive that a person means: by its file name, its digest, or the first
// digits of that.
func (s Archives) Find(ctx context.Context, ref string) (model.Archive, error) {
	if d, err := tree.ParseDigest(ref); err == nil {
		a, err := s.Records.Archive(ctx, d)
		if !errors.Is(err, model.ErrNotFound) {
			return a, err
		}
	}
	fit, err := s.Records.ArchivesNamed(ctx, ref)
	switch {
	case err != nil:
		return model.Archive{}, err
	case len(fit) == 0:
		return model.Archive{}, fault.New(fault.Unknown, "archive-unknown", "no archive %q was staged", ref).By(finding.ShowArchives.With(), finding.StageArchive.With())
	case len(fit) > 1:
		text := ""
		for _, a := range fit {
			text += fmt.Sprintf("\n%s  %s", a.Digest.Short(), a.Filename)
		}
		return model.Archive{}, fault.New(fault.Usage, "archive-ambiguous", "%q may be one of several archives:%s", ref, text).WithMend("Write the digits of one of them instead.")
	}
	return fit[0], nil
}

// Again lays an archive out again, by what is known now. Crates that it no longer makes
// leave the list, unless a server holds them.
func (s Archives) Again(ctx context.Context, a model.Archive, how Choosing, actor string, tell func(string)) (st Staged, err error) {
	revisions, err := s.laying().revisions(ctx, how.Rulebook)
	if err != nil {
		return st, err
	}
	st.Archive = a
	old, err := s.laying().madeBefore(ctx, a, revisions)
	if err != nil {
		return st, err
	}
	for _, rev := range revisions {
		if how.Forget {
			if err := s.forgetRoot(ctx, rev, a, actor); err != nil {
				return st, err
			}
		}
	}
	if st.Books, err = s.laying().layAll(ctx, a, how.Root, revisions, actor, tell); err != nil {
		return st, err
	}
	return st, s.laying().leave(ctx, old, st.Books)
}

// Grown lays archives out by a rulebook that has grown, and gives what it made of those of
// which it makes other crates now. Those that the revision before made leave the list, unless
// a server holds them.
func (s Archives) Grown(ctx context.Context, rulebookName string, digests []string, actor string) (out []BookResult, err error) {
	_, rev, err := s.Book(ctx, rulebookName)
	if err != nil {
		return nil, err
	}
	_, before, err := s.Revision(ctx, rulebookName, max(1, rev.Number-1))
	if err != nil {
		return nil, err
	}
	for _, text := range digests {
		d, err := tree.ParseDigest(text)
		if err != nil {
			return out, err
		}
		a, err := s.Records.Archive(ctx, d)
		if err != nil {
			return out, err
		}
		old, err := s.laying().madeBefore(ctx, a, []model.Revision{before})
		if err != nil {
			return out, err
		}
		st, err := s.Again(ctx, a, Choosing{Rulebook: rulebookName}, actor, func(string) {})
		if err != nil {
			return out, err
		}
		if err := s.laying().leave(ctx, old, st.Books); err != nil {
			return out, err
		}
		for _, br := range st.Books {
			same := len(old) == len(br.Crates)
			for _, c := range br.Crates {
				same = same && slices.ContainsFunc(old, func(o model.Crate) bool { return o.Digest == c.Digest })
			}
			if !same {
				out = append(out, br)
			}
		}
	}
	return out, nil
}

// forgetRoot takes the choice of a root back, if there was one.
func (s Archives) forgetRoot(ctx context.Context, rev model.Revision, a model.Archive, actor string) error {
	b, err := s.books.parse(rev)
	if err != nil {
		return err
	}
	said, err := s.Records.Corrections(ctx, rev.Name)
	if err != nil {
		return err
	}
	key := layout.ChoiceKey(b, a.Filename)
	if said[key].Root == "" {
		return nil
	}
	return s.Records.Correct(ctx, rev.Name, key, actor, func(c *model.Correction) { c.Root = "" })
}
