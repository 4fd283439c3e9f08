// Package survey compares servers' trees with their ledgers, keeps what it finds, and keeps what
// people ignore. It changes nothing on a server.
package survey

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/bmatcuk/doublestar/v4"
	"golang.org/x/sync/errgroup"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	core "restlesscrate/internal/core/survey"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/observe"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/words"
)

// Records is what a survey reads and writes down.
type Records interface {
	Ledger(ctx context.Context, server int64) (map[tree.Path]draft.Row, error)
	LedgerSeq(ctx context.Context, server int64) (int64, error)
	Refresh(ctx context.Context, server int64, reported map[tree.Path]draft.Reported) error
	SecretMarks(ctx context.Context, server int64) (model.SecretMarks, error)
	SaveTold(ctx context.Context, server int64, told []model.Fact) error
	DeploymentsIn(ctx context.Context, states ...model.State) ([]model.Deployment, error)
	AddSurvey(ctx context.Context, s model.Survey) (model.Survey, error)
	LastSurvey(ctx context.Context, server int64) (model.Survey, error)
	Surveys(ctx context.Context, server int64, limit int) ([]model.Survey, error)
	Ignore(ctx context.Context, server int64, i model.Ignored) error
	Unignore(ctx context.Context, server int64, pattern string) error
	IgnoredOn(ctx context.Context, server int64) ([]model.Ignored, error)
	LastLook(ctx context.Context, server int64) (model.Survey, error)
	Rhythm(ctx context.Context, server int64) (model.Rhythm, error)
	SaveRhythm(ctx context.Context, server int64, r model.Rhythm) error
	LookedForUpdates(ctx context.Context, server int64, actor string) error
}

// Hosts finds servers and connects to them.
type Hosts interface {
	Find(ctx context.Context, name string) (model.Server, error)
	List(ctx context.Context) ([]model.Server, error)
	Connect(ctx context.Context, srv model.Server) (remote.Host, error)
}

// Books gives rulebooks.
type Books interface {
	Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
}

// Service surveys.
type Service struct {
	Records Records
	Hosts   Hosts
	Books   Books
	// Bytes gives a content that the stockroom holds, as long as most bytes; ok is false where it
	// does not, or where the content is longer.
	Bytes func(ctx context.Context, d tree.Digest, most int64) (raw []byte, ok bool, err error)
	// HostNow is a time by the server's clock that is not later than now, 0 where that is not known.
	HostNow func(srv model.Server) int64
	// HostOf is what is known of a server's host.
	HostOf func(srv model.Server) draft.Host
	Now    func() time.Time
}

// ofTree is how far a survey goes: what is deeper is a loop of links that a host follows.
var ofTree = remote.Bounds{Deep: 120, Things: 5_000_000, Whole: true}

// Look compares a server's tree with its ledger, and keeps what it finds. thorough reads every
// file that is known; else those whose times prove that they are as they were are not read.
func (s *Service) Look(ctx context.Context, server string, thorough bool, actor string, tell progress.Tell) (model.Survey, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return model.Survey{}, err
	}
	if err := s.free(ctx, srv); err != nil {
		return model.Survey{}, err
	}
	begun := s.Now()
	l, err := s.prepare(ctx, srv, thorough)
	if err != nil {
		return model.Survey{}, err
	}
	defer l.host.Close()
	if err := l.walk(ctx, tell); err != nil {
		return model.Survey{}, fmt.Errorf("look at %s: %w", srv.Name, err)
	}
	if err := l.read(ctx, tell); err != nil {
		return model.Survey{}, fmt.Errorf("look at %s: %w", srv.Name, err)
	}
	res := l.comparing.Result()
	if err := l.describe(ctx, res.Items); err != nil {
		return model.Survey{}, err
	}
	if err := l.facts(ctx); err != nil {
		return model.Survey{}, err
	}
	if seq, err := s.Records.LedgerSeq(ctx, srv.ID); err != nil || seq != l.seq {
		return model.Survey{}, errors.Join(err, fault.New(fault.Conflict, "changed-meanwhile", "a deployment changed %s while it was looked at", srv.Name).WithMend("Look again."))
	}
	out := model.Survey{ServerID: srv.ID, Took: s.Now().Sub(begun), Seq: l.seq, Thorough: thorough, Actor: actor, Counts: res.Counts}
	before, err := s.Records.LastSurvey(ctx, srv.ID)
	if err != nil && !errors.Is(err, model.ErrNotFound) {
		return out, err
	}
	out.Items = since(res.Items, before.Items)
	return s.Records.AddSurvey(ctx, out)
}

