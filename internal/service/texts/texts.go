// Package texts reads the settings texts of servers: which there are, what stands in them,
// where a word stands, and what is wrong with them. It changes no server.
package texts

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/lint"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// Records is what this service reads of the records.
type Records interface {
	LedgerOf(ctx context.Context, server int64, addons []string, paths []tree.Path) (map[tree.Path]draft.Row, error)
	Sums(ctx context.Context, server int64) ([]model.Sum, error)
	CrateByDigest(ctx context.Context, d tree.Digest) (model.Crate, error)
	// KnownTexts gives the texts that were seen on a server, and with which deployment's start
	// each came; nothing where it was there before.
	KnownTexts(ctx context.Context, server int64) (map[tree.Path]string, error)
	SecretMarks(ctx context.Context, server int64) (model.SecretMarks, error)
	MarkSecret(ctx context.Context, server int64, p tree.Path, at, actor string) error
	UnmarkSecret(ctx context.Context, server int64, p tree.Path, at string) error
	SawAgreements(ctx context.Context, server int64, l model.AgreeLook) error
	Texts(ctx context.Context, server int64) (map[tree.Path]model.Event, map[tree.Path]draft.Row, error)
	EventsAt(ctx context.Context, server int64, p tree.Path) ([]model.Event, error)
}

// Hosts finds and reaches servers.
type Hosts interface {
	Find(ctx context.Context, name string) (model.Server, error)
	Connect(ctx context.Context, srv model.Server) (remote.Host, error)
}

// Books gives rulebooks and crates.
type Books interface {
	Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
	FindCrate(ctx context.Context, rulebook, ref string) (model.Crate, error)
}

// Service answers.
type Service struct {
	Records Records
	Hosts   Hosts
	Books   Books
	// Bytes gives a content that the stockroom holds, as long as most bytes; ok is false
	// where it does not, or where the content is longer.
	Bytes func(ctx context.Context, d tree.Digest, most int64) (raw []byte, ok bool, err error)
	// Lists gives the load lists of a server.
	Lists func(b *rulebook.Book, srv model.Server) []draft.Listed
}

// Text is a text of a server.
type Text struct {
	Path     tree.Path
	Size     int64
	Modified int64 // UTC milliseconds, by the host's clock; 0 where it is not told
	Format   text.Format
	Encoding text.Encoding
	Owners   []string // name@version of the add-ons that bring it
	About    string   // from the rulebook
	Made     string   // the deployment with whose start it came; empty where that was not seen
	Settings bool     // the rulebook, an add-on or a tweak calls it so
	// Changed says that it is not what was last put there or left there by a deployment.
	Changed bool
	// Rewritten says that the server writes to it by itself, so that a change says nothing.
	Rewritten bool
	Tweaks    []draft.Tweaked
	Findings  []lint.Finding
}

// session is a server with what is known of it, and a line to it.
type session struct {
	*Service
	srv  model.Server
	book *rulebook.Book
	host remote.Host
	// marks are the values that are marked as secret here, besides those of the rulebook.
	marks model.SecretMarks
}

// hidden tells which values of a text are secret.
func (s *session) hidden(p tree.Path) func(at string) bool {
	return func(at string) bool { return text.SecretPath(at) || s.book.Secret(p, at) || s.marks.Has(p, at) }
}

func (s *Service) open(ctx context.Context, name string) (*session, error) {
	srv, err := s.Hosts.Find(ctx, name)
	if err != nil {
		return nil, err
	}
	b, _, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return nil, err
	}
	marks, err := s.Records.SecretMarks(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	h, err := s.Hosts.Connect(ctx, srv)
	if err != nil {
		return nil, err
	}
	return &session{s, srv, b, h, marks}, nil
}

// mostTexts is how many texts are read for a list.
const mostTexts = 5000

// List lists the texts of a server that are settings; with all, every text of its tree.
func (s *Service) List(ctx context.Context, server string, all bool) ([]Text, error) {
	se, err := s.open(ctx, server)
	if err != nil {
		return nil, err
	}
	defer se.host.Close()
	rows, settings, err := se.known(ctx)
	if err != nil {
		return nil, err
	}
	made, err := s.Records.KnownTexts(ctx, se.srv.ID)
	if err != nil {
		return nil, err
	}
	found, err := se.candidates(ctx, rows, settings, all)
	if err != nil {
		return nil, fmt.Errorf("look at the texts of %s: %w", server, err)
	}
	list, err := se.look(ctx, found, rows)
	for i := range list {
		list[i].Made = made[list[i].Path]
	}
	return list, err
}

