package requests

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/words"
)

// renewals reads which data places are renewed: set aside, or left and begun under
// another name, PLACE=NAME. It gives the server as it is with the new names.
func (s *Maker) renewals(b *rulebook.Book, srv model.Server, ask Ask, req *draft.Request) (model.Server, error) {
	srv.Variables = maps.Clone(srv.Variables)
	for _, word := range ask.Renew {
		name, to, named := strings.Cut(word, "=")
		p, ok := b.Place(name)
		if !ok || !p.Data {
			return srv, fault.New(fault.Usage, "bad-place", "%q is no place that the server writes", name).WithMend("Those are: %s.", dataPlaces(b))
		}
		folder, err := b.Resolve(name, srv.Variables)
		if err != nil {
			return srv, err
		}
		if !named {
			req.Renew = append(req.Renew, draft.DataFolder{Path: folder, Why: "it is renewed, as you wish"})
			continue
		}
		words := rulebook.Placeholders(p.Path)
		if len(words) != 1 {
			return srv, fault.New(fault.Usage, "no-name", "the path of %s, %s, holds no name that could be another one", name, p.Path).WithMend("Have it set aside instead.").By(finding.Renew.With(name))
		}
		set := draft.Set{Variable: words[0], Before: ValueOf(b, srv, words[0]), After: to, Why: "a new " + words[0] + " is begun, as you wish"}
		if to == set.Before {
			return srv, fault.New(fault.Usage, "same-name", "%s is called %q already", words[0], to).WithMend("Give another name, or have it set aside.").By(finding.Renew.With(name))
		}
		before := maps.Clone(srv.Variables)
		srv.Variables[set.Variable] = to
		if err := b.CheckValue(set.Variable, to); err != nil {
			return srv, fault.New(fault.Usage, "bad-value", "%v", err)
		}
		if err := Holder(b, srv, &set); err != nil {
			return srv, err
		}
		req.Sets = append(req.Sets, set)
		anew := draft.NewName{From: folder}
		if anew.To, err = b.Resolve(name, srv.Variables); err != nil {
			return srv, err
		}
		if anew.Stay, err = leftBehind(b, before, srv.Variables, req.Ledger, ask); err != nil {
			return srv, err
		}
		req.NewNames = append(req.NewNames, anew)
	}
	return srv, nil
}

// ofServer parts what is asked for with NAME=VALUE: the server's own values, and what each
// add-on has for itself.
func ofServer(b *rulebook.Book, ask *Ask) {
	var with []string
	for _, word := range ask.With {
		name, _, pair := strings.Cut(word, "=")
		if v, known := b.Variable(name); pair && known && !v.PerAddon {
			ask.Set = append(ask.Set, word)
		} else {
			with = append(with, word)
		}
	}
	ask.With = with
}

// ofNone says why words that concern add-ons make no draft where none is named.
func ofNone(b *rulebook.Book, with []string) error {
	for _, word := range with {
		name, _, pair := strings.Cut(word, "=")
		if _, known := b.Variable(name); pair && !known {
			return fault.New(fault.Usage, "bad-variables", "%s", b.UnknownVariable(name))
		}
	}
	return fault.New(fault.Usage, "bad-request", "%s is a choice for add-ons, and none is named", words.Few(with)).WithMend("Name the crates that it is for.")
}

// values reads which of the server's own values are changed. It gives the server as it is
// with them.
func values(b *rulebook.Book, srv model.Server, ask *Ask, req *draft.Request) (model.Server, error) {
	srv.Variables = maps.Clone(srv.Variables)
	for _, word := range ask.Set {
		name, to, _ := strings.Cut(word, "=")
		set := draft.Set{Variable: name, Before: ValueOf(b, srv, name), After: to, Why: name + " is changed, as you wish"}
		if slices.ContainsFunc(req.Sets, func(s draft.Set) bool { return s.Variable == name }) {
			return srv, fault.New(fault.Usage, "bad-request", "%s is asked for twice", name)
		}
		if err := b.CheckValue(name, to); err != nil {
			return srv, fault.New(fault.Usage, "bad-value", "%v", err)
		}
		before := maps.Clone(srv.Variables)
		srv.Variables[name] = to
		if err := Holder(b, srv, &set); err != nil {
			return srv, err
		}
		var err error
		if set.Stay, err = leftBehind(b, before, srv.Variables, req.Ledger, *ask); err != nil {
			return srv, err
		}
		req.Sets = append(req.Sets, set)
	}
	return srv, nil
}

// leftBehind lists the add-ons that lie in places whose path becomes another one.
func leftBehind(b *rulebook.Book, before, after map[string]string, ledger map[tree.Path]draft.Row, ask Ask) (out []string, err error) {
	for _, p := range b.Places {
		from, err := b.Resolve(p.Name, before)
		if err != nil {
			continue // its path belongs to each add-on
		}
		to, err := b.Resolve(p.Name, after)
		if err != nil {
			return nil, err
		}
		if from == to {
			continue
		}
		for path, row := range ledger {
			for _, c := range row.Claims {
				name, _, _ := strings.Cut(c.Label, "@")
				wanted := slices.ContainsFunc(ask.Crates, func(w string) bool { return w == name || strings.HasPrefix(w, name+"@") })
				if path.Within(from) && !wanted && !slices.Contains(out, c.Label) {
					out = append(out, c.Label)
				}
			}
		}
	}
	slices.Sort(out)
	return out, nil
}

// ValueOf is a variable's value on a server.
func ValueOf(b *rulebook.Book, srv model.Server, name string) string {
	if v := srv.Variables[name]; v != "" {
		return v
	}
	v, _ := b.Variable(name)
	return v.Default
}

