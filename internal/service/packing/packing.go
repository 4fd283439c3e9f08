// Package packing tells players what they need for a server: a list out of what is really deployed,
// at an address that nobody can guess, with the files where their licences allow that.
package packing

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	core "restlesscrate/internal/core/packing"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Records is what has to be known.
type Records interface {
	Packlist(ctx context.Context, server int64) (model.Packlist, error)
	PacklistByLink(ctx context.Context, link string) (model.Packlist, error)
	SavePacklist(ctx context.Context, p model.Packlist) error
	PacklistStates(ctx context.Context, server int64) ([]model.PacklistState, error)
	AddPacklistState(ctx context.Context, server int64, s model.PacklistState) error
	ServerByID(ctx context.Context, id int64) (model.Server, error)
	Sums(ctx context.Context, server int64) ([]model.Sum, error)
	CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error)
	Crates(ctx context.Context, rulebook, addon string, before int64, limit int) ([]model.Crate, error)
	Oddities(ctx context.Context, rulebook string) ([]model.Oddity, error)
}

// Service is the use cases.
type Service struct {
	Records Records
	Find    func(ctx context.Context, server string) (model.Server, error)
	Book    func(ctx context.Context, rulebook string) (*rulebook.Book, error)
	Key     func(ctx context.Context, rulebook, addon string) (string, error)
	Open    func(ctx context.Context, d tree.Digest) (io.ReadCloser, error)
	Seal    func([]byte) ([]byte, error)
	Unseal  func([]byte) ([]byte, error)
	Keyed   func(purpose, secret string) string
	// Counter changes whenever what lists are made of does.
	Counter func(ctx context.Context) (int64, error)

	mu   sync.Mutex
	made map[int64]made // what players were told last, by the server
}

// made is a list as players see it, and of which state of the records.
type made struct {
	counter int64
	list    List
}

// Purpose is for which addresses of lists are hashed.
const Purpose = "packing list"

// List is what players are told.
type List struct {
	Server   string
	Title    string
	Words    string
	Game     string // its title and version
	Join     string // host:port, where that is known
	Entries  []core.Entry
	Oddities []string
	Since    time.Time // what it says is so since then
	Before   time.Time // when the list before it was made; zero for none
	Changes  []core.Change
	Link     string // what its address holds; empty for none, and for players
}

// Of makes the list of a server, as a person who is signed in sees it.
func (s *Service) Of(ctx context.Context, server string) (List, error) {
	srv, err := s.Find(ctx, server)
	if err != nil {
		return List{}, err
	}
	p, err := s.Records.Packlist(ctx, srv.ID)
	if err != nil {
		return List{}, err
	}
	l, err := s.list(ctx, srv, p)
	if err == nil && len(p.Secret) > 0 {
		var raw []byte
		raw, err = s.Unseal(p.Secret)
		l.Link = string(raw)
	}
	return l, err
}

// ErrNoList is returned for an address that no list has.
var ErrNoList = errors.New("no list has this address")

// At gives the list that has an address, as players see it: without what concerns them nothing.
func (s *Service) At(ctx context.Context, secret string) (List, error) {
	p, err := s.Records.PacklistByLink(ctx, s.Keyed(Purpose, secret))
	if errors.Is(err, model.ErrNotFound) {
		return List{}, ErrNoList
	}
	if err != nil {
		return List{}, err
	}
	srv, err := s.Records.ServerByID(ctx, p.ServerID)
	if err != nil {
		return List{}, err
	}
	now, err := s.Counter(ctx)
	if err != nil {
		return List{}, err
	}
	// Anybody may ask for it, as often as they like: it is made once for all of them.
	s.mu.Lock()
	defer s.mu.Unlock()
	if m, ok := s.made[srv.ID]; ok && m.counter == now {
		return m.list, nil
	}
	l, err := s.list(ctx, srv, p)
	if err != nil {
		return l, err
	}
	l.Entries = slices.DeleteFunc(l.Entries, func(e core.Entry) bool { return e.Need == core.None || e.Need == core.Unknown })
	if s.made == nil {
		s.made = map[int64]made{}
	}
	s.made[srv.ID] = made{now, l}
	return l, nil
}

