// Package feeds follows feeds: documents in which communities and authors announce versions of
// add-ons. What they say is kept, shown beside what is installed, and staged when somebody asks
// for it or has asked for it beforehand. Nothing is deployed by it.
package feeds

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	core "restlesscrate/internal/core/feed"
	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/fetch"
	"restlesscrate/internal/model"
)

// Records keeps feeds.
type Records interface {
	Feeds(ctx context.Context) ([]model.Feed, error)
	FeedTimes(ctx context.Context) ([]model.Feed, error)
	FeedsFor(ctx context.Context, rulebook string) ([]model.Feed, error)
	Feed(ctx context.Context, name string) (model.Feed, error)
	AddFeed(ctx context.Context, f model.Feed) error
	HeardFeed(ctx context.Context, f model.Feed, changed bool) error
	SetTaken(ctx context.Context, name string, keys []string) error
	DropFeed(ctx context.Context, name string) error
	Archive(ctx context.Context, d tree.Digest) (model.Archive, error)
}

// Web gives documents of other hosts.
type Web interface {
	Document(ctx context.Context, address string, since fetch.Stamp) (fetch.Document, error)
}

// Service is the use cases.
type Service struct {
	Records Records
	Web     Web
	Now     func() time.Time
}

// Often is how often a feed is looked at where nobody says so; no feed is looked at more often than
// shortest by itself.
const (
	Often    = 6 * time.Hour
	shortest = 5 * time.Minute
)

// Add follows a feed from now on. It is looked at at once: one that is no feed, or that its key has
// not signed, is not followed; one whose host does not answer is, and tried again.
func (s *Service) Add(ctx context.Context, f model.Feed) (model.Feed, error) {
	u, err := fetch.Address(f.URL)
	switch {
	case err != nil:
		return f, fault.New(fault.Usage, "bad-address", "%v", err)
	case !rulebook.IsName(f.Name):
		return f, fault.New(fault.Usage, "bad-name", "%q is no name for a feed: lower-case letters, digits and hyphens", f.Name)
	case f.Every != 0 && f.Every < shortest:
		return f, fault.New(fault.Usage, "bad-request", "a feed is looked at by itself every %s at most, or never", shortest)
	}
	f.URL = u.String()
	if f.Key = strings.TrimSpace(f.Key); f.Key != "" {
		if _, err := core.ParseKey(f.Key); err != nil {
			return f, fault.New(fault.Usage, "bad-key", "%v", err)
		}
	}
	for i, a := range f.Taken {
		f.Taken[i] = layout.Key(a)
	}
	heard, changed, err := s.hear(ctx, f)
	if err != nil && !errors.Is(err, fetch.ErrCut) {
		return f, fault.From(fault.Failed, "bad-feed", fmt.Errorf("%s is not followed: %w", f.URL, err))
	}
	if err := s.Records.AddFeed(ctx, f); err != nil {
		var taken *model.ConflictError
		if errors.As(err, &taken) {
			return f, fault.New(fault.Conflict, "name-taken", "%v", taken)
		}
		return f, err
	}
	if err := s.Records.HeardFeed(ctx, heard, changed); err != nil {
		return f, err
	}
	return s.Find(ctx, f.Name)
}

// Find finds a feed by its name.
func (s *Service) Find(ctx context.Context, name string) (model.Feed, error) {
	f, err := s.Records.Feed(ctx, name)
	if errors.Is(err, model.ErrNotFound) {
		return f, fault.New(fault.Unknown, "feed-unknown", "no feed named %q is followed", name)
	}
	return f, err
}

// List gives all feeds, by name.
func (s *Service) List(ctx context.Context) ([]model.Feed, error) { return s.Records.Feeds(ctx) }

// Drop follows a feed no more. What was staged stays.
func (s *Service) Drop(ctx context.Context, name string) error {
	if _, err := s.Find(ctx, name); err != nil {
		return err
	}
	return s.Records.DropFeed(ctx, name)
}

// Check looks at a feed now. That it could not be read is an error, and noted.
func (s *Service) Check(ctx context.Context, name string) (model.Feed, error) {
	f, err := s.Find(ctx, name)
	if err != nil {
		return f, err
	}
	heard, changed, trouble := s.hear(ctx, f)
	if ctx.Err() != nil {
		return f, context.Cause(ctx)
	}
	if err := s.Records.HeardFeed(ctx, heard, changed); err != nil {
		return f, err
	}
	if trouble != nil {
		return f, fault.From(fault.Failed, "feed-unread", fmt.Errorf("feed %s could not be read: %w", name, trouble)).WithMend("What it said before is kept.")
	}
	return s.Find(ctx, name)
}

