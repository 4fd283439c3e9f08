// Package catalog is the use cases around what can be deployed: rulebooks,
// staged archives, and the crates laid out from them.
package catalog

import (
	"context"
	"errors"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/helper"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// Records is what this service needs written down.
type Records interface {
	AddRevision(ctx context.Context, v model.Revision) (model.Revision, bool, error)
	Rulebooks(ctx context.Context) ([]model.Revision, error)
	Rulebook(ctx context.Context, name string, number int) (model.Revision, error)
	DropRulebook(ctx context.Context, name string) error
	Servers(ctx context.Context) ([]model.Server, error)
	Server(ctx context.Context, name string) (model.Server, error)
	Archive(ctx context.Context, d tree.Digest) (model.Archive, error)
	AddArchive(ctx context.Context, a model.Archive, entries []tree.Entry, held map[string][]stockroom.Held) (model.Archive, error)
	// Crateless lists the archives of which no crate is in the list, the newest first.
	Crateless(ctx context.Context) ([]model.Archive, error)
	// ArchivesNamed finds archives by file name or by the first digits of their digests.
	ArchivesNamed(ctx context.Context, ref string) ([]model.Archive, error)
	Entries(ctx context.Context, archive int64) ([]tree.Entry, error)
	NeverLaidOut(ctx context.Context, archive int64) (bool, error)
	Relist(ctx context.Context, a model.Archive, entries []tree.Entry) error
	RenameArchive(ctx context.Context, a model.Archive, filename string) (model.Archive, error)
	LaidOut(ctx context.Context, archive, revision int64, corrections string) (model.Laid, error)
	LastSaid(ctx context.Context, archive, revision int64) (choices []layout.Choice, crates int, err error)
	AddLayout(ctx context.Context, archive, revision int64, corrections string, res layout.Result, actor string) (model.Laid, error)
	Corrections(ctx context.Context, rulebook string) (map[string]model.Correction, error)
	Correct(ctx context.Context, rulebook, key, actor string, change func(*model.Correction)) error
	Crates(ctx context.Context, rulebook, key string, before int64, limit int) ([]model.Crate, error)
	AddonKey(ctx context.Context, rulebook, name string) (string, error)
	// Heads is Crates of one add-on without files and archives.
	Heads(ctx context.Context, rulebook, key, version string) ([]model.Crate, error)
	// Siblings are all crates that came to be with one.
	Siblings(ctx context.Context, crate int64) ([]tree.Digest, error)
	// Twins are the crates of the same name and version that came to be with one.
	Twins(ctx context.Context, crate int64) ([]tree.Digest, error)
	CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error)
	Pallets(ctx context.Context, rulebook, key string) ([]model.Pallet, error)
	PalletMembers(ctx context.Context, rulebook string) ([]model.PalletMember, error)
	RenamePallet(ctx context.Context, rulebook, key, name string) error
	Outdated(ctx context.Context, rulebook string, newest int64) ([]model.Archive, error)
	// LetGoOf names the downloads of an add-on's version whose bytes were let go.
	LetGoOf(ctx context.Context, rulebook, key, version string) ([]string, error)
	Heal(ctx context.Context, a model.Archive, held map[string][]stockroom.Held) error
	Locate(ctx context.Context, d tree.Digest) (stockroom.Location, error)
	AddFound(ctx context.Context, container string, held []stockroom.Held) error
	ArchivesHolding(ctx context.Context, digests []tree.Digest) (map[tree.Digest][]string, error)
	Contents(ctx context.Context, each func(tree.Digest) error) error
	AddHeld(ctx context.Context, container string, held []stockroom.Held) error
	Made(ctx context.Context, recipe tree.Digest) (text string, made draft.Bytes, err error)
	AddMade(ctx context.Context, recipe tree.Digest, text string, made draft.Bytes) error
	AddJoined(ctx context.Context, c *layout.Crate, revision int, archives []model.Archive, actor string) (model.Crate, error)
	DropCrate(ctx context.Context, c model.Crate) error
}

// Service is the use cases.
type Service struct {
	Records Records
	Room    *stockroom.Room
	Limits  archive.Limits
	Helpers helper.Folder // programs for games' own packed formats

	books books
}

// Book gives the newest revision of a rulebook, parsed.
func (s *Service) Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error) {
	return s.Revision(ctx, name, 0)
}