// save writes what a person says of a list; players are told it from now on.
func (s *Service) save(ctx context.Context, p model.Packlist) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.made, p.ServerID)
	return s.Records.SavePacklist(ctx, p)
}

// list makes a list, and notes what it says where that is new and players can read it.
func (s *Service) list(ctx context.Context, srv model.Server, p model.Packlist) (List, error) {
	b, err := s.Book(ctx, srv.Rulebook)
	if err != nil {
		return List{}, err
	}
	addons, err := s.addons(ctx, srv, b)
	if err != nil {
		return List{}, err
	}
	facts := srv.Known()
	l := List{Server: srv.Name, Title: cmp.Or(p.Title, srv.Name), Words: p.Words, Entries: core.Build(addons, p.Said), Game: strings.TrimSpace(b.Title + " " + facts["game"]), Join: Join(srv)}
	odd, err := s.Records.Oddities(ctx, srv.Rulebook)
	if err != nil {
		return l, err
	}
	for _, o := range odd {
		for _, a := range addons {
			if a.Key == o.Addon {
				l.Oddities = append(l.Oddities, a.Name+": "+o.Text)
			}
		}
	}
	if p.Link == "" { // nobody has read it
		return l, nil
	}
	return l, s.note(ctx, srv.ID, &l)
}

// note records what a list says, and tells what is different from before.
func (s *Service) note(ctx context.Context, server int64, l *List) error {
	raw, err := json.Marshal(brief(l.Entries))
	if err != nil {
		return err
	}
	now := model.PacklistState{Digest: fmt.Sprintf("%x", sha256.Sum256(raw)), Entries: brief(l.Entries)}
	states, err := s.Records.PacklistStates(ctx, server)
	if err != nil {
		return err
	}
	if len(states) == 0 || states[0].Digest != now.Digest {
		if err := s.Records.AddPacklistState(ctx, server, now); err != nil {
			return err
		}
		if states, err = s.Records.PacklistStates(ctx, server); err != nil {
			return err
		}
	}
	if len(states) > 0 {
		l.Since = states[0].At
	}
	if len(states) > 1 {
		l.Before, l.Changes = states[1].At, core.Changes(states[1].Entries, l.Entries)
	}
	return nil
}

// brief is what of a list is kept to be compared later.
func brief(entries []core.Entry) []core.Entry {
	out := make([]core.Entry, len(entries))
	for i, e := range entries {
		out[i] = core.Entry{Name: e.Name, Version: e.Version, Need: e.Need, Note: e.Note}
	}
	return out
}

// mostOld is how many earlier versions of an add-on players' files are compared with.
const mostOld = 20