// hear fetches a feed, and its signature where there has to be one. changed tells whether it says
// something else than before.
func (s *Service) hear(ctx context.Context, f model.Feed) (heard model.Feed, changed bool, err error) {
	heard = f
	if changed, err = s.fetch(ctx, &heard); err != nil {
		heard = f
		heard.Trouble = err.Error()
		return heard, false, err
	}
	heard.Trouble = ""
	return heard, changed, nil
}

func (s *Service) fetch(ctx context.Context, f *model.Feed) (changed bool, err error) {
	doc, err := s.Web.Document(ctx, f.URL, fetch.Stamp{ETag: f.ETag, Modified: f.Modified})
	if err != nil || doc.Same {
		return false, err
	}
	at, err := url.Parse(doc.URL)
	if err != nil {
		return false, err
	}
	said, err := core.Parse(doc.Raw, at)
	if err != nil {
		return false, err
	}
	if f.Key != "" {
		if err := s.signed(ctx, *f, doc); err != nil {
			return false, err
		}
	}
	if f.Said != nil && said.Made < f.Said.Made {
		return false, fmt.Errorf("it was written on %s, before the one that was read last, of %s: somebody may be holding the newer one back", said.Made, f.Said.Made)
	}
	f.Said, f.ETag, f.Modified = &said, doc.Stamp.ETag, doc.Stamp.Modified
	return true, nil
}

// signed checks the signature beside a feed.
func (s *Service) signed(ctx context.Context, f model.Feed, doc fetch.Document) error {
	at, err := url.Parse(doc.URL)
	if err != nil {
		return err
	}
	at.Path, at.RawPath = at.Path+core.SignatureSuffix, ""
	sig, err := s.Web.Document(ctx, at.String(), fetch.Stamp{})
	var none *fetch.NotThereError
	if errors.As(err, &none) {
		return fmt.Errorf("it is not signed, although a key was given for it: %w", err)
	}
	if err != nil {
		return err
	}
	return core.Verify(f.Key, doc.Raw, sig.Raw)
}

// Announced gives what the feeds of a rulebook announce.
func (s *Service) Announced(ctx context.Context, book string) ([]core.Announced, error) {
	list, err := s.Records.FeedsFor(ctx, book)
	if err != nil {
		return nil, err
	}
	var out []core.Announced
	for _, f := range list {
		if f.Said == nil {
			continue
		}
		for _, r := range f.Said.Releases {
			out = append(out, core.Announced{Release: r, Feed: f.Name})
		}
	}
	return out, nil
}

// Beside gives, for each add-on that a server has, the newest that feeds announce and that is newer:
// one that is not known to be wrong for it, or else one that is; nil where there is none.
func (s *Service) Beside(ctx context.Context, b *rulebook.Book, known map[string]string, have []core.Have) ([]*core.Announced, error) {
	out := make([]*core.Announced, len(have))
	all, err := s.Announced(ctx, b.Name)
	if err != nil || len(all) == 0 {
		return out, err
	}
	for i, h := range have {
		best, unfit := core.Newest(all, h, b, known)
		if out[i] = best; best == nil {
			out[i] = unfit
		}
	}
	return out, nil
}

// Release finds what a feed announces of an add-on: the version that is named, or the newest.
func (s *Service) Release(ctx context.Context, name, addon string) (model.Feed, core.Release, error) {
	f, err := s.Find(ctx, name)
	if err != nil {
		return f, core.Release{}, err
	}
	if f.Said == nil {
		return f, core.Release{}, fault.New(fault.Conflict, "feed-unread", "feed %s could not be read yet: %s", name, f.Trouble)
	}
	addon, want, versioned := strings.Cut(addon, "@")
	best := -1
	for i, r := range f.Said.Releases {
		if r.Key() != layout.Key(addon) || versioned && version.Compare(r.Version, want) != 0 {
			continue
		}
		if best < 0 || version.Compare(r.Version, f.Said.Releases[best].Version) > 0 {
			best = i
		}
	}
	if best < 0 {
		return f, core.Release{}, fault.New(fault.Unknown, "release-unknown", "feed %s announces no %s", name, strings.TrimSuffix(addon+" "+want, " "))
	}
	return f, f.Said.Releases[best], nil
}

// TakeAlways has the next versions of an add-on staged by themselves when a feed announces them,
// or no more.
func (s *Service) TakeAlways(ctx context.Context, name, addon string, always bool) error {
	f, err := s.Find(ctx, name)
	if err != nil {
		return err
	}
	key := layout.Key(addon)
	taken := slices.DeleteFunc(f.Taken, func(k string) bool { return k == key })
	if always {
		taken = append(taken, key)
	}
	slices.Sort(taken)
	return s.Records.SetTaken(ctx, name, taken)
}