// Revision gives one revision of a rulebook, parsed; 0 is the newest.
func (s *Service) Revision(ctx context.Context, name string, number int) (*rulebook.Book, model.Revision, error) {
	rev, err := s.Records.Rulebook(ctx, name, number)
	if errors.Is(err, model.ErrNotFound) {
		return nil, rev, fault.New(fault.Unknown, "rulebook-unknown", "there is no rulebook named %q", name).By(finding.ShowRulebooks.With(), finding.AddRulebook.With())
	}
	if err != nil {
		return nil, rev, err
	}
	b, err := s.books.parse(rev)
	return b, rev, err
}

// CheckRulebook reads a rulebook and keeps nothing.
func CheckRulebook(text []byte) (*rulebook.Book, error) {
	b, err := rulebook.Parse(text)
	if err != nil {
		return nil, fault.New(fault.Usage, "rulebook-faults", "the rulebook has faults:\n%v", err).WithMend("Nothing was changed.")
	}
	return b, nil
}

// AddRulebook keeps a rulebook as the next revision of its name. fresh is
// false where the newest revision is the same text.
func (s *Service) AddRulebook(ctx context.Context, text []byte, over bool, actor string) (rev model.Revision, fresh bool, err error) {
	b, err := CheckRulebook(text)
	if err != nil {
		return rev, false, err
	}
	there, err := s.Records.Rulebook(ctx, b.Name, 0)
	switch {
	case errors.Is(err, model.ErrNotFound):
	case err != nil:
		return rev, false, err
	case !over && there.Actor != actor && there.Digest != tree.Sum(text).String():
		return rev, false, fault.New(fault.Conflict, "others-rulebook", "revision %d of rulebook %s is by %s, of %s; nothing was changed", there.Number, b.Name, there.Actor, there.CreatedAt.Format("2006-01-02 15:04")).
			WithMend("Give yours another name; or make it the next revision on purpose.").By(finding.AddOver.With())
	}
	return s.Records.AddRevision(ctx, model.Revision{Name: b.Name, Title: b.Title, Text: text, Digest: tree.Sum(text).String(), Actor: actor})
}

// Rulebooks lists the newest revisions.
func (s *Service) Rulebooks(ctx context.Context) ([]model.Revision, error) {
	return s.Records.Rulebooks(ctx)
}

// DropRulebook takes a rulebook out of use; one that a server uses stays.
func (s *Service) DropRulebook(ctx context.Context, name string) error {
	err := s.Records.DropRulebook(ctx, name)
	switch {
	case errors.Is(err, model.ErrNotFound):
		return fault.New(fault.Unknown, "rulebook-unknown", "there is no rulebook named %q", name)
	case errors.Is(err, model.ErrConflict):
		return fault.New(fault.Conflict, "in-use", "%s", model.ConflictText(err)).WithMend("Drop those servers first, or leave it.")
	}
	return err
}

// Crates lists crates, the newest first.
func (s *Service) Crates(ctx context.Context, rulebookName, addon string, before int64, limit int) ([]model.Crate, error) {
	return s.Records.Crates(ctx, rulebookName, layout.Key(addon), before, limit)
}

func (s layer) crateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error) {
	c, err := s.Records.CrateByDigest(ctx, d)
	if errors.Is(err, model.ErrNotFound) {
		return c, fault.New(fault.Unknown, "crate-unknown", "no crate with the digest %s is staged", d).By(finding.ShowCrates.With())
	}
	return c, err
}

// DropCrate takes a crate out of the list; one that is on a server stays.
func (s *Service) DropCrate(ctx context.Context, rulebookName, ref string) (model.Crate, error) {
	c, err := s.FindCrate(ctx, rulebookName, ref)
	if err != nil {
		return c, err
	}
	err = s.Records.DropCrate(ctx, c)
	if errors.Is(err, model.ErrConflict) {
		return c, fault.New(fault.Conflict, "in-use", "%s", model.ConflictText(err)).WithMend("Remove it from there first.")
	}
	return c, err
}

// What the use cases have in common, by what it is about.
type (
	// keeper keeps uploads and what is in them, and mends what was damaged.
	keeper struct{ *Service }
	// layer lays archives out.
	layer struct{ *Service }
	// merger makes packed files of several.
	merger struct{ *Service }
	// recoverer finds again what lost records knew.
	recoverer struct{ *Service }
	// finder tells crates of one name apart.
	finder struct{ *Service }
	// Corrections are what people know better than a layout: they are kept for later
	// versions, and taken back.
	Corrections struct{ *Service }
)

// Corrections is what takes corrections and takes them back.
func (s *Service) Corrections() Corrections { return Corrections{s} }

func (s *Service) keeping() keeper       { return keeper{s} }
func (s *Service) laying() layer         { return layer{s} }
func (s *Service) merging() merger       { return merger{s} }
func (s *Service) recovering() recoverer { return recoverer{s} }