// since gives items with the time of the survey that first found them so; none of those that are new.
func since(items []core.Item, before []model.SurveyItem) []model.SurveyItem {
	was := make(map[tree.Path]model.SurveyItem, len(before))
	for _, b := range before {
		was[b.Path] = b
	}
	out := make([]model.SurveyItem, len(items))
	for i, it := range items {
		out[i].Item = it
		if b, ok := was[it.Path]; ok && b.Item.Same(it) {
			out[i].Since = b.Since
		}
	}
	return out
}

// free tells whether nothing is changing the server just now.
func (s *Service) free(ctx context.Context, srv model.Server) error {
	open, err := s.Records.DeploymentsIn(ctx, model.Running, model.Undoing)
	if err != nil {
		return err
	}
	for _, d := range open {
		if d.ServerID == srv.ID {
			return fault.New(fault.Conflict, "being-changed", "%s is being changed by %s just now", srv.Name, d.Name()).WithMend("Look once that is over.").By(finding.ShowDeployment.On(d.Name()))
		}
	}
	return nil
}

// looking is one survey under way.
type looking struct {
	*Service
	srv       model.Server
	book      *rulebook.Book
	host      remote.Host
	seq       int64
	ledger    map[tree.Path]draft.Row
	comparing *core.Comparing
	texts     map[tree.Path][]byte // that were read, as far as they are short
}