// addons are the add-ons on a server with the files that players have of them.
func (s *Service) addons(ctx context.Context, srv model.Server, b *rulebook.Book) ([]core.Addon, error) {
	sums, err := s.Records.Sums(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	var out []core.Addon
	seen := map[tree.Digest]bool{}
	for _, sum := range sums {
		if seen[sum.Crate] {
			continue
		}
		seen[sum.Crate] = true
		c, err := s.Records.CrateByDigest(ctx, sum.Crate)
		if errors.Is(err, model.ErrNotFound) {
			continue // what it brought is not recorded any more
		}
		if err != nil {
			return nil, err
		}
		a := core.Addon{Key: c.Key, Name: c.Body.Name, Version: c.Body.Version, Facts: c.Body.Facts, Files: filesOf(b, srv, &c.Body)}
		if len(c.Archives) > 0 {
			a.Source, a.Archive = c.Archives[0].Source, c.Archives[0].Digest
		}
		older, err := s.Records.Crates(ctx, srv.Rulebook, c.Key, 0, mostOld)
		if err != nil {
			return nil, err
		}
		for _, o := range older {
			if o.Digest != c.Digest {
				a.Old = append(a.Old, filesOf(b, srv, &o.Body)...)
			}
		}
		a.Old = slices.DeleteFunc(a.Old, func(o core.File) bool {
			return slices.ContainsFunc(a.Files, func(f core.File) bool { return f.Digest == o.Digest })
		})
		out = append(out, a)
	}
	return out, nil
}

// filesOf are the files of a crate where a player has them.
func filesOf(b *rulebook.Book, srv model.Server, c *layout.Crate) (out []core.File) {
	for _, f := range c.Files {
		if f.Into != "" {
			continue // it is merged into another file, which players get from elsewhere
		}
		out = append(out, core.File{Path: playersPath(b, srv, f), Size: f.Size, Digest: f.Digest})
	}
	slices.SortFunc(out, func(a, b core.File) int { return strings.Compare(a.Path, b.Path) })
	return out
}

// playersPath is where a player has a file: where the rulebook says, or as on the server.
func playersPath(b *rulebook.Book, srv model.Server, f layout.File) string {
	for _, p := range b.Places {
		if p.Name == f.Place && p.Players != "" {
			return path.Join(p.Players, string(f.Path))
		}
	}
	at, err := b.Resolve(f.Place, srv.Variables)
	if err != nil {
		return string(f.Path)
	}
	return string(at.Join(f.Path))
}

// Say is what a person changes of a list; nil leaves it.
type Say struct {
	Title, Words *string
	Addons       []core.Said
}

// mostSaid is how many add-ons somebody can say something of.
const mostSaid = 2000

// Say keeps what a person says of a list. What is said of an add-on takes the place of what was said
// of it; with nothing but its name, that is forgotten.
func (s *Service) Say(ctx context.Context, server string, say Say) (List, error) {
	srv, err := s.Find(ctx, server)
	if err != nil {
		return List{}, err
	}
	p, err := s.Records.Packlist(ctx, srv.ID)
	if err != nil {
		return List{}, err
	}
	if say.Title != nil {
		p.Title = strings.TrimSpace(*say.Title)
	}
	if say.Words != nil {
		p.Words = strings.TrimSpace(*say.Words)
	}
	if len(p.Title) > 200 || len(p.Words) > 20_000 {
		return List{}, fault.New(fault.Usage, "too-long", "a title is at most 200 bytes long, and what stands below it 20,000")
	}
	now, err := s.list(ctx, srv, model.Packlist{ServerID: srv.ID, Said: p.Said})
	if err != nil {
		return List{}, err
	}
	for _, x := range say.Addons {
		name := strings.TrimSpace(x.Addon)
		key, err := s.Key(ctx, srv.Rulebook, name)
		if err != nil {
			key = layout.Key(name)
		}
		there := slices.ContainsFunc(now.Entries, func(e core.Entry) bool { return layout.Key(e.Name) == layout.Key(name) })
		switch {
		case name == "" || !slices.Contains([]core.Need{"", core.Must, core.May, core.MustNot, core.None}, x.Need):
			return List{}, fault.New(fault.Usage, "bad-request", "players must, may or must not have an add-on, or need not; not %q of %q", x.Need, name)
		case !there && x.Need != core.MustNot && x.Need != "":
			return List{}, fault.New(fault.Unknown, "addon-unknown", "there is no add-on %q on %s; of what is not there, players only can be told that they must not have it", name, server).By(finding.ShowAddons.On(server))
		}
		x.Addon, x.Name = key, name
		p.Said = slices.DeleteFunc(p.Said, func(o core.Said) bool { return o.Addon == key })
		if x.Need != "" || x.Note != "" || x.Share {
			p.Said = append(p.Said, x)
		}
	}
	if len(p.Said) > mostSaid {
		return List{}, fault.New(fault.Usage, "too-many", "something is said of more than %d add-ons", mostSaid)
	}
	if err := s.save(ctx, p); err != nil {
		return List{}, err
	}
	return s.Of(ctx, server)
}

// Link gives a list an address that nobody can guess. One that it had before leads nowhere any more.
// With none, it has no address.
func (s *Service) Link(ctx context.Context, server string, none bool) (List, error) {
	srv, err := s.Find(ctx, server)
	if err != nil {
		return List{}, err
	}
	p, err := s.Records.Packlist(ctx, srv.ID)
	if err != nil {
		return List{}, err
	}
	p.Link, p.Secret = "", nil
	if !none {
		secret := rand.Text()
		p.Link = s.Keyed(Purpose, secret)
		if p.Secret, err = s.Seal([]byte(secret)); err != nil {
			return List{}, err
		}
	}
	if err := s.save(ctx, p); err != nil {
		return List{}, err
	}
	return s.Of(ctx, server)
}
