package insight

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/needs"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/model"
)

// Unfit is a newer version that is staged and does not fit the server.
type Unfit struct{ Version, Why string }

// told is what the crates of a rulebook tell.
type told struct {
	crates map[tree.Digest]*model.CrateFacts
	staged map[string][]*model.CrateFacts // by add-on
}

func factsOf(all []model.CrateFacts) told {
	out := told{make(map[tree.Digest]*model.CrateFacts, len(all)), map[string][]*model.CrateFacts{}}
	for i := range all {
		c := &all[i]
		if out.crates[c.Digest] = c; !c.Dropped && !c.Made {
			out.staged[c.Key] = append(out.staged[c.Key], c)
		}
	}
	return out
}

// suits tells of every add-on how it fits the server and which newer version that fits is staged,
// and what is wrong between them.
func (s *Service) suits(ctx context.Context, srv model.Server, b *rulebook.Book, told told, addons []Addon) ([]finding.Finding, error) {
	known := srv.Known()
	holds, err := s.Records.Holds(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	items := make([]*needs.Item, len(addons))
	for i := range addons {
		a := &addons[i]
		a.Hold = holds[a.Key]
		items[i] = &needs.Item{ID: a.Crate.String(), Key: a.Key, Name: a.Name, Version: a.Version, Off: a.Disabled}
		if c := told.crates[a.Crate]; c != nil {
			a.Fit = fit.Judge(fit.Told(b, c.Facts), known)
			items[i].Speaks(c.Facts, func(name string) bool { return b.IsGame(name) || b.IsLoader(name) })
		} else {
			a.Fit = fit.Verdict{State: fit.Unknown, Why: []string{"its crate is not recorded any more"}}
		}
		newer(a, told.staged[a.Key], b, known)
	}
	heard, err := s.strangers(ctx, srv)
	if err != nil {
		return nil, err
	}
	return companyOf(items, heard, func(w needs.Want) string { return bestOf(told.staged, w, b, known) }), nil
}

// newer finds the newest staged version that is newer than what is there: one that is not known to
// be wrong for the server, and beside it a newer one that is. Development builds count only where
// people want them, or where one is there already.
func newer(a *Addon, staged []*model.CrateFacts, b *rulebook.Book, known map[string]string) {
	best, worst := a.Version, a.Version
	development := a.Hold.Channel == model.Development || version.Development(a.Version)
	for _, c := range staged {
		if version.Compare(c.Version, best) <= 0 && version.Compare(c.Version, worst) <= 0 || version.Development(c.Version) && !development {
			continue
		}
		if v := fit.Judge(fit.Told(b, c.Facts), known); v.State.Bad() {
			if version.Compare(c.Version, worst) > 0 {
				worst, a.NewerUnfit = c.Version, &Unfit{c.Version, v.String()}
			}
		} else if version.Compare(c.Version, best) > 0 {
			best, a.Newer, a.newest = c.Version, c.Version, c.Digest
		}
	}
	if a.NewerUnfit != nil && version.Compare(a.NewerUnfit.Version, best) <= 0 {
		a.NewerUnfit = nil // something newer fits
	}
}

// bestOf is the newest staged crate that a need takes and that fits the server; empty where there
// is none.
func bestOf(staged map[string][]*model.CrateFacts, w needs.Want, b *rulebook.Book, known map[string]string) string {
	var best *model.CrateFacts
	for key, list := range staged {
		for _, c := range list {
			if key != layout.Key(w.Name) && layout.Key(c.Name) != layout.Key(w.Name) || !w.Takes(c.Version) || fit.Judge(fit.Told(b, c.Facts), known).State.Bad() {
				continue
			}
			if best == nil || version.Compare(c.Version, best.Version) > 0 {
				best = c
			}
		}
	}
	if best == nil {
		return ""
	}
	return best.Name + "@" + best.Version
}

// strangers are the add-ons of which the server said at the last roll call that they loaded: the
// ledger need not know them.
func (s *Service) strangers(ctx context.Context, srv model.Server) (map[string]bool, error) {
	call, err := s.Records.LastRollCall(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return nil, nil
	}
	out := map[string]bool{}
	for _, e := range call.Roll.Entries {
		if e.Standing == rollcall.Unknown || e.Standing == rollcall.Loaded {
			out[layout.Key(e.Addon)] = true
		}
	}
	return out, err
}

// companyOf says what is wrong between the add-ons that are on a server.
func companyOf(items []*needs.Item, heard map[string]bool, best func(needs.Want) string) (out []finding.Finding) {
	say := func(code string, p needs.Problem, format string, args ...any) *finding.Finding {
		out = append(out, finding.Finding{Level: finding.Warn, Code: code, Path: tree.Path(p.Of.Name), What: fmt.Sprintf(format, args...)})
		return &out[len(out)-1]
	}
	offer := func(f *finding.Finding, w needs.Want) {
		if crate := best(w); crate != "" {
			f.Mend = crate + " is staged."
			f.By(finding.Deploy.With(crate))
		}
	}
	for _, p := range needs.Check(items) {
		of := p.Of.Label()
		switch p.Sort {
		case needs.Missing:
			if !heard[layout.Key(p.Want.Name)] {
				offer(say("need-missing", p, "%s needs %s, which is not among what was deployed.", of, p.Want), p.Want)
			}
		case needs.Unfit:
			offer(say("need-unfit", p, "%s needs %s, and %s is there.", of, p.Want, p.With.Label()), p.Want)
		case needs.Disabled:
			say("need-disabled", p, "%s needs %s, which is disabled.", of, p.Want).By(finding.EnableAddon.With(p.With.Name))
		case needs.Conflict:
			say("does-not-go-with", p, "%s says that it does not go together with %s, and %s is there.", of, p.Want, p.With.Label())
		case needs.Replaced:
			say("replaces", p, "%s says that it takes the place of %s, and %s is there.", of, p.Want, p.With.Label())
		}
	}
	slices.SortStableFunc(out, func(a, b finding.Finding) int { return strings.Compare(string(a.Path), string(b.Path)) })
	return out
}

// CrateFit is how a crate fits one server.
type CrateFit struct {
	Server string
	fit.Verdict
}

// Fits tells how crates fit the servers of their rulebooks.
func (s *Service) Fits(ctx context.Context) (func(rulebook string, told []layout.Fact) []CrateFit, error) {
	servers, err := s.Records.Servers(ctx)
	if err != nil {
		return nil, err
	}
	books := map[string]*rulebook.Book{}
	for _, srv := range servers {
		if books[srv.Rulebook] == nil {
			if books[srv.Rulebook], _, err = s.Books.Book(ctx, srv.Rulebook); err != nil {
				return nil, err
			}
		}
	}
	return func(rulebook string, told []layout.Fact) (out []CrateFit) {
		for _, srv := range servers {
			if srv.Rulebook == rulebook {
				out = append(out, CrateFit{srv.Name, fit.Judge(fit.Told(books[rulebook], told), srv.Known())})
			}
		}
		return out
	}, nil
}
