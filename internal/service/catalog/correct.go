package catalog

import (
	"context"
	"errors"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Placing says where files of a crate go. Glob is over paths below the
// add-on's root.
type Placing struct {
	Glob  string
	Place string // empty: they are left out
	As    string // empty: as they are below the root
}

// Place corrects where files of a crate go, for this version and later ones,
// and lays its archives out again. The crate that was corrected leaves the
// list unless a server holds it.
func (s Corrections) Place(ctx context.Context, c model.Crate, p Placing, actor string) ([]model.Crate, error) {
	if err := correctable(c); err != nil {
		return nil, err
	}
	b, _, err := s.Book(ctx, c.Body.Rulebook)
	if err != nil {
		return nil, err
	}
	rule := rulebook.Rule{Take: []string{p.Glob}, Leave: p.Place == "", Place: p.Place, As: p.As}
	if rule.As == "" {
		rule.As = "{path}"
	}
	text := rulebook.RuleText(rule)
	if _, err := rulebook.ParseRules(b, text); err != nil {
		return nil, fault.New(fault.Usage, "bad-placing", "%s", plainFaults(err)).WithMend("The rulebook says which places there are.").By(finding.ShowRulebook.On(b.Name))
	}
	if !matches(c.Body, p.Glob) {
		return nil, fault.New(fault.Usage, "matches-nothing", "no file of %s is like %q, so nothing was kept", c.Body.Label(), p.Glob).
			WithMend("The glob is over paths below the add-on's root, %s. A file in a folder is like **/NAME.", c.Body.Root)
	}
	key, err := s.laying().fixKey(ctx, c)
	if err != nil {
		return nil, err
	}
	err = s.Records.Correct(ctx, b.Name, key, actor, func(k *model.Correction) {
		k.From = c.Body.Label()
		k.Rules = text + strings.ReplaceAll(k.Rules, text, "") // the newest word is asked first
	})
	if err != nil {
		return nil, err
	}
	return s.laying().again(ctx, c, actor)
}

// Naming says what a crate is called and, of one that changes another add-on,
// which; empty stays.
type Naming struct {
	Name, Version, Base string
	Apart               bool // it is another add-on than those of other kinds that have its name
}

// Set corrects a crate's name and base, for this version and later ones, and
// its version, for its archive alone, and lays it out again.
func (s Corrections) Set(ctx context.Context, c model.Crate, n Naming, actor string) ([]model.Crate, error) {
	if err := correctable(c); err != nil {
		return nil, err
	}
	if n == (Naming{}) {
		return nil, fault.New(fault.Usage, "bad-request", "say a name, a version, which add-on it changes, or that it is another add-on")
	}
	if n.Base != "" && !c.Body.Overlay {
		return nil, fault.New(fault.Usage, "no-overlay", "%s is of kind %s, which changes no other add-on", c.Body.Label(), c.Body.Kind)
	}
	for _, text := range []string{n.Name, n.Version, n.Base} {
		if bad, ok := tree.Unseen(text); !ok {
			return nil, fault.New(fault.Usage, "bad-name", "a name or a version cannot hold U+%04X, which nobody sees", bad)
		}
		if p, err := tree.ParsePath(text); text != "" && (err != nil || p.Depth() != 1 || strings.Contains(text, "@")) {
			return nil, fault.New(fault.Usage, "bad-name", "%q can be neither a name nor a version: no slash, no @", text)
		}
	}
	key, err := s.laying().fixKey(ctx, c)
	if err != nil {
		return nil, err
	}
	err = s.Records.Correct(ctx, c.Body.Rulebook, key, actor, func(k *model.Correction) {
		k.From = c.Body.Label()
		if n.Apart && !slices.Contains(k.Apart, c.Body.Kind) {
			k.Apart = append(k.Apart, c.Body.Kind)
		}
		if n.Name != "" {
			k.Name = n.Name
		}
		if n.Base != "" {
			k.Base = n.Base
		}
		if n.Version == "" {
			return
		}
		if k.Versions == nil {
			k.Versions = map[string]string{}
		}
		for _, a := range c.Archives {
			k.Versions[a.Digest.String()] = n.Version
		}
	})
	if err != nil {
		return nil, err
	}
	return s.laying().again(ctx, c, actor)
}

// Join makes one crate of two: the name and version of the first, the files of
// both. The two stay in the list.
func (s Corrections) Join(ctx context.Context, a, b model.Crate, actor string) (model.Crate, error) {
	c, err := layout.Join(&a.Body, &b.Body)
	if err != nil {
		return model.Crate{}, fault.New(fault.Conflict, "not-one", "these cannot be one crate: %v", err)
	}
	c.Findings = layout.Joined(a.Findings, b.Findings)
	return s.Records.AddJoined(ctx, c, max(a.Revision, b.Revision), slices.Concat(a.Archives, b.Archives), actor)
}

// correctable refuses corrections of a crate that is not laid out from one
// archive: a joined one, whose parts they belong to, and one without an archive.
func correctable(c model.Crate) error {
	if len(c.Archives) == 0 {
		return fault.New(fault.Conflict, "no-archive", "%s has no archive that could be laid out again, so nothing of it can be corrected", c.Body.Label()).
			WithMend("Of an add-on that the server fetches itself, the id is its name: the list holds it.")
	}
	if len(c.Archives) > 1 {
		return fault.New(fault.Conflict, "joined", "%s is joined from %d archives", c.Body.Label(), len(c.Archives)).WithMend("Correct its parts, and join them again.")
	}
	return nil
}

func derivedKey(c model.Crate) string {
	if c.Body.Derived != "" {
		return c.Body.Derived
	}
	return layout.Key(c.Body.Name)
}

// again lays a crate's archives out by the newest revision and gives what came
// of it.
func (s layer) again(ctx context.Context, c model.Crate, actor string) ([]model.Crate, error) {
	_, rev, err := s.Book(ctx, c.Body.Rulebook)
	if err != nil {
		return nil, err
	}
	var out []model.Crate
	for _, a := range c.Archives {
		br, err := s.laying().layBy(ctx, a, a.Filename, "", rev, actor)
		if err != nil {
			return nil, err
		}
		out = append(out, br.Crates...)
	}
	for _, now := range out {
		if now.Digest == c.Digest {
			return out, nil
		}
	}
	return out, s.drop(ctx, c)
}

// plainFaults words the faults of a rule that stands in no file.
func plainFaults(err error) string {
	var faults *rulebook.Error
	if !errors.As(err, &faults) {
		return err.Error()
	}
	said := make([]string, len(faults.Faults))
	for i, f := range faults.Faults {
		said[i] = f.What
	}
	return strings.Join(said, "; ")
}
