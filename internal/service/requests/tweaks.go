package requests

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// AskTweak is a change of a text that shall hold.
type AskTweak struct {
	Path  tree.Path   `json:"path"`
	Tweak tweak.Tweak `json:"tweak"`
	For   string      `json:"for,omitempty"`  // an add-on with which it goes
	If    string      `json:"if,omitempty"`   // an add-on without which it is not done
	From  string      `json:"from,omitempty"` // what the value is made from, see [valueFrom]
	Note  string      `json:"note,omitempty"`
	// Template is the name of a template of the rulebook that is made, with With for its
	// placeholders; Path and Tweak are made from it.
	Template string            `json:"template,omitempty"`
	With     map[string]string `json:"with,omitempty"`
}

// AskText is a text that a person has edited as a whole: what they began with, and what they
// made of it.
type AskText struct {
	Path tree.Path `json:"path"`
	Was  []byte    `json:"was"`
	Now  []byte    `json:"now"`
	Note string    `json:"note,omitempty"`
}

// texts reads which texts were edited as a whole.
func (s *Maker) texts(b *rulebook.Book, ask *Ask, req *draft.Request) (titles []string, err error) {
	for _, t := range ask.Texts {
		if t.Path == tree.Root {
			return nil, fault.New(fault.Usage, "bad-request", "an edited text needs its path on the server")
		}
		if len(t.Was) > draft.LongestMerge || len(t.Now) > draft.LongestMerge {
			return nil, fault.New(fault.Usage, "too-long", "%s is longer than %s; such a text is not edited as a whole", t.Path, words.Size(draft.LongestMerge)).WithMend("Change single values of it.")
		}
		format := text.Guess(t.Path.Base(), t.Now)
		if r, ok := b.TextRule(t.Path); ok && r.Format != "" {
			format = r.Format
		}
		req.Puts = append(req.Puts, draft.TextPut{Path: t.Path, Format: format, Was: t.Was, Now: t.Now, Note: t.Note})
		titles = append(titles, "edit "+string(t.Path))
	}
	return titles, nil
}

// tweaks reads which texts are changed and which changes are taken back. It gives a title for
// a deployment that is nothing else.
func (s *Maker) tweaks(ctx context.Context, b *rulebook.Book, srv model.Server, ask *Ask, req *draft.Request, mark func(p tree.Path, at string) error) (string, error) {
	titles, err := s.texts(b, ask, req)
	if err != nil {
		return "", err
	}
	swapped, err := s.swaps(ctx, srv, ask, req)
	if err != nil {
		return "", err
	}
	titles = append(titles, swapped...)
	for _, m := range ask.Moves {
		titles = append(titles, fmt.Sprintf("%s is called %s", m.From, m.To.Base()))
	}
	var versions map[string]string
	if len(ask.Tweaks) > 0 {
		if versions, err = s.versions(ctx, srv, req); err != nil {
			return "", err
		}
	}
	said := map[string]int{} // in how many texts the same is done
	for i := range ask.Tweaks {
		t := &ask.Tweaks[i]
		if t.Template != "" {
			if err := templated(b, srv, t, versions); err != nil {
				return "", err
			}
		}
		if t.Path == tree.Root {
			return "", fault.New(fault.Usage, "bad-tweak", "a tweak needs the path of a text on the server")
		}
		if t.From != "" {
			if t.Tweak.Value, err = valueFrom(b, srv, t.From, versions); err != nil {
				return "", fault.New(fault.Usage, "bad-tweak", "%s: %v", t.Path, err)
			}
		}
		if err := hide(t, req.Secret, mark); err != nil {
			return "", err
		}
		if err := t.Tweak.Check(); err != nil {
			return "", fault.New(fault.Usage, "bad-tweak", "%s: %v", t.Path, err)
		}
		outer, inside, _ := strings.Cut(string(t.Path), "!/")
		at := req.Moves.New(tree.Path(outer))
		k := draft.Tweaked{Tweak: t.Tweak, Inside: inside, Note: t.Note, From: t.From}
		if r, ok := b.TextRule(t.Path); ok && k.Tweak.Format == "" {
			k.Tweak.Format = r.Format
		}
		for name, to := range map[string]*string{t.For: &k.Addon, t.If: &k.If} {
			if name != "" {
				*to = layout.Key(name)
			}
		}
		if k.Addon != "" && !there(req, k.Addon) {
			return "", fault.New(fault.Usage, "no-such-addon", "%s is not on %s, so a tweak cannot go with it", t.For, srv.Name).By(finding.ShowAddons.On(srv.Name))
		}
		k.ID = draft.TweakID(t.Path, k.Tweak)
		req.Tweaks = append(req.Tweaks, draft.TweakWish{Path: at, Tweaked: k, Instead: instead(req.Ledger[at], k)})
		said[t.Tweak.String()]++
	}
	for _, t := range ask.Tweaks {
		switch what := t.Tweak.String(); said[what] {
		case 0: // told already
		case 1:
			titles = append(titles, fmt.Sprintf("%s: it %s", t.Path, what))
		default:
			titles = append(titles, fmt.Sprintf("in %d texts it %s", said[what], what))
			delete(said, what)
		}
	}
	for _, id := range ask.Untweak {
		p, k, ok := tweakedIn(req.Ledger, id)
		if !ok {
			return "", fault.New(fault.Unknown, "no-such-tweak", "no tweak of %s is called %q", srv.Name, id).By(finding.ShowTweaks.On(srv.Name))
		}
		req.Untweak = append(req.Untweak, k.ID)
		titles = append(titles, fmt.Sprintf("take back %s of %s", k.ID, p))
	}
	return words.Few(titles), nil
}

