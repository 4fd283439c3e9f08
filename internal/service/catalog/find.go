package catalog

import (
	"context"
	"errors"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// AddonKey gives the key of the add-on with a name.
func (s *Service) AddonKey(ctx context.Context, rulebookName, name string) (string, error) {
	key, err := s.Records.AddonKey(ctx, rulebookName, name)
	if errors.Is(err, model.ErrConflict) {
		return key, fault.New(fault.Usage, "name-ambiguous", "%s", model.ConflictText(err)).WithMend("Write one of these instead.")
	}
	return key, err
}

// FindCrate resolves what a person wrote: name@version, name@version~digits,
// or a name alone, which means the version staged last. An empty rulebook
// means any. Where several crates fit, the fault lists them.
func (s *Service) FindCrate(ctx context.Context, rulebookName, ref string) (model.Crate, error) {
	if d, err := tree.ParseDigest(ref); err == nil {
		return s.laying().crateByDigest(ctx, d)
	}
	r, err := layout.ParseRef(ref)
	if err != nil {
		return model.Crate{}, fault.New(fault.Usage, "bad-crate", "%v", err)
	}
	crates, r, err := finder{s}.heads(ctx, rulebookName, r)
	if err != nil {
		return model.Crate{}, err
	}
	var fit []model.Crate
	for _, c := range crates {
		if (r.Version == "" || c.Body.Version == r.Version) && strings.HasPrefix(c.Digest.String(), r.Digits) {
			fit = append(fit, c)
		}
	}
	switch {
	case len(fit) == 0:
		gone, err := s.Records.LetGoOf(ctx, rulebookName, layout.Key(r.Name), r.Version)
		if err != nil {
			return model.Crate{}, err
		}
		f := fault.New(fault.Unknown, "crate-unknown", "no crate %s is staged%s", ref, forBook(rulebookName))
		if len(gone) > 0 {
			return model.Crate{}, fault.New(fault.Unknown, "crate-unknown", "%s is not staged any more: its download %s was let go when the stockroom was tidied", ref, words.Few(gone)).
				WithMend("Stage it again.").By(finding.StageArchive.With())
		}
		if len(crates) > 0 {
			return model.Crate{}, f.WithMend("Of %s there is: %s.", r.Name, labels(crates))
		}
		return model.Crate{}, f.By(finding.ShowCrates.With(), finding.StageArchive.With())
	case len(fit) > 1 && (r.Version != "" || r.Digits != ""):
		return model.Crate{}, ambiguous(ref, fit)
	}
	return finder{s}.alone(ctx, ref, fit[0], fit)
}

// alone gives the crate that a name without a version means, unless the same archive brought
// another one of that name and version: then a person says which.
func (s finder) alone(ctx context.Context, ref string, c model.Crate, among []model.Crate) (model.Crate, error) {
	twins, err := s.Records.Twins(ctx, c.ID)
	if err != nil {
		return c, err
	}
	meant := slices.DeleteFunc(slices.Clone(among), func(o model.Crate) bool {
		return o.Digest != c.Digest && !slices.Contains(twins, o.Digest)
	})
	if len(meant) > 1 {
		return c, ambiguous(ref, meant)
	}
	return s.laying().crateByDigest(ctx, c.Digest)
}

// ambiguous asks which of several crates is meant.
func ambiguous(ref string, fit []model.Crate) error {
	return fault.New(fault.Usage, "crate-ambiguous", "%s can mean several crates: %s", ref, labels(fit)).WithMend("Add the ~digits to say which.")
}

// heads gives the crates of the add-on that a reference names, the newest first, and the
// reference as it was understood: what is behind the last @ is the version, unless there is
// an add-on of the whole name.
func (s finder) heads(ctx context.Context, rulebookName string, r layout.Ref) ([]model.Crate, layout.Ref, error) {
	whole := layout.Ref{Name: r.Name + "@" + r.Version, Digits: r.Digits}
	of := func(r layout.Ref) ([]model.Crate, error) {
		key, err := s.AddonKey(ctx, rulebookName, r.Name)
		if err != nil {
			return nil, err
		}
		return s.Records.Heads(ctx, rulebookName, key, "")
	}
	crates, err := of(r)
	if err != nil || len(crates) > 0 || r.Version == "" {
		return crates, r, err
	}
	more, err := of(whole)
	if err == nil && len(more) > 0 {
		return more, whole, nil
	}
	return crates, r, err
}

// FindCrateFor is FindCrate for a server of which something is known: a name alone means the
// newest version that fits it, of those that tell what they fit, and a version of which there are
// several builds means the one that fits. What does not fit is meant only where it is named, or
// where there is nothing else.
func (s *Service) FindCrateFor(ctx context.Context, b *rulebook.Book, ref string, facts map[string]string) (model.Crate, error) {
	r, err := layout.ParseRef(ref)
	if err != nil || r.Digits != "" {
		return s.FindCrate(ctx, b.Name, ref)
	}
	crates, r, err := finder{s}.heads(ctx, b.Name, r)
	if err != nil {
		return s.FindCrate(ctx, b.Name, ref)
	}
	byState := map[fit.State][]model.Crate{}
	for _, c := range crates {
		if r.Version == "" || c.Body.Version == r.Version {
			state := fit.Judge(fit.Told(b, c.Body.Facts), facts).State
			byState[state] = append(byState[state], c)
		}
	}
	fits, unknown := byState[fit.Fits], byState[fit.Unknown]
	switch {
	case len(fits) > 0:
		best := fits[0]
		for _, c := range fits {
			if version.Compare(c.Body.Version, best.Body.Version) > 0 {
				best = c
			}
		}
		if r.Version != "" && len(fits) > 1 {
			return model.Crate{}, ambiguous(ref, fits)
		}
		return finder{s}.alone(ctx, ref, best, fits)
	case len(unknown) > 0 && len(unknown) < len(crates) && r.Version == "": // the last that is not known to be wrong
		return finder{s}.alone(ctx, ref, unknown[0], unknown)
	}
	return s.FindCrate(ctx, b.Name, ref)
}

func forBook(name string) string {
	if name == "" {
		return ""
	}
	return " for rulebook " + name
}

func labels(crates []model.Crate) string {
	out := make([]string, len(crates))
	for i, c := range crates {
		out[i] = c.Body.Label() + "~" + c.Digest.Short() + " (" + c.Body.Rulebook + ")"
	}
	return strings.Join(out, ", ")
}
