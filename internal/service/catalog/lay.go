package catalog

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// layBy has one revision lay an archive out, unless it did so before under the
// same corrections. A root that the person names is kept as a correction.
func (s layer) layBy(ctx context.Context, a model.Archive, filename, root string, rev model.Revision, actor string) (BookResult, error) {
	br := BookResult{Rulebook: rev.Name, Revision: rev.Number}
	b, err := s.books.parse(rev)
	if err != nil {
		return br, err
	}
	before := ""
	if root != "" {
		if before, err = s.chooseRoot(ctx, b, a, filename, root, actor); err != nil {
			return br, err
		}
	}
	fixes, corrections, stale, err := s.fixes(ctx, b)
	if err != nil {
		return br, err
	}
	laid, err := s.Records.LaidOut(ctx, a.ID, rev.ID, corrections)
	if errors.Is(err, model.ErrNotFound) {
		br.Fresh = true
		laid, err = s.layNow(ctx, a, filename, b, rev, fixes, corrections, actor)
	}
	br.Crates, br.Choices, br.Pallet = laid.Crates, laid.Choices, laid.Pallet
	br.Findings = slices.Concat(a.Findings, laid.Findings, stale)
	finding.Sort(br.Findings)
	if err == nil && root != "" {
		err = s.rootTaken(ctx, b, a, filename, root, before, actor, br)
	}
	return br, err
}

// layAll has several revisions lay an archive out. A root that the person names has to be one
// for any of them; the others say what they make of the archive without it.
func (s layer) layAll(ctx context.Context, a model.Archive, root string, revisions []model.Revision, actor string, tell func(string)) (out []BookResult, err error) {
	var refused error
	taken := false
	for _, rev := range revisions {
		tell(fmt.Sprintf("laying it out by rulebook %s", rev.Name))
		br, err := s.layBy(ctx, a, a.Filename, root, rev, actor)
		if err != nil && root != "" && fault.As(err).Code == "bad-root" {
			refused = cmp.Or(refused, err)
			br, err = s.layBy(ctx, a, a.Filename, "", rev, actor)
		} else {
			taken = true
		}
		if err != nil {
			return out, err
		}
		out = append(out, br)
	}
	if !taken {
		return out, refused
	}
	return out, nil
}

// rootTaken refuses a root that no kind takes, and forgets that it was chosen.
func (s layer) rootTaken(ctx context.Context, b *rulebook.Book, a model.Archive, filename, root, before, actor string, br BookResult) error {
	p, err := tree.ParsePath(root)
	if err != nil || slices.ContainsFunc(br.Crates, func(c model.Crate) bool {
		return c.Body.Root == p || strings.HasSuffix(string(c.Body.Root), "!/"+string(p))
	}) {
		return err
	}
	err = s.Records.Correct(ctx, b.Name, layout.ChoiceKey(b, filename), actor, func(c *model.Correction) { c.Root = before })
	if err != nil {
		return err
	}
	var could []string
	for _, c := range br.Choices {
		could = append(could, c.Root.String())
	}
	for _, c := range br.Crates {
		could = append(could, c.Body.Root.String())
	}
	f := fault.New(fault.Usage, "bad-root", "no kind of rulebook %s takes the folder %s of %s for an add-on, so that was not kept", b.Name, p, filename)
	if len(could) > 0 {
		return f.WithMend("Those that could be are: %s.", words.Few(could))
	}
	return f
}

// lay has a rulebook lay an archive out as if it were called filename, and records
// nothing of it. told is what was found in packed files on the way.
func (s layer) lay(ctx context.Context, b *rulebook.Book, a model.Archive, filename string, fixes layout.Fixes) (res layout.Result, told []finding.Finding, err error) {
	entries, told, err := s.keeping().unpacked(ctx, b, a, filename)
	if err != nil {
		return res, told, err
	}
	res, err = layout.Lay(b, layout.Archive{Filename: filename, Whole: tree.Entry{Digest: a.Digest, Size: a.Size}, Entries: entries, Read: reader(ctx, s.Room)}, fixes)
	if err != nil {
		err = fmt.Errorf("lay %s out: %w", filename, err)
	}
	return res, told, err
}

func (s layer) layNow(ctx context.Context, a model.Archive, filename string, b *rulebook.Book, rev model.Revision, fixes layout.Fixes, corrections, actor string) (model.Laid, error) {
	res, told, err := s.lay(ctx, b, a, filename, fixes)
	if err != nil {
		return model.Laid{}, err
	}
	if len(res.Crates) == 1 {
		res.Crates[0].Findings = slices.Concat(a.Findings, told, res.Crates[0].Findings)
		finding.Sort(res.Crates[0].Findings)
	}
	res.Findings = append(res.Findings, told...)
	for _, c := range res.Crates {
		if err := s.lint(ctx, c); err != nil {
			return model.Laid{}, err
		}
		if err := s.repack(ctx, a, c); err != nil {
			return model.Laid{}, err
		}
		if err := s.otherBytes(ctx, a, c); err != nil {
			return model.Laid{}, err
		}
	}
	return s.Records.AddLayout(ctx, a.ID, rev.ID, corrections, res, actor)
}