// hide makes a tweak one whose value is not shown where that is a secret, or is drawn from one:
// then the text that it is written to holds a secret too, and is marked.
func hide(t *AskTweak, secret func(tree.Path, string) bool, mark func(p tree.Path, at string) error) error {
	is := func(p tree.Path, at string) bool { return text.SecretPath(at) || secret(p, at) }
	t.Tweak.Hidden = t.Tweak.Hidden || is(t.Path, t.Tweak.At)
	for _, from := range draft.Sources(t.From) {
		t.Tweak.Hidden = t.Tweak.Hidden || is(from.Path, from.At)
	}
	if t.Tweak.Hidden && !is(t.Path, t.Tweak.At) && t.Tweak.At != "" {
		return mark(t.Path, t.Tweak.At)
	}
	return nil
}

// instead gives the tweak that sets the same value already, in whose place a new one comes.
func instead(row draft.Row, k draft.Tweaked) string {
	for _, o := range row.Tweaks {
		if k.Tweak.Do == tweak.Begin && o.Tweak.Do == tweak.Begin && o.ID != k.ID || k.Tweak.Do == tweak.Set && o.Tweak.Do == tweak.Set && o.Tweak.At == k.Tweak.At && o.If == k.If && o.Inside == k.Inside && o.ID != k.ID {
			return o.ID
		}
	}
	return ""
}

// kindTweaks adds the changes of texts that the rulebook says each wanted add-on needs.
func (s *Maker) kindTweaks(b *rulebook.Book, srv model.Server, c model.Crate, req *draft.Request) error {
	i := slices.IndexFunc(b.Kinds, func(k rulebook.Kind) bool { return k.Name == c.Body.Kind })
	if i < 0 {
		return nil
	}
	known := srv.Known()
	fill := func(text string) (string, error) {
		return rulebook.Fill(text, func(word string) (string, bool) {
			if v, ok := reloaded(c.Body, word); ok {
				return v, true
			}
			if told := c.Body.Tells[word]; len(told) > 0 {
				return told[0], true
			}
			v := cmp.Or(ValueOf(b, srv, word), known[word])
			return v, v != ""
		})
	}
	for _, t := range b.Kinds[i].Tweaks {
		tw, file, err := t.Tweak(b, fill)
		if err == nil {
			err = tw.Check()
		}
		p, bad := tree.ParsePath(file)
		if err == nil {
			err = bad
		}
		if err != nil {
			return fault.New(fault.Conflict, "bad-tweak", "rulebook %s: a tweak for %s: %v", b.Name, c.Body.Label(), err)
		}
		if r, ok := b.TextRule(p); ok {
			tw.Format = r.Format
		}
		k := draft.Tweaked{Tweak: tw, Addon: c.Key, Ruled: true, Note: c.Body.Name + " needs it"}
		k.ID = draft.TweakID(p, tw)
		req.Tweaks = append(req.Tweaks, draft.TweakWish{Path: p, Tweaked: k, Instead: instead(req.Ledger[p], k)})
	}
	return nil
}

// there tells whether an add-on is on the server or comes with the request.
func there(req *draft.Request, addon string) bool {
	return req.Present[addon] || slices.ContainsFunc(req.Wanted, func(w draft.Wanted) bool { return w.Addon == addon })
}

func tweakedIn(ledger map[tree.Path]draft.Row, id string) (tree.Path, draft.Tweaked, bool) {
	for p, row := range ledger {
		for _, k := range row.Tweaks {
			if k.ID == id || strings.TrimPrefix(k.ID, "t-") == id {
				return p, k, true
			}
		}
	}
	return tree.Root, draft.Tweaked{}, false
}

