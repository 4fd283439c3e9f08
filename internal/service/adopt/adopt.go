// Package adopt finds the add-ons that lie on a server and that nobody deployed, and makes crates of
// them, so that the ledger can take them in. It changes nothing on a server.
package adopt

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/words"
)

// Records is what has to be known, and where crates are written down that are made of what lies on
// a server.
type Records interface {
	Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error)
	CrateFacts(ctx context.Context, rulebook string) ([]model.CrateFacts, error)
	Crates(ctx context.Context, rulebook, key string, before int64, limit int) ([]model.Crate, error)
	AddJoined(ctx context.Context, c *layout.Crate, revision int, archives []model.Archive, actor string) (model.Crate, error)
	LastRollCall(ctx context.Context, server int64) (model.RollCall, error)
}

// Hosts finds servers and connects to them.
type Hosts interface {
	Find(ctx context.Context, name string) (model.Server, error)
	Connect(ctx context.Context, srv model.Server) (remote.Host, error)
}

// Books gives rulebooks.
type Books interface {
	Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
}

// Service finds add-ons.
type Service struct {
	Records Records
	Hosts   Hosts
	Books   Books
	// Lists gives the load lists of a server.
	Lists func(b *rulebook.Book, srv model.Server) []draft.Listed
}

// Found is an add-on that lies on a server and that the ledger does not know.
type Found struct {
	Path          tree.Path // its folder, or its file
	Kind          string
	Name, Version string
	From          string // where name and version were read, in words
	Files         int
	Bytes         int64
	Crate         string               // name@version~digits of the staged crate that it looks like; empty for none
	Missing       []tree.Path          // what that crate brings and is not there
	Differs       []tree.Path          // what is there and has another length than that crate brings
	Beside        []tree.Path          // of which it is another version, or another copy; the first of many
	Copies        int                  // how often it lies there, where that is more than once
	Deep          tree.Path            // where its marker lies, if that is a folder too deep
	Listed        string               // the text that names it; empty where none does
	Loaded        bool                 // the server said at the last roll call that it was loaded
	byLength      bool                 // the staged crate was found by lengths alone: its bytes have to be compared
	read          map[tree.Path][]byte // files of it that were read together with those of others
	crate         *layout.Crate
	staged        *model.Crate
}

// Look is what was found on a server.
type Look struct {
	Found  []Found
	Strays []tree.Path // that lie in places and belong to nothing that was found
	// Nowhere tells of names in load lists, and of add-ons that the server said it loaded, of which
	// nothing lies there.
	Nowhere []finding.Finding
}

// ofTree is how far a look goes.
var ofTree = remote.Bounds{Deep: 120, Things: 5_000_000, Whole: true}

// looking is one look at a server.
type looking struct {
	*Service
	srv      model.Server
	book     *rulebook.Book
	rev      model.Revision
	host     remote.Host
	ledger   map[tree.Path]draft.Row
	deployed map[tree.Path]bool       // what the ledger knows, and the folders above it
	all      map[tree.Path]tree.Entry // everything that is there
	files    []tree.Entry             // of these, what the ledger does not know, sorted by path
	lists    map[string][]string      // by text, what it names
	heard    map[string]string        // by what the server calls them, the versions of what it loaded
	unplaced []string                 // of these, what nobody deployed
	nowhere  []finding.Finding        // of the load lists
	places   map[string]tree.Path     // by name, where they are on this server
	asked    func(tree.Path)          // is told of every file that is read by itself
	// singles are the staged crates that are one file, by its length; asked for once, if at all.
	singles func() (map[int64][]model.Crate, error)
}