// otherBytes warns of a crate that has the name and version of one that is
// staged already from another archive, but not its bytes. Both are kept.
func (s layer) otherBytes(ctx context.Context, a model.Archive, c *layout.Crate) error {
	if c.Version == layout.Unmarked {
		finding.Sort(c.Findings)
		return nil
	}
	there, err := s.Records.Heads(ctx, c.Rulebook, c.Key(), c.Version)
	if err != nil {
		return err
	}
	for _, x := range there {
		if x.Digest == c.Digest() {
			continue
		}
		if x, err = s.Records.CrateByDigest(ctx, x.Digest); err != nil {
			return err
		}
		own := slices.ContainsFunc(x.Archives, func(o model.Archive) bool { return o.ID == a.ID })
		if !own {
			c.Findings = append(c.Findings, finding.Finding{Level: finding.Warn, Code: "other-bytes",
				What: fmt.Sprintf("%s~%s of %s has the same name and version, but other files", x.Body.Label(), x.Digest.Short(), sourceOf(x)),
				Mend: "Compare the two.", Remedies: []finding.Remedy{finding.CompareCrates.On(x.Body.Label()+"~"+x.Digest.Short(), c.Label()+"~"+c.Digest().Short())}})
		}
	}
	finding.Sort(c.Findings)
	return nil
}

// sourceOf names a crate's origin, as far as a person gave it.
func sourceOf(c model.Crate) string {
	if len(c.Archives) == 0 {
		return "an archive that is gone"
	}
	a := c.Archives[0]
	if a.Source == "" {
		return a.Filename
	}
	return fmt.Sprintf("%s (%s)", a.Filename, a.Source)
}

// fixes gives the corrections of a rulebook for the core, and the digest that
// names them: the same bytes under the same digest are laid out the same.
// Rules that the rulebook no longer bears are left out and told.
func (s layer) fixes(ctx context.Context, b *rulebook.Book) (fixes layout.Fixes, digest string, stale []finding.Finding, err error) {
	said, err := s.Records.Corrections(ctx, b.Name)
	helpers := s.keeping().helpersThere(b)
	if err != nil || len(said) == 0 && helpers == "" {
		return nil, "", nil, err
	}
	fixes = layout.Fixes{}
	for _, key := range slices.Sorted(maps.Keys(said)) {
		c := said[key]
		rules, err := rulebook.ParseRules(b, c.Rules)
		if err != nil {
			stale = append(stale, finding.Finding{Level: finding.Warn, Code: "correction-stale",
				What: "where you placed files of " + key + " no longer fits the rulebook: " + err.Error(), Mend: "Say again where they go.", Remedies: []finding.Remedy{finding.PlaceFiles.With()}})
		}
		for i := range rules {
			if rules[i].Because == "" {
				rules[i].Because = "placed as you said for " + c.From
			}
		}
		fixes[key] = layout.Fix{From: c.From, Root: c.Root, Name: c.Name, Base: c.Base, Apart: c.Apart, Version: c.Versions, Rules: rules}
	}
	raw, err := json.Marshal(said)
	return fixes, tree.Sum(append(raw, helpers...)).String(), stale, err
}

// chooseRoot keeps a person's choice among several roots.
func (s layer) chooseRoot(ctx context.Context, b *rulebook.Book, a model.Archive, filename, root, actor string) (before string, err error) {
	p, err := tree.ParsePath(root)
	if err != nil {
		return "", fault.New(fault.Usage, "bad-root", "%v", err)
	}
	entries, err := s.Records.Entries(ctx, a.ID)
	if err != nil {
		return "", err
	}
	if !slices.ContainsFunc(entries, func(e tree.Entry) bool { return e.Path.Within(p) }) {
		return "", fault.New(fault.Usage, "bad-root", "%s holds no %q", filename, root)
	}
	return before, s.Records.Correct(ctx, b.Name, layout.ChoiceKey(b, filename), actor, func(c *model.Correction) {
		before = c.Root
		c.Root, c.From = layout.Pattern(p), filename
	})
}

// Outdated lists the archives that were laid out by earlier revisions of a
// rulebook only.
func (s *Service) Outdated(ctx context.Context, name string) ([]model.Archive, error) {
	_, rev, err := s.Book(ctx, name)
	if err != nil {
		return nil, err
	}
	return s.Records.Outdated(ctx, name, rev.ID)
}

// LayAgain lays those archives out by the newest revision. Crates that it makes
// anew stand beside the old ones, which servers may hold.
func (s *Service) LayAgain(ctx context.Context, name, actor string, tell func(string)) ([]BookResult, error) {
	_, rev, err := s.Book(ctx, name)
	if err != nil {
		return nil, err
	}
	archives, err := s.Records.Outdated(ctx, name, rev.ID)
	if err != nil {
		return nil, err
	}
	var out []BookResult
	for _, a := range archives {
		tell(fmt.Sprintf("laying out %s", a.Filename))
		br, err := s.laying().layBy(ctx, a, a.Filename, "", rev, actor)
		if err != nil {
			return out, err
		}
		out = append(out, br)
	}
	return out, nil
}
