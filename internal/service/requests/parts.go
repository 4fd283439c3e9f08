package requests

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// parts are the parts by choice while an ask is resolved.
type parts struct {
	with, without []string
	before        map[string][]string // what the server has, by add-on
	taken         map[string][]string // what this draft takes, by add-on
	met           map[string]bool     // words of with and without that meant something
	known         []string            // every part that was met, for messages
}

// partsOf begins with what was resolved before, or else with what the server has.
func (s *Maker) partsOf(ctx context.Context, srv model.Server, ask *Ask) (*parts, error) {
	p := &parts{with: ask.With, without: ask.Without, taken: map[string][]string{}, met: map[string]bool{}}
	if ask.Parts != nil {
		p.before, p.with, p.without = ask.Parts, nil, nil
		return p, nil
	}
	var err error
	p.before, err = s.Records.Choices(ctx, srv.ID)
	return p, err
}

// choose decides which parts of a crate are taken: those that the server has,
// with what the ask says on top.
func (p *parts) choose(c model.Crate, facts map[string]string) ([]draft.Part, error) {
	files := map[string]int{}
	for _, f := range c.Body.Files {
		if f.Optional != "" {
			files[f.Optional]++
		}
	}
	var out []draft.Part
	for _, name := range slices.Sorted(maps.Keys(files)) {
		p.known = append(p.known, c.Body.Name+":"+name)
		yes, no := p.matches(p.with, c, name), p.matches(p.without, c, name)
		if yes && no {
			return nil, fault.New(fault.Usage, "bad-request", "the part %s of %s is both taken and left", name, c.Body.Name)
		}
		taken := yes || !no && slices.Contains(p.before[c.Key], name)
		if _, rival := c.Body.OneOf[name]; rival {
			one, err := p.oneOf(c, name, facts)
			if err != nil {
				return nil, err
			}
			taken = one == name
			if yes || taken && slices.Contains(p.before[c.Key], name+bySaying) {
				p.taken[c.Key] = append(p.taken[c.Key], name+bySaying)
			}
		}
		out = append(out, draft.Part{Name: name, Taken: taken, Files: files[name]})
		if taken {
			p.taken[c.Key] = append(p.taken[c.Key], name)
		}
	}
	if len(files) > 0 && p.taken[c.Key] == nil {
		p.taken[c.Key] = []string{}
	}
	return out, nil
}

// bySaying marks a part that a person has chosen among several that exclude one another: it
// is kept whatever the server's facts say.
const bySaying = "!"

// oneOf decides which of the parts that exclude one another is taken, of those to which one
// belongs: what the ask says; or what the server has, if that still fits it; or the one that is
// meant for its game version and loader.
func (p *parts) oneOf(c model.Crate, name string, facts map[string]string) (string, error) {
	group := c.Body.OneOf[name].Of
	var all, said, had, fit, any []string
	var ways []finding.Remedy
	for _, n := range slices.Sorted(maps.Keys(c.Body.OneOf)) {
		rival := c.Body.OneOf[n]
		if rival.Of != group {
			continue
		}
		all = append(all, fmt.Sprintf("%s (%s)", n, rival))
		ways = append(ways, finding.TakePart.With(n))
		fits, told := rival.For.Fits(facts)
		switch {
		case p.matches(p.without, c, n):
			continue
		case p.matches(p.with, c, n), slices.Contains(p.before[c.Key], n+bySaying):
			said = append(said, n)
		case told && !fits:
			continue
		case slices.Contains(p.before[c.Key], n):
			had = append(had, n)
		}
		if told {
			fit = append(fit, n)
		} else if rival.For == (rulebook.For{}) {
			any = append(any, n)
		}
	}
	if newly := slices.DeleteFunc(slices.Clone(said), func(n string) bool { return !p.matches(p.with, c, n) }); len(newly) > 0 {
		said = newly // instead of what was said before
	}
	if len(said) > 1 {
		return "", fault.New(fault.Usage, "bad-request", "of %s only one is taken: %s", group, strings.Join(said, " or "))
	}
	for _, list := range [][]string{said, had, fit, any} {
		if len(list) == 1 {
			return list[0], nil
		}
	}
	return "", fault.New(fault.Blocked, "choose-part", "%s comes in several forms, of which one is taken (%s): %s", c.Body.Label(), group, strings.Join(all, ", ")).
		WithMend("Say which, or say the server's game version or loader.").By(ways...)
}

// values gives the variables under which a crate's places are resolved: the
// server's, and over them those that the add-on has for itself. These are kept
// among the parts as NAME=VALUE.
func (p *parts) values(b *rulebook.Book, c model.Crate, server map[string]string, w *draft.Wanted) map[string]string {
	used := map[string]bool{}
	uses := func(text string) {
		for _, name := range rulebook.Placeholders(text) {
			used[name] = true
		}
	}
	for _, f := range c.Body.Files {
		if place, ok := b.Place(f.Place); ok {
			uses(place.Path)
		}
	}
	for _, l := range b.Lists {
		if l.Lists(c.Body.Kind) {
			uses(l.File + l.Entry)
		}
	}
	out := maps.Clone(server)
	for _, v := range b.Variables {
		if !v.PerAddon || !used[v.Name] {
			continue
		}
		value := cmp.Or(p.valued(p.with, c, v.Name), p.valued(p.before[c.Key], c, v.Name), server[v.Name], v.Default)
		out[v.Name] = value
		p.taken[c.Key] = append(p.taken[c.Key], v.Name+"="+value)
		w.Values = append(w.Values, draft.Value{Name: v.Name, Value: value})
	}
	return out
}

// valued finds NAME=VALUE or ADDON:NAME=VALUE in a list; empty where it is not there.
func (p *parts) valued(list []string, c model.Crate, name string) (value string) {
	for _, word := range list {
		if rest, of := ofAddon(word, c); of {
			if v, ok := strings.CutPrefix(rest, name+"="); ok {
				p.met[word], value = true, v
			}
		} else if v, ok := strings.CutPrefix(word, name+"="); ok {
			p.met[word], value = true, v
		}
	}
	return value
}

// ofAddon cuts the add-on off ADDON:PART; its name may hold a colon too.
func ofAddon(word string, c model.Crate) (rest string, ok bool) {
	for i, r := range word {
		if key := layout.Key(word[:i]); r == ':' && (key == c.Key || key == layout.Key(c.Body.Name)) {
			return word[i+1:], true
		}
	}
	return "", false
}

// matches tells whether a list names a part, as PART or ADDON:PART.
func (p *parts) matches(list []string, c model.Crate, name string) bool {
	found := false
	for _, word := range list {
		if part, of := ofAddon(word, c); word == name || of && part == name {
			p.met[word] = true
			found = true
		}
	}
	return found
}

// unknown refuses words that name no part of what is deployed.
func (p *parts) unknown() error {
	for _, word := range slices.Concat(p.with, p.without) {
		if p.met[word] {
			continue
		}
		f := fault.New(fault.Usage, "part-unknown", "nothing that is deployed has a part by choice %q", word)
		if name, _, value := strings.Cut(word, "="); value {
			f = fault.New(fault.Usage, "value-unknown", "nothing that is deployed has a variable %q of its own", name)
		}
		if len(p.known) > 0 {
			return f.WithMend("There is: %s.", strings.Join(p.known, ", "))
		}
		return f.WithMend("None of these crates has parts by choice.")
	}
	return nil
}