func (s *Service) prepare(ctx context.Context, srv model.Server, thorough bool) (*looking, error) {
	l := &looking{Service: s, srv: srv, texts: map[tree.Path][]byte{}}
	var err error
	if l.book, _, err = s.Books.Book(ctx, srv.Rulebook); err != nil {
		return nil, err
	}
	if l.seq, err = s.Records.LedgerSeq(ctx, srv.ID); err != nil {
		return nil, err
	}
	if l.ledger, err = s.Records.Ledger(ctx, srv.ID); err != nil {
		return nil, err
	}
	ignored, err := s.Records.IgnoredOn(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	if l.host, err = s.Hosts.Connect(ctx, srv); err != nil {
		return nil, err
	}
	l.comparing = core.New(l.ledger, rulesOf(l.book, srv, ignored), s.HostOf(srv), thorough)
	return l, nil
}

// rulesOf is what a rulebook and people say of what nobody deployed.
func rulesOf(b *rulebook.Book, srv model.Server, ignored []model.Ignored) (r core.Rules) {
	for _, p := range b.Places {
		at, err := b.Resolve(p.Name, srv.Variables)
		if err != nil || at == tree.Root {
			continue
		}
		if p.Data {
			r.OwnDirs = append(r.OwnDirs, at)
			r.Own = append(r.Own, string(at)+".before-*", string(at)+".before-*/**") // that were set aside
		} else {
			r.Places = append(r.Places, at)
		}
	}
	r.Own = append(append(r.Own, b.FirstRun...), b.Protected...)
	files := []string{b.Log.File} // that the rulebook itself names
	for _, l := range b.Lists {
		files = append(files, l.File)
	}
	for _, f := range b.Facts {
		for _, rd := range f.Read {
			files = append(files, rd.File)
		}
	}
	for _, file := range files {
		if p, err := rulebook.Fill(file, func(name string) (string, bool) { v, ok := srv.Variables[name]; return v, ok }); err == nil && p != "" {
			r.Own = append(r.Own, p)
		}
	}
	for _, t := range b.Texts {
		r.Own = append(r.Own, t.Files...)
	}
	for _, i := range ignored {
		r.Ignore = append(r.Ignore, i.Pattern)
	}
	return r
}

// walk lists the whole tree.
func (l *looking) walk(ctx context.Context, tell progress.Tell) error {
	tell.Look(fmt.Sprintf("looking at all of %s", l.srv.Name))
	n, told := 0, l.Now()
	err := remote.Walk(ctx, l.host, []tree.Path{tree.Root}, ofTree, func(p tree.Path, i remote.Info) (bool, error) {
		if n++; n%1000 == 0 && l.Now().Sub(told) > 2*time.Second {
			told = l.Now()
			tell.Look(fmt.Sprintf("looking at all of %s: %s so far", l.srv.Name, words.Count(n, "thing")))
		}
		return l.comparing.Folder(p, tree.State{Being: i.Being, Size: i.Size, Mode: i.Mode}, i.Modified), nil
	})
	return err
}

// shortText is the longest text, in bytes, that is kept in memory to be told of.
const shortText = 256 << 10

// read reads the files whose times prove nothing. What turns out to be as it was is trusted the
// next time.
func (l *looking) read(ctx context.Context, tell progress.Tell) error {
	doubtful := l.comparing.Doubtful()
	if len(doubtful) == 0 {
		return nil
	}
	tell.Look(fmt.Sprintf("reading %s to compare the bytes", words.Count(len(doubtful), "file")))
	proved := map[tree.Path]draft.Reported{}
	seenAt := l.HostNow(l.srv)
	var mu sync.Mutex
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(max(1, l.host.InFlight()))
	for _, p := range doubtful {
		size := l.comparing.Size(p)
		g.Go(func() error {
			digest, raw, err := l.bytes(gctx, p, size)
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			if raw != nil {
				size = int64(len(raw))
			}
			same, modified := l.comparing.Read(p, digest, size)
			if same {
				proved[p] = draft.Reported{Size: size, Modified: modified, SeenAt: seenAt}
			} else if raw != nil {
				l.texts[p] = raw
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	for p, raw := range l.texts {
		if l.held(p, raw) {
			l.comparing.Held(p)
		}
	}
	return l.Records.Refresh(ctx, l.srv.ID, proved)
}

// bytes reads a file: a short one as it is, of a long one the digest alone.
func (l *looking) bytes(ctx context.Context, p tree.Path, size int64) (tree.Digest, []byte, error) {
	if size > shortText {
		d, err := deploy.HashOf(ctx, l.host, p, size)
		return d, nil, err
	}
	raw, err := deploy.ReadText(ctx, l.host, p)
	return tree.Sum(raw), raw, err
}

// facts reads what the server tells of itself.
func (l *looking) facts(ctx context.Context) error {
	if len(l.book.Facts) == 0 {
		return nil
	}
	if err := observe.Tell(ctx, l.host, l.book, &l.srv, l.Now(), true); err != nil {
		return err
	}
	return l.Records.SaveTold(ctx, l.srv.ID, l.srv.Told)
}

// Last gives the newest survey of a server; a fault where there was none.
func (s *Service) Last(ctx context.Context, server string) (model.Survey, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return model.Survey{}, err
	}
	out, err := s.Records.LastSurvey(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) {
		return out, fault.New(fault.Unknown, "no-survey", "nobody has surveyed %s yet", server).By(finding.Survey.On(server))
	}
	return out, err
}

// Ignore has everything that a glob names be counted and not told of, with what is below it.
func (s *Service) Ignore(ctx context.Context, server string, i model.Ignored) error {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return err
	}
	if i.Pattern == "" || i.Pattern[0] == '/' || !doublestar.ValidatePattern(i.Pattern) {
		return fault.New(fault.Usage, "bad-pattern", "%q is no glob over paths below the server's root", i.Pattern).WithMend("Such as notes/*.txt; what is in a folder that it names is ignored too.")
	}
	return s.Records.Ignore(ctx, srv.ID, i)
}

// Unignore takes that back.
func (s *Service) Unignore(ctx context.Context, server, pattern string) error {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return err
	}
	err = s.Records.Unignore(ctx, srv.ID, pattern)
	if errors.Is(err, model.ErrNotFound) {
		return fault.New(fault.Unknown, "pattern-unknown", "%q is not ignored on %s", pattern, server)
	}
	return err
}

// Ignored lists what is ignored on a server.
func (s *Service) Ignored(ctx context.Context, server string) ([]model.Ignored, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return nil, err
	}
	return s.Records.IgnoredOn(ctx, srv.ID)
}
