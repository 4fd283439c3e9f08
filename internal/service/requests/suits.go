package requests

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/fit"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/needs"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// suiting finds out whether what an ask brings suits the server: each crate by the server's facts,
// and all of them by what add-ons need of one another.
type suiting struct {
	*Maker
	srv   model.Server
	book  *rulebook.Book
	facts map[string]string // of the server, as they will be
	all   []model.CrateFacts
}

// suits prepares that. crates are those that are wanted.
func (s *Maker) suits(ctx context.Context, srv model.Server, b *rulebook.Book, crates []model.Crate) (*suiting, error) {
	all, err := s.Records.CrateFacts(ctx, srv.Rulebook)
	out := &suiting{Maker: s, srv: srv, book: b, facts: srv.Known(), all: all}
	for _, c := range crates { // a loader that comes along is the one that the server will have
		starts := slices.ContainsFunc(b.Kinds, func(k rulebook.Kind) bool { return k.Name == c.Body.Kind && len(k.Starts) > 0 })
		if starts || b.IsLoader(c.Body.Name) {
			out.facts[fit.Loader], out.facts[fit.LoaderVersion] = c.Body.Name, c.Body.Version
		}
	}
	return out, err
}

// judge says how a wanted crate fits, and which of several builds it is.
func (s *suiting) judge(c model.Crate, w *draft.Wanted) {
	w.Fit = fit.Judge(fit.Told(s.book, c.Body.Facts), s.facts)
	builds := 0
	for _, o := range s.all {
		if o.Key == c.Key && o.Version == c.Body.Version && !o.Dropped && !o.Made {
			builds++
		}
	}
	if builds < 2 || w.Fit.State != fit.Fits {
		return
	}
	var for_ []string
	if folder, _ := c.Body.Build(); folder != "" {
		for_ = append(for_, "from the folder "+folder)
	}
	for _, f := range fit.Told(s.book, c.Body.Facts) {
		switch f.Kind {
		case rulebook.Game:
			for_ = append(for_, "for game version "+f.Range)
		case rulebook.Loader:
			for_ = append(for_, strings.TrimSpace("for "+f.Name+" "+f.Range))
		}
	}
	w.Build = fmt.Sprintf("of %d builds the one %s is taken; %s", builds, strings.Join(for_, ", "), s.runs())
}

// runs says what is known of the server, for a sentence.
func (s *suiting) runs() string {
	var has []string
	if game := s.facts[fit.Game]; game != "" {
		has = append(has, "game version "+game)
	}
	if loader := s.facts[fit.Loader]; loader != "" {
		has = append(has, strings.TrimSpace(loader+" "+s.facts[fit.LoaderVersion]))
	}
	return s.srv.Name + " has " + strings.Join(has, " and ")
}

// item is a crate as far as others are concerned.
func (s *suiting) item(c model.CrateFacts) *needs.Item {
	i := &needs.Item{ID: c.Digest.String(), Key: c.Key, Name: c.Name, Version: c.Version}
	i.Speaks(c.Facts, func(name string) bool { return s.book.IsGame(name) || s.book.IsLoader(name) })
	return i
}

func factsOf(c model.Crate) model.CrateFacts {
	return model.CrateFacts{Digest: c.Digest, Key: c.Key, Name: c.Body.Name, Version: c.Body.Version, Kind: c.Body.Kind, Facts: c.Body.Facts}
}

// installed are the add-ons on the server. Those that are disabled are marked so.
func (s *suiting) installed(ctx context.Context, req *draft.Request) ([]*needs.Item, error) {
	type there struct {
		crate tree.Digest
		label string
		off   bool
	}
	on := map[string]there{}
	for _, row := range req.Ledger {
		for _, l := range row.Listed {
			t := on[l.Addon]
			on[l.Addon] = there{crate: l.Crate, label: l.Label, off: t.off || l.Off}
		}
	}
	sums, err := s.Records.Sums(ctx, s.srv.ID)
	if err != nil {
		return nil, err
	}
	for _, sum := range sums { // what is placed says the version; the last is the newest
		on[sum.Addon] = there{crate: sum.Crate, label: sum.Label, off: on[sum.Addon].off}
	}
	tells := map[tree.Digest]model.CrateFacts{}
	for _, c := range s.all {
		tells[c.Digest] = c
	}
	var out []*needs.Item
	for key, t := range on {
		c, known := tells[t.crate]
		if !known {
			name, ver, _ := cutLabel(t.label)
			c = model.CrateFacts{Digest: t.crate, Name: name, Version: ver}
		}
		c.Key = key
		i := s.item(c)
		i.Off = t.off || s.offByName(c, req.Ledger)
		out = append(out, i)
	}
	slices.SortFunc(out, func(a, b *needs.Item) int { return strings.Compare(a.Key, b.Key) })
	return out, nil
}

// offByName tells whether an add-on is disabled by the names of its files, as far as the part of
// the ledger that was read tells.
func (s *suiting) offByName(c model.CrateFacts, ledger map[tree.Path]draft.Row) bool {
	how, ok, err := s.book.Renames(c.Kind, s.srv.Variables)
	if err != nil || !ok {
		return false
	}
	for p, row := range ledger {
		if how.Off(p) && slices.ContainsFunc(row.Claims, func(o draft.Claim) bool { return o.Addon == c.Key }) {
			return true
		}
	}
	return false
}