// Holder finds out what holds a variable's value: a text or a person's hands. What
// the server's control holds is known to the draft.
func Holder(b *rulebook.Book, srv model.Server, set *draft.Set) error {
	v, _ := b.Variable(set.Variable)
	var err error
	switch {
	case v.SetIn != nil:
		var text string
		text, err = rulebook.Fill(v.SetIn.File, func(name string) (string, bool) { v, ok := srv.Variables[name]; return v, ok })
		if err == nil {
			set.Path, err = tree.ParsePath(text)
		}
		if err != nil {
			return fmt.Errorf("the text that holds %s: %w", set.Variable, err)
		}
		set.List = settings.List{Form: settings.ValueForm, Match: v.SetIn.Match}
	case v.ByHand != "":
		set.Hand = v.ByHand
		set.Check, err = checkOf(b, v.HandCheck, srv.Variables)
		if err != nil {
			return err
		}
	case set.Variable == rulebook.Program:
		set.Hand = "Set the program file that the server is started with."
	}
	return nil
}

// launches gives the starts that install a wanted loader.
func launches(b *rulebook.Book, srv model.Server, req *draft.Request) error {
	for _, w := range req.Wanted {
		i := slices.IndexFunc(b.Kinds, func(k rulebook.Kind) bool { return k.Name == w.Effect.Kind })
		if i < 0 || len(b.Kinds[i].Starts) == 0 {
			continue
		}
		if len(req.Launches) > 0 {
			return fault.New(fault.Usage, "two-loaders", "%s and %s are each installed by starting the server", req.Launches[0].Label, w.Label()).WithMend("Deploy the two one after the other.")
		}
		for _, st := range b.Kinds[i].Starts {
			program, err := rulebook.Fill(st.Program, func(name string) (string, bool) {
				switch name {
				case "name":
					return w.Name, true
				case "version":
					return w.Version, true
				}
				v := ValueOf(b, srv, name)
				return v, v != ""
			})
			if err != nil {
				return fault.New(fault.Conflict, "bad-start", "rulebook %s: a start of %s: %v", b.Name, w.Label(), err)
			}
			req.Launches = append(req.Launches, draft.Launch{Program: program, Ends: st.Ends, Label: w.Label()})
		}
		set := draft.Set{Variable: rulebook.Program, Before: ValueOf(b, srv, rulebook.Program), After: req.Launches[len(req.Launches)-1].Program, Addon: w.Addon, Why: w.Label() + " is started by it"}
		if err := Holder(b, srv, &set); err != nil {
			return err
		}
		req.Sets = append(req.Sets, set)
	}
	return nil
}

// setBy tells which variables go back with a rollback: those that one deployment has
// set, or all after one. last is the deployment that goes back where none is named.
func (b *Back) setBy(last string) func(model.Deployment, draft.Set) bool {
	return func(d model.Deployment, set draft.Set) bool {
		if b.Path != tree.Root || b.Addon != "" && set.Addon != layout.Key(b.Addon) {
			return false
		}
		switch {
		case b.To != nil:
			return d.Number > *b.To
		case b.Deployment != 0:
			return d.Number == b.Deployment
		}
		return d.Name() == last
	}
}

// setsBack wants variables back that deployments have set. Of those that a later one
// has set to something else nothing comes back. Where a rollback takes them back,
// the texts that hold them go back with the deployments' own edits.
func (s *Maker) setsBack(ctx context.Context, srv model.Server, book *rulebook.Book, chosen func(model.Deployment, draft.Set) bool, req *draft.Request) error {
	settable := slices.ContainsFunc(book.Variables, func(v rulebook.Variable) bool {
		return v.SetIn != nil || v.ByHand != "" || v.Name == rulebook.Program
	})
	if !settable {
		return nil
	}
	done, err := s.Records.Deployments(ctx, srv.Name, 0, -1)
	if err != nil {
		return err
	}
	now := map[string]string{}
	var order []string
	for _, d := range done { // the newest first
		if d.State != model.Done {
			continue
		}
		for _, set := range d.Draft.Sets {
			if !chosen(d, set) {
				continue
			}
			value, known := now[set.Variable]
			if !known {
				value = ValueOf(book, srv, set.Variable)
			}
			if value != set.After {
				continue
			}
			if !known {
				order = append(order, set.Variable)
			}
			now[set.Variable] = set.Before
		}
	}
	for _, name := range order {
		set := draft.Set{Variable: name, Before: ValueOf(book, srv, name), After: now[name], Why: "as it was before"}
		if set.Before == set.After {
			continue
		}
		if err := Holder(book, srv, &set); err != nil {
			return err
		}
		req.Sets = append(req.Sets, set)
	}
	return nil
}

// Written is a place of a server that the server itself writes: a world, what its
// players own.
type Written struct {
	Place, Path string
	Variable    string // that its path holds and that names it; empty where there is none
	Value       string // of the variable
}

// Writes lists what a server writes itself, as far as one path is known of it.
func Writes(b *rulebook.Book, srv model.Server) (out []Written) {
	for _, p := range b.Places {
		folder, err := b.Resolve(p.Name, srv.Variables)
		if !p.Data || err != nil {
			continue // its path belongs to each add-on
		}
		w := Written{Place: p.Name, Path: string(folder)}
		if words := rulebook.Placeholders(p.Path); len(words) == 1 {
			w.Variable, w.Value = words[0], ValueOf(b, srv, words[0])
		}
		out = append(out, w)
	}
	return out
}
