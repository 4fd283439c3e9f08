package requests

import (
	"context"
	"maps"
	"path"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// Lists tells the draft which load lists the server has, and where what they name
// stands. A list whose path differs from add-on to add-on is told with these.
func Lists(b *rulebook.Book, srv model.Server, req *draft.Request) {
	req.Lists = append(req.Lists, ListsOf(b, srv)...)
}

// ListsOf gives the load lists of a server, but those that each add-on has for itself.
func ListsOf(b *rulebook.Book, srv model.Server) (out []draft.Listed) {
	for _, l := range b.Lists {
		list, at, err := l.On(b, shared(b, srv.Variables))
		if err != nil {
			continue // its path belongs to each add-on
		}
		listed := draft.Listed{Path: at, Name: l.Name, List: list, Whole: l.KeyWord(b) == "", Listless: listless(b, l), Elsewhere: elsewhere(b)}
		listed.Rules, listed.Proves = nameRules(b, l, srv.Variables)
		out = append(out, listed)
	}
	return out
}

// shared are a server's values without those that each add-on has for itself.
func shared(b *rulebook.Book, values map[string]string) map[string]string {
	out := maps.Clone(values)
	for _, v := range b.Variables {
		if v.PerAddon {
			delete(out, v.Name)
		}
	}
	return out
}

// nameRules finds, from how the listed kinds are put, where the names in a list come from.
// proves tells whether every name must come from there, so that one that does not names
// nothing: only where an entry is made from what lies on disk, and not from what a manifest
// says.
func nameRules(b *rulebook.Book, l rulebook.LoadList, values map[string]string) (rules []draft.NameRule, proves bool) {
	word := l.KeyWord(b)
	if !slices.Contains([]string{"name", "folder", "file"}, word) || len(l.Files) > 0 {
		return nil, false
	}
	proves = true
	for i := range b.Kinds {
		k := &b.Kinds[i]
		if !l.Lists(k.Name) || k.Listed != "" {
			continue
		}
		if word == "name" && len(k.ID)+len(k.NameIn) > 0 {
			proves = false // a folder may be called otherwise than its manifest says
			continue
		}
		told := false
		for _, r := range k.Rules {
			if r.Leave || r.Into != "" {
				continue
			}
			folder, err := b.Resolve(r.Place, shared(b, values))
			if err != nil { // in a folder of each add-on's own, such as its group's
				proves = false
				continue
			}
			if rule, ok := nameRule(b, k, r, word); ok {
				rule.Folder = folder
				rules, told = append(rules, rule), true
			}
		}
		proves = proves && told
	}
	return rules, proves && len(rules) > 0
}

// nameRule tells how a rule's files stand in their place, as far as an entry is made from
// that.
func nameRule(b *rulebook.Book, k *rulebook.Kind, r rulebook.Rule, word string) (draft.NameRule, bool) {
	whole := word == "file"
	switch {
	case word != "file" && strings.HasPrefix(r.As, "{name}/"), word == "folder" && strings.HasPrefix(r.As, "{path}"):
		return draft.NameRule{Folders: true}, true
	case word == "folder":
		return draft.NameRule{}, false
	case strings.HasPrefix(r.As, "{name}.") && !strings.ContainsAny(r.As[6:], "{/"):
		return draft.NameRule{Suffix: r.As[6:], Whole: whole}, true
	case r.As == "{file}" && len(k.Single) > 0 && path.Ext(k.Single[0]) != "":
		suffix := path.Ext(k.Single[0])
		rule := draft.NameRule{Suffix: suffix, Whole: whole}
		if !whole {
			rule.Name = func(base string) string {
				return b.Known.Tell(version.DropCounter(strings.TrimSuffix(base, suffix))).Name
			}
		}
		return rule, true
	}
	return draft.NameRule{}, false
}

// elsewhere tells whether a path is another place of the rulebook, or a folder on the way to
// one, such as a group folder among the folders of add-ons.
func elsewhere(b *rulebook.Book) func(tree.Path) bool {
	var patterns [][]string
	for _, p := range b.Places {
		text, err := rulebook.Fill(p.Path, func(string) (string, bool) { return "*", true })
		if err == nil {
			patterns = append(patterns, strings.Split(text, "/"))
		}
	}
	return func(p tree.Path) bool {
		steps := strings.Split(string(p), "/")
		return slices.ContainsFunc(patterns, func(pattern []string) bool {
			if len(pattern) < len(steps) {
				return false
			}
			for i, step := range steps {
				if ok, err := path.Match(pattern[i], step); err != nil || !ok {
					return false
				}
			}
			return true
		})
	}
}

// listless tells of names that the list may hold without a thing on disk: ids.
func listless(b *rulebook.Book, l rulebook.LoadList) func(string) bool {
	return func(name string) bool {
		return slices.ContainsFunc(b.Kinds, func(k rulebook.Kind) bool { return l.Lists(k.Name) && k.Takes(name) })
	}
}

// toggles checks that add-ons can be disabled or enabled: that they are named
// somewhere.
func (s *Maker) toggles(ctx context.Context, srv model.Server, b *rulebook.Book, names []string, off bool, req *draft.Request) (string, error) {
	verb := "enable"
	if off {
		verb = "disable"
	}
	for _, name := range names {
		key := layout.Key(name)
		if !req.Present[key] {
			return "", fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on this server", name).By(finding.ShowAddons.With())
		}
		if len(listedOn(req.Ledger, key)) == 0 {
			renamed, err := s.rename(ctx, srv, b, key, off, req)
			if err != nil {
				return "", err
			}
			if renamed {
				continue
			}
			return "", fault.New(fault.Conflict, "not-listed", "%s is named in no load list, so it cannot be %sd without taking it away", name, verb).WithMend("Remove it; a rollback brings it back.")
		}
		if others := allShared(req.Ledger, key, names); len(others) > 0 {
			return "", fault.New(fault.Conflict, "shared-entry", "%s has no entry of its own: %s would be %sd with it", name, words.Few(others), verb).WithMend("Name them all, or remove this one.")
		}
		req.Toggles = append(req.Toggles, draft.Toggle{Addon: key, Name: name, Off: off})
	}
	return verb + " " + words.Few(names), nil
}

// listedOn gives the entries of an add-on.
func listedOn(ledger map[tree.Path]draft.Row, key string) (out []draft.Listing) {
	for _, row := range ledger {
		for _, l := range row.Listed {
			if l.Addon == key {
				out = append(out, l)
			}
		}
	}
	return out
}