// known reads which paths the records call settings: of add-ons whose crates say so, and texts
// with tweaks. rows holds what the ledger knows of them.
func (s *session) known(ctx context.Context) (rows map[tree.Path]draft.Row, settings map[tree.Path]bool, err error) {
	sums, err := s.Records.Sums(ctx, s.srv.ID)
	if err != nil {
		return nil, nil, err
	}
	calls := map[tree.Digest]bool{} // contents that a crate calls settings
	var addons []string
	for _, sum := range sums {
		c, err := s.Records.CrateByDigest(ctx, sum.Crate)
		if errors.Is(err, model.ErrNotFound) {
			continue
		}
		if err != nil {
			return nil, nil, err
		}
		for _, f := range c.Body.Files {
			if f.Settings {
				calls[f.Digest] = true
			}
		}
		addons = append(addons, sum.Addon)
	}
	if rows, err = s.Records.LedgerOf(ctx, s.srv.ID, addons, nil); err != nil {
		return nil, nil, err
	}
	settings = map[tree.Path]bool{}
	for p, row := range rows {
		_, ruled := s.book.TextRule(p)
		settings[p] = ruled || len(row.Tweaks) > 0 || slices.ContainsFunc(row.Claims, func(c draft.Claim) bool {
			return calls[cmp.Or(c.Brings.Digest, row.State.Digest)]
		})
	}
	return rows, settings, nil
}

// candidates lists what may be a text: what is called settings, or with all everything.
func (s *session) candidates(ctx context.Context, rows map[tree.Path]draft.Row, settings map[tree.Path]bool, all bool) (map[tree.Path]Text, error) {
	out := map[tree.Path]Text{}
	take := func(p tree.Path, i remote.Info) {
		rule, ruled := s.book.TextRule(p)
		if i.Being != tree.Content || !all && !ruled && !settings[p] || i.Size > deploy.LongestText {
			return
		}
		out[p] = Text{Path: p, Size: i.Size, Modified: i.Modified, Settings: ruled || settings[p], About: rule.About, Format: rule.Format, Rewritten: rule.Rewritten}
	}
	var paths []tree.Path
	for p, is := range settings {
		if is && rows[p].State.Being == tree.Content {
			paths = append(paths, p)
		}
	}
	slices.Sort(paths)
	infos, err := s.host.StatAll(ctx, paths)
	if err != nil {
		return nil, err
	}
	for i, p := range paths {
		take(p, infos[i])
	}
	places := []deploy.TextPlace{{Folder: tree.Root, Deep: true}}
	if !all {
		places = deploy.SettingsPlaces(s.book)
	}
	for _, w := range places {
		err := remote.Walk(ctx, s.host, []tree.Path{w.Folder}, remote.Bounds{Deep: 64}, func(p tree.Path, i remote.Info) (bool, error) {
			if p.Within(draft.Work) {
				return false, nil
			}
			take(p, i)
			return w.Deep, nil
		})
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
	}
	return out, nil
}

// look reads texts, many at a time, and says what is to be said of each. What turns out to be
// no text is left out.
func (s *session) look(ctx context.Context, found map[tree.Path]Text, rows map[tree.Path]draft.Row) ([]Text, error) {
	paths := slices.Sorted(maps.Keys(found))
	paths = paths[:min(len(paths), mostTexts)]
	out := make([]*Text, len(paths))
	var mu sync.Mutex
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, s.host.InFlight()))
	for i, p := range paths {
		t := found[p]
		g.Go(func() error {
			raw, err := deploy.ReadText(gctx, s.host, p)
			if errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrPermission) {
				return nil
			}
			if err != nil {
				return err
			}
			ok, err := s.about(gctx, &t, raw, rows[p])
			if ok {
				mu.Lock()
				out[i] = &t
				mu.Unlock()
			}
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	var list []Text
	for _, t := range out {
		if t != nil {
			list = append(list, *t)
		}
	}
	return list, nil
}

// about completes what is said of a text; ok is false for what is none.
func (s *session) about(ctx context.Context, t *Text, raw []byte, row draft.Row) (ok bool, err error) {
	var is bool
	if t.Encoding, is = text.EncodingOf(raw); !is {
		return false, nil
	}
	told := t.Format != ""
	if !told {
		source, err := t.Encoding.Decode(raw)
		if err != nil {
			return false, nil //nolint:nilerr // it is no text then
		}
		t.Format = text.Guess(t.Path.Base(), source)
	}
	t.Tweaks = slices.Clone(row.Tweaks)
	for i := range t.Tweaks {
		k := &t.Tweaks[i].Tweak
		k.Hidden = k.Hidden || s.hidden(t.Path)(k.At)
	}
	t.Changed = !t.Rewritten && row.State.Being == tree.Content && row.State.Digest != tree.Sum(raw)
	in := lint.Input{Path: t.Path, Raw: raw, Format: t.Format, Told: told}
	for _, c := range row.Claims {
		t.Owners = append(t.Owners, c.Label)
		if shipped, held, err := s.Bytes(ctx, cmp.Or(c.Brings.Digest, row.State.Digest), draft.LongestMerge); err != nil {
			return false, err
		} else if held {
			in.Shipped = shipped
		}
	}
	t.Findings = lint.Text(in)
	return true, nil
}
