// Package promotion takes what was tried on one server to another: which add-ons differ, and which
// values of settings, of which a person chooses what goes along. What differs on purpose, such as a
// port, is remembered.
package promotion

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Records keeps what differs on purpose.
type Records interface {
	KeptApart(ctx context.Context, from, to int64) ([]model.Apart, error)
	KeepApart(ctx context.Context, from, to int64, a model.Apart, keep bool) error
}

// Addon is an add-on as a server has it.
type Addon struct {
	Key, Name, Version string
	Crate              tree.Digest
	Disabled           bool
}

// Known is a value of a text.
type Known struct {
	Path   string // its value path
	Value  string
	Secret bool
}

// Service is the use cases.
type Service struct {
	Records Records
	Find    func(ctx context.Context, server string) (model.Server, error)
	Book    func(ctx context.Context, rulebook string) (*rulebook.Book, error)
	Addons  func(ctx context.Context, server string) ([]Addon, error)
	// Texts are the settings texts of a server, by their paths, and Values those of one of them;
	// both look at the server.
	Texts  func(ctx context.Context, server string) ([]tree.Path, error)
	Values func(ctx context.Context, server string, p tree.Path) ([]Known, error)
}

// Promotion is what would go from one server to another.
type Promotion struct {
	From, To string
	Crates   []Addon // that the other one lacks, or has in another version
	Was      map[string]string
	Enable   []string
	Disable  []string
	Others   []Addon // that only the other one has
	Values   []Value
	Secrets  int // values that differ and are secret: they never go along
}

// Value is a value that reads otherwise on both.
type Value struct {
	Path     tree.Path
	At       string // its value path
	From, To string
	Apart    bool // it differs on purpose
}

func (s *Service) pair(ctx context.Context, from, to string) (a, b model.Server, err error) {
	if a, err = s.Find(ctx, from); err != nil {
		return a, b, err
	}
	if b, err = s.Find(ctx, to); err != nil {
		return a, b, err
	}
	switch {
	case a.ID == b.ID:
		err = fault.New(fault.Usage, "bad-request", "nothing is promoted from %s to itself", from)
	case a.Rulebook != b.Rulebook:
		err = fault.New(fault.Usage, "other-rulebook", "%s is a server of %s, and %s one of %s", from, a.Rulebook, to, b.Rulebook)
	}
	return a, b, err
}

// Look says what would go from one server to another. It looks at the settings of both.
func (s *Service) Look(ctx context.Context, from, to string, tell progress.Tell) (p Promotion, err error) {
	a, b, err := s.pair(ctx, from, to)
	if err != nil {
		return p, err
	}
	p = Promotion{From: from, To: to, Was: map[string]string{}}
	have, err := s.Addons(ctx, from)
	if err != nil {
		return p, err
	}
	there, err := s.Addons(ctx, to)
	if err != nil {
		return p, err
	}
	p.addons(have, there)
	book, err := s.Book(ctx, a.Rulebook)
	if err != nil {
		return p, err
	}
	apart, err := s.Records.KeptApart(ctx, a.ID, b.ID)
	if err != nil {
		return p, err
	}
	tell.Look("reading the settings of " + from + " and " + to)
	return p, s.values(ctx, &p, lists(book, a, b), apart)
}

// addons tells in which add-ons two servers differ.
func (p *Promotion) addons(have, there []Addon) {
	on := map[string]Addon{}
	for _, x := range there {
		on[x.Key] = x
	}
	for _, x := range have {
		y, is := on[x.Key]
		delete(on, x.Key)
		if !is || y.Crate != x.Crate {
			p.Crates = append(p.Crates, x)
			p.Was[x.Key] = y.Version
		}
		switch {
		case x.Disabled && !(is && y.Disabled):
			p.Disable = append(p.Disable, x.Name)
		case !x.Disabled && is && y.Disabled:
			p.Enable = append(p.Enable, x.Name)
		}
	}
	for _, y := range there {
		if _, left := on[y.Key]; left {
			p.Others = append(p.Others, y)
		}
	}
}

// lists are the texts in which load lists stand: deployments see to them.
func lists(b *rulebook.Book, servers ...model.Server) map[tree.Path][]rulebook.LoadList {
	out := map[tree.Path][]rulebook.LoadList{}
	for _, srv := range servers {
		for _, l := range b.Lists {
			file, err := rulebook.Fill(l.File, func(name string) (string, bool) { v, ok := srv.Variables[name]; return v, ok })
			if err == nil {
				out[tree.Path(file)] = append(out[tree.Path(file)], l)
			}
		}
	}
	return out
}

// values tells which values read otherwise in the texts that both have.
func (s *Service) values(ctx context.Context, p *Promotion, lists map[tree.Path][]rulebook.LoadList, apart []model.Apart) error {
	mine, err := s.Texts(ctx, p.From)
	if err != nil {
		return err
	}
	theirs, err := s.Texts(ctx, p.To)
	if err != nil {
		return err
	}
	both := slices.DeleteFunc(slices.Clone(mine), func(t tree.Path) bool { return !slices.Contains(theirs, t) })
	found := make([][]Value, len(both))
	secrets := make([]int, len(both))
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(4)
	for i, t := range both {
		g.Go(func() error {
			a, err := s.Values(gctx, p.From, t)
			if err != nil {
				return err
			}
			b, err := s.Values(gctx, p.To, t)
			if err != nil {
				return err
			}
			found[i], secrets[i] = differ(t, a, b)
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	for i, list := range found {
		p.Secrets += secrets[i]
		for _, v := range list {
			if listed(lists[v.Path], v) {
				continue
			}
			v.Apart = slices.ContainsFunc(apart, func(a model.Apart) bool { return a.Path == v.Path && a.Value == v.At })
			p.Values = append(p.Values, v)
		}
	}
	slices.SortFunc(p.Values, func(a, b Value) int {
		return cmp.Or(strings.Compare(string(a.Path), string(b.Path)), strings.Compare(a.At, b.At))
	})
	return nil
}

// listed tells whether a value is, or is part of, a load list.
func listed(lists []rulebook.LoadList, v Value) bool {
	return slices.ContainsFunc(lists, func(l rulebook.LoadList) bool {
		switch l.Form {
		case "json", "yaml":
			return v.At == l.At || strings.HasPrefix(v.At, l.At+"/")
		case "joined":
			return strings.Contains(l.Match, strings.TrimPrefix(v.At, "/"))
		}
		return true // a list of lines is nothing else
	})
}

// differ tells which values two texts have in common that read otherwise.
func differ(p tree.Path, a, b []Known) (out []Value, secrets int) {
	is := map[string]Known{}
	for _, v := range b {
		is[v.Path] = v
	}
	for _, v := range a {
		o, there := is[v.Path]
		switch {
		case !there || o.Value == v.Value && o.Secret == v.Secret:
		case v.Secret || o.Secret:
			secrets++
		default:
			out = append(out, Value{Path: p, At: v.Path, From: v.Value, To: o.Value})
		}
	}
	return out, secrets
}

// Keep remembers that a value differs between two servers on purpose, or no more.
func (s *Service) Keep(ctx context.Context, from, to string, a model.Apart, keep bool) error {
	x, y, err := s.pair(ctx, from, to)
	if err != nil {
		return err
	}
	if _, err := tree.ParsePath(string(a.Path)); err != nil || a.Value == "" {
		return fault.New(fault.Usage, "bad-request", "%q and %q name no value of a text", a.Path, a.Value).By(finding.ShowTexts.On(to))
	}
	return s.Records.KeepApart(ctx, x.ID, y.ID, a, keep)
}