func cutLabel(label string) (name, ver string, ok bool) {
	i := strings.LastIndexByte(label, '@')
	if i < 0 {
		return label, "", false
	}
	return label[:i], label[i+1:], true
}

// change is what the request does to the server's add-ons.
func (s *suiting) change(ctx context.Context, crates []model.Crate, req *draft.Request) (needs.Change, error) {
	there, err := s.installed(ctx, req)
	if err != nil {
		return needs.Change{}, err
	}
	off := map[string]bool{}
	for _, i := range there {
		off[i.Key] = i.Off
	}
	ch := needs.Change{Installed: there}
	for _, t := range req.Touched { // what comes back by a rollback, in another version or again
		back := slices.IndexFunc(s.all, func(c model.CrateFacts) bool { return c.Digest == t.Crate })
		same := slices.ContainsFunc(there, func(i *needs.Item) bool { return i.Key == t.Addon && i.ID == t.Crate.String() })
		if t.Addon == "" || t.Gone || same || back < 0 {
			continue
		}
		c := s.all[back]
		c.Key = t.Addon
		i := s.item(c)
		i.Off = off[i.Key]
		ch.Wanted = append(ch.Wanted, i)
	}
	for _, c := range crates {
		i := s.item(factsOf(c))
		i.Off = off[i.Key] // what is disabled stays so over an update
		ch.Wanted = append(ch.Wanted, i)
	}
	for _, t := range req.Toggles {
		for _, i := range there {
			if i.Key == t.Addon {
				other := *i
				other.Off = t.Off
				ch.Wanted = append(ch.Wanted, &other)
			}
		}
	}
	ch.Going = func(key string) bool {
		return slices.ContainsFunc(req.Remove, func(r draft.Removal) bool { return r.Addon == key }) ||
			slices.ContainsFunc(req.Touched, func(t draft.Touched) bool { return t.Gone && t.Addon == key && key != "" })
	}
	return ch, nil
}

// staged are the crates that could be taken along: in the list, and fit for the server.
func (s *suiting) staged() (out []*needs.Item) {
	for _, c := range s.all {
		if !c.Dropped && !c.Made && !fit.Judge(fit.Told(s.book, c.Facts), s.facts).State.Bad() {
			out = append(out, s.item(c))
		}
	}
	return out
}

// along finds the crates that have to come along for what is wanted, with their own needs, and adds
// them to the ask.
func (s *Maker) along(ctx context.Context, srv model.Server, b *rulebook.Book, crates []model.Crate, ask *Ask, req *draft.Request) ([]model.Crate, error) {
	su, err := s.suits(ctx, srv, b, crates)
	if err != nil {
		return nil, err
	}
	ch, err := su.change(ctx, crates, req)
	if err != nil {
		return nil, err
	}
	ask.TakeNeeds = false                          // from now on they are asked for by themselves
	for _, i := range ch.Solve(su.staged()).Take { // where there is no way, the draft tells what is wrong
		c, err := s.Catalog.FindCrate(ctx, srv.Rulebook, i.ID)
		if err != nil {
			return nil, err
		}
		crates = append(crates, c)
		ask.Crates = append(ask.Crates, c.Body.Label()+"~"+c.Digest.String()[:12])
		ask.Along = append(ask.Along, c.Key)
	}
	return crates, nil
}

// company tells what is wrong between add-ons once all is done, and what would mend it.
func (s *Maker) company(ctx context.Context, srv model.Server, b *rulebook.Book, crates []model.Crate, ask Ask, req *draft.Request) error {
	su, err := s.suits(ctx, srv, b, crates)
	if err != nil {
		return err
	}
	ch, err := su.change(ctx, crates, req)
	if err != nil {
		return err
	}
	req.Company = draft.Company{Problems: ch.Problems(nil), Along: forWhom(ch, ask.Along), Requires: map[string][]string{}}
	for _, i := range ch.After(nil) {
		for _, w := range i.Needs {
			req.Company.Requires[i.Key] = append(req.Company.Requires[i.Key], layout.Key(w.Name))
		}
	}
	mendable := func(p needs.Problem) bool {
		return p.Sort == needs.Missing || p.Sort == needs.Unfit || p.Sort == needs.Conflict
	}
	if !slices.ContainsFunc(req.Company.Problems, mendable) {
		return nil
	}
	plan := ch.Solve(su.staged())
	req.Company.GaveUp = plan.GaveUp
	for _, w := range plan.Left {
		req.Company.Left = append(req.Company.Left, w.Name)
	}
	for _, i := range plan.Take {
		req.Company.Take = append(req.Company.Take, i.Label())
	}
	heard, err := s.Records.LastRollCall(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) { // it was never called
		return nil
	}
	for _, e := range heard.Roll.Entries {
		if e.Standing == rollcall.Unknown || e.Standing == rollcall.Loaded && !req.Present[e.Addon] {
			req.Company.Heard = append(req.Company.Heard, e.Addon)
		}
	}
	return err
}

// forWhom says for each add-on that comes along who needs it.
func forWhom(ch needs.Change, along []string) map[string]string {
	out := map[string]string{}
	for _, key := range along {
		for _, p := range needs.Needing(ch.After(nil), func(k string) bool { return k == key }) {
			out[key] = fmt.Sprintf("%s needs %s", p.Of.Label(), p.Want)
			break
		}
	}
	return out
}