func (s *Service) begin(ctx context.Context, server string) (*looking, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return nil, err
	}
	l := &looking{Service: s, srv: srv, all: map[tree.Path]tree.Entry{}, lists: map[string][]string{}, heard: map[string]string{}, places: map[string]tree.Path{}}
	if l.book, l.rev, err = s.Books.Book(ctx, srv.Rulebook); err != nil {
		return nil, err
	}
	if l.ledger, err = s.Records.Ledger(ctx, srv.ID); err != nil {
		return nil, err
	}
	var deployed []tree.Path
	for p, row := range l.ledger {
		if len(row.Claims) > 0 {
			deployed = append(deployed, p)
		}
	}
	l.deployed = withAbove(deployed)
	for _, p := range l.book.Places {
		if at, err := l.book.Resolve(p.Name, srv.Variables); err == nil {
			l.places[p.Name] = at
		}
	}
	call, err := s.Records.LastRollCall(ctx, srv.ID)
	if err != nil && !errors.Is(err, model.ErrNotFound) {
		return nil, err
	}
	for _, e := range call.Roll.Entries {
		if e.Standing == rollcall.Unknown || e.Standing == rollcall.Loaded {
			l.heard[layout.Key(e.Addon)] = e.Version
		}
		if e.Standing == rollcall.Unknown {
			l.unplaced = append(l.unplaced, e.Addon)
		}
	}
	l.host, err = s.Hosts.Connect(ctx, srv)
	return l, err
}

// walk lists all that lies there, and tells meanwhile how much it has seen.
func (l *looking) walk(ctx context.Context, seen func(things int)) error {
	bounds := ofTree
	bounds.Seen = seen
	return remote.Walk(ctx, l.host, []tree.Path{tree.Root}, bounds, func(p tree.Path, i remote.Info) (bool, error) {
		if i.Being != tree.Folder && i.Being != tree.Content || strings.HasPrefix(p.Base(), string(draft.Work)) {
			return false, nil // links and what is ours are nobody's add-on
		}
		e := tree.Entry{Path: p, Dir: i.Being == tree.Folder, Size: i.Size, Exec: i.Mode&0o111 != 0}
		l.all[p] = e
		return true, nil
	})
}

// Look finds the add-ons on a server that the ledger does not know.
func (s *Service) Look(ctx context.Context, server string, tell progress.Tell) (Look, error) {
	l, err := s.begin(ctx, server)
	if err != nil {
		return Look{}, err
	}
	defer l.host.Close()
	tell.Look("looking at all of " + server)
	ahead := l.ahead(ctx, math.MaxInt)
	defer ahead.drop()
	if err := l.walk(ctx, ahead.seen); err != nil {
		return Look{}, fmt.Errorf("look at %s: %w", server, err)
	}
	ahead.learns(l)
	var found []Found
	var g errgroup.Group // one waits for the host, the other works
	g.Go(func() error {
		if err := l.readLists(ctx); err != nil {
			return fmt.Errorf("look at %s: %w", server, err)
		}
		return nil
	})
	g.Go(func() (err error) { found, err = l.candidates(); return err })
	if err := g.Wait(); err != nil {
		return Look{}, err
	}
	if len(found) > 0 {
		tell.Look(fmt.Sprintf("looking into %s", words.Count(len(found), "add-on")))
	}
	if err := l.examine(ctx, found, ahead); err != nil {
		return Look{}, err
	}
	beside(found)
	return Look{Found: found, Strays: l.strays(found), Nowhere: append(l.nowhere, l.unseen(found)...)}, nil
}

// mostBeside is how many others of the same add-on are told of one.
const mostBeside = 50

// beside notes which of them are the same add-on.
func beside(found []Found) {
	byKey := map[string][]int{}
	for i, f := range found {
		byKey[f.key()] = append(byKey[f.key()], i)
	}
	for _, same := range byKey {
		for _, i := range same {
			if len(same) > 1 {
				found[i].Copies = len(same)
			}
			for _, j := range same {
				if i != j && len(found[i].Beside) < mostBeside {
					found[i].Beside = append(found[i].Beside, found[j].Path)
				}
			}
		}
	}
}

func (f *Found) key() string {
	if f.crate != nil {
		return f.crate.Key()
	}
	return layout.Key(f.Name)
}

