package catalog

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Unsetting says which corrections of a crate are taken back.
type Unsetting struct{ Name, Version, Base, Apart, Files, Root bool }

// Unset takes corrections of a crate back, for this version and later ones, and lays its
// archive out again.
func (s Corrections) Unset(ctx context.Context, c model.Crate, u Unsetting, actor string) ([]model.Crate, error) {
	if err := correctable(c); err != nil {
		return nil, err
	}
	if u == (Unsetting{}) {
		return nil, fault.New(fault.Usage, "bad-request", "say which correction is taken back: the name, the version, the base, that it is apart, where files go, or the root")
	}
	said, err := s.Records.Corrections(ctx, c.Body.Rulebook)
	if err != nil {
		return nil, err
	}
	b, _, err := s.Book(ctx, c.Body.Rulebook)
	if err != nil {
		return nil, err
	}
	changed := false
	clear := func(k *model.Correction) {
		before := fmt.Sprint(*k)
		if u.Name {
			k.Name = ""
		}
		if u.Base {
			k.Base = ""
		}
		if u.Apart {
			k.Apart = slices.DeleteFunc(k.Apart, func(kind string) bool { return kind == c.Body.Kind })
		}
		if u.Files {
			k.Rules = ""
		}
		if u.Root {
			k.Root = ""
		}
		if u.Version {
			k.Versions = maps.Clone(k.Versions)
			for _, a := range c.Archives {
				delete(k.Versions, a.Digest.String())
			}
		}
		changed = changed || fmt.Sprint(*k) != before
	}
	keys := []string{layout.OneFix(derivedKey(c), c.Body.Root), derivedKey(c)}
	for _, a := range c.Archives {
		keys = append(keys, layout.ChoiceKey(b, a.Filename))
	}
	for _, key := range keys {
		if _, ok := said[key]; !ok {
			continue
		}
		if err := s.Records.Correct(ctx, c.Body.Rulebook, key, actor, clear); err != nil {
			return nil, err
		}
	}
	if !changed {
		return nil, fault.New(fault.Conflict, "not-corrected", "nothing of the kind was corrected of %s", c.Body.Label()).WithMend("Look at what is in force.")
	}
	return s.laying().again(ctx, c, actor)
}

// InForce is what people have corrected of one add-on.
type InForce struct {
	Rulebook, Key, From string
	Says                []string
}

// InForce lists what people have corrected; an empty rulebook means all.
func (s Corrections) InForce(ctx context.Context, rulebookName string) (out []InForce, err error) {
	books, err := s.Records.Rulebooks(ctx)
	if err != nil {
		return nil, err
	}
	for _, b := range books {
		if rulebookName != "" && b.Name != rulebookName {
			continue
		}
		said, err := s.Records.Corrections(ctx, b.Name)
		if err != nil {
			return nil, err
		}
		for _, key := range slices.Sorted(maps.Keys(said)) {
			if says := sayings(said[key]); len(says) > 0 {
				out = append(out, InForce{b.Name, key, said[key].From, says})
			}
		}
	}
	return out, nil
}

// sayings are the words of a correction.
func sayings(c model.Correction) (out []string) {
	say := func(format, value string) {
		if value != "" {
			out = append(out, fmt.Sprintf(format, value))
		}
	}
	say("it is called %s", c.Name)
	say("it changes %s", c.Base)
	say("it is the folder %s", c.Root)
	for _, kind := range c.Apart {
		say("the %s of this name is another add-on", kind)
	}
	for _, d := range slices.Sorted(maps.Keys(c.Versions)) {
		out = append(out, fmt.Sprintf("the archive %s is version %s", d[:12], c.Versions[d]))
	}
	for _, rule := range strings.Split(strings.TrimSpace(c.Rules), "\n") {
		say("%s", strings.TrimPrefix(rule, "- "))
	}
	return out
}

// matches tells whether a glob over paths below a crate's root matches one of its files.
func matches(c layout.Crate, glob string) bool {
	is := func(source string) bool {
		rel := strings.TrimPrefix(strings.TrimPrefix(source, string(c.Root)), "/")
		return doublestar.MatchUnvalidated(glob, rel) || doublestar.MatchUnvalidated(glob, source[strings.LastIndexByte(source, '/')+1:])
	}
	return slices.ContainsFunc(c.Files, func(f layout.File) bool { return f.Source == "" || is(string(f.Source)) }) ||
		slices.ContainsFunc(c.Left, func(f layout.Left) bool { return is(string(f.Source)) })
}

// fixKey is the key under which a crate's corrections are kept: its name's, or its own alone
// where another add-on of the same archive has that name.
func (s layer) fixKey(ctx context.Context, c model.Crate) (string, error) {
	siblings, err := s.Records.Siblings(ctx, c.ID)
	if err != nil {
		return "", err
	}
	for _, d := range siblings {
		o, err := s.Records.CrateByDigest(ctx, d)
		if err != nil {
			return "", err
		}
		if derivedKey(o) == derivedKey(c) && o.Body.Root != c.Body.Root {
			return layout.OneFix(derivedKey(c), c.Body.Root), nil
		}
	}
	return derivedKey(c), nil
}