// counts says of every text that a tweak changes when that counts.
func (s *Maker) counts(b *rulebook.Book, req *draft.Request) {
	paths := map[tree.Path]bool{}
	for _, t := range req.Tweaks {
		paths[t.Path] = true
	}
	for _, t := range req.Puts {
		paths[t.Path] = true
	}
	for _, t := range req.Swaps {
		paths[t.Path] = true
	}
	for _, id := range req.Untweak {
		if p, _, ok := tweakedIn(req.Ledger, id); ok {
			paths[p] = true
		}
	}
	for _, p := range slices.Sorted(maps.Keys(paths)) {
		r, _ := b.TextRule(p)
		req.Touched = append(req.Touched, draft.Touched{Label: string(p), Effect: draft.Effect{When: r.TakesEffect, Reload: r.Reload}})
	}
}

// renewed asks anew for every tweak whose value comes from something that has changed since.
func (s *Maker) renewed(ctx context.Context, b *rulebook.Book, srv model.Server, req *draft.Request) error {
	texts := draft.TweakedTexts(req.Ledger)
	if len(texts) == 0 {
		return nil
	}
	versions, err := s.versions(ctx, srv, req)
	if err != nil {
		return err
	}
	req.Templates = map[string]string{}
	for _, p := range texts {
		for _, k := range req.Ledger[p].Tweaks {
			if k.From == "" || slices.Contains(req.Untweak, k.ID) || k.Addon != "" && slices.ContainsFunc(req.Remove, func(r draft.Removal) bool { return r.Addon == k.Addon }) {
				continue
			}
			value, err := valueFrom(b, srv, k.From, versions)
			if len(draft.Sources(k.From)) > 0 { // the rest of it stands in texts
				if err == nil {
					req.Templates[k.ID] = value
				}
				continue
			}
			if err != nil || value == k.Tweak.Value {
				continue // what it comes from is gone: the value stays
			}
			was := k
			k.Tweak.Value = value
			k.ID, k.Undo = draft.TweakID(p, k.Tweak), nil
			k.Note = fmt.Sprintf("%s is %s now", k.From, value)
			req.Tweaks = append(req.Tweaks, draft.TweakWish{Path: p, Tweaked: k, Instead: was.ID})
		}
	}
	return nil
}

var source = regexp.MustCompile(`\{[a-z0-9-]+\}`)

// valueFrom fills what a value is made from: {NAME} is a variable of the server, {game},
// {loader} and other facts what is known of it, and {version-of-ADDON} the version of an
// add-on that is there or comes. What is drawn from texts stays as it is: it is known once
// these have been read, see [draft.Sources].
func valueFrom(b *rulebook.Book, srv model.Server, from string, versions map[string]string) (string, error) {
	var wrong error
	out := source.ReplaceAllStringFunc(from, func(word string) string {
		name := word[1 : len(word)-1]
		if addon, of := strings.CutPrefix(name, "version-of-"); of {
			if v := versions[layout.Key(addon)]; v != "" {
				return v
			}
			wrong = fmt.Errorf("%s is not on %s, so it has no version", addon, srv.Name)
			return ""
		}
		if v := srv.Known()[name]; v != "" {
			return v
		}
		if _, known := b.Variable(name); known {
			if v := ValueOf(b, srv, name); v != "" {
				return v
			}
		}
		wrong = fmt.Errorf("nothing is known of %s on %s", word, srv.Name)
		return ""
	})
	return out, wrong
}

// versions gives the version of each add-on that is there, or comes with the request.
func (s *Maker) versions(ctx context.Context, srv model.Server, req *draft.Request) (map[string]string, error) {
	sums, err := s.Records.Sums(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, sum := range sums { // the newest of an add-on comes last
		if i := strings.LastIndexByte(sum.Label, '@'); i >= 0 {
			out[sum.Addon] = sum.Label[i+1:]
		}
	}
	for _, w := range req.Wanted {
		out[w.Addon] = w.Version
	}
	return out, nil
}

// kept reads what was decided where both sides changed the same: PATH:KEY, and PATH alone for
// all of a text. What was decided once holds until it is decided otherwise.
func (s *Maker) kept(ctx context.Context, srv model.Server, now map[string]merge.Side, req *draft.Request) error {
	keep, err := s.Records.KeptSides(ctx, srv.ID)
	if err != nil {
		return err
	}
	maps.Copy(keep, now)
	for word, side := range keep {
		if side != merge.Mine && side != merge.Theirs {
			return fault.New(fault.Usage, "bad-keep", "%q is kept of %s; it is %s or %s", side, word, merge.Mine, merge.Theirs)
		}
		path, key, named := strings.Cut(word, ":")
		if !named {
			key = merge.Everywhere
		}
		p, err := tree.ParsePath(path)
		if err != nil {
			return fault.New(fault.Usage, "bad-keep", "%q: %v", word, err).WithMend("Write PATH:KEY, as the finding has it.")
		}
		if req.Keep == nil {
			req.Keep = map[tree.Path]map[string]merge.Side{}
		}
		if req.Keep[p] == nil {
			req.Keep[p] = map[string]merge.Side{}
		}
		req.Keep[p][key] = side
	}
	return nil
}