// strays are the files and folders that lie right in a place and belong to nothing.
func (l *looking) strays(found []Found) []tree.Path {
	places := map[tree.Path]bool{}
	for _, p := range l.book.Places {
		if at, ok := l.places[p.Name]; ok && at != tree.Root && !p.Data {
			places[at] = true
		}
	}
	loose := map[tree.Path]bool{}
	for path := range l.all {
		if places[path.Dir()] && !places[path] && !l.owned(path) && !strings.HasPrefix(path.Base(), ".") {
			loose[path] = true
		}
	}
	belongs := func(p tree.Path) {
		for ; p != tree.Root; p = p.Dir() {
			delete(loose, p)
		}
	}
	for _, f := range found {
		belongs(f.Path)
		if f.crate == nil {
			continue
		}
		for _, x := range f.crate.Files {
			at, ok := l.places[x.Place]
			if !ok {
				continue
			}
			if own, in := f.Path.Below(at); in && x.Path.Within(own) {
				continue // as nearly all are
			}
			belongs(at.Join(x.Path))
		}
	}
	return slices.Sorted(maps.Keys(loose))
}

// readLists reads what the load lists of the server name.
func (l *looking) readLists(ctx context.Context) error {
	on := l.inFolders()
	for _, list := range l.Lists(l.book, l.srv) {
		e, there := l.all[list.Path]
		if !there || e.Dir {
			continue
		}
		raw, err := deploy.ReadText(ctx, l.host, list.Path)
		if err != nil {
			return err
		}
		l.nowhere = append(l.nowhere, list.Nothing(raw, l.ledger[list.Path].Listed, on)...)
		items, err := list.List.Read(raw)
		if err != nil {
			continue // lint says what is wrong with it
		}
		for _, i := range items {
			l.lists[string(list.Path)] = append(l.lists[string(list.Path)], layout.Key(i.Key))
		}
	}
	return nil
}

// examine reads what the candidates tell of themselves, many at a time.
func (l *looking) examine(ctx context.Context, found []Found, ahead *reading) error {
	var mu sync.Mutex
	staged, is := map[string][]model.Crate{}, map[string]bool{}
	facts, err := l.Records.CrateFacts(ctx, l.srv.Rulebook)
	if err != nil {
		return err
	}
	for _, c := range facts {
		is[c.Key] = true
	}
	l.singles = sync.OnceValues(func() (map[int64][]model.Crate, error) { return l.oneFile(ctx, l.srv.Rulebook, facts) })
	one := func(ctx context.Context, f *Found) error {
		if err := l.lay(ctx, f); err != nil {
			return fmt.Errorf("read %s: %w", f.Path, err)
		}
		f.read = nil
		if !is[f.key()] { // nothing of its name is staged
			if err := l.byBytes(ctx, f); err != nil {
				return fmt.Errorf("read %s: %w", f.Path, err)
			}
		}
		mu.Lock()
		defer mu.Unlock()
		key := f.key()
		if _, asked := staged[key]; !asked && is[key] { // of most there is none
			list, err := l.Records.Crates(ctx, l.srv.Rulebook, key, 0, 100)
			if err != nil {
				return err
			}
			staged[key] = list
		}
		l.compare(f, staged[key])
		l.spoken(f)
		return nil
	}
	h := newHands(ctx, remote.AtATime(l.host), one)
	err = l.gather(h.ctx, found, ahead, h.give)
	if err := h.wait(); err != nil {
		return err // gather may have ended of it
	}
	return err
}

// spoken notes which list names an add-on, and whether the server said that it loaded.
func (l *looking) spoken(f *Found) {
	names := f.names()
	for file, keys := range l.lists {
		if slices.ContainsFunc(names, func(n string) bool { return slices.Contains(keys, n) }) {
			f.Listed = file
		}
	}
	for _, n := range names {
		if v, ok := l.heard[n]; ok {
			if f.Loaded = true; f.Version == layout.Unmarked && v != "" {
				f.Version, f.From = v, "what the server said at the last roll call"
				if f.crate != nil {
					f.crate.Version, f.crate.VersionFrom = v, f.From
				}
			}
		}
	}
}
