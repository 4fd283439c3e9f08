// Package feed reads and writes feeds: a small format of our own in which a community or an author
// announces versions of add-ons. See docs/feeds.md.
package feed

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Format is the number of the format that this package reads and writes.
const Format = 1

// Feed is a whole feed.
type Feed struct {
	Format   int       `json:"feed"`
	Title    string    `json:"title"`
	Made     string    `json:"made"` // when it was written, such as 2026-11-29T08:00:00Z (RFC 3339, UTC)
	Releases []Release `json:"releases"`
}

// Release is one version of one add-on.
type Release struct {
	Addon   string            `json:"addon"`
	Version string            `json:"version"`
	Game    string            `json:"game,omitempty"`    // the game's versions that it is for, as a range
	Loaders map[string]string `json:"loaders,omitempty"` // that it is for, with the range of each's version
	Side    string            `json:"side,omitempty"`    // server, players or both
	URL     string            `json:"url"`               // of the file; may be relative to the feed's own address
	Size    int64             `json:"size"`              // bytes
	SHA256  tree.Digest       `json:"sha256"`
	Date    string            `json:"date,omitempty"` // of the release, such as 2026-11-28
	Notes   string            `json:"notes,omitempty"`
}

// How much a feed may hold.
const (
	Longest      = 8 << 20 // bytes of a feed
	mostReleases = 20_000
	longestWord  = 200  // of names and versions, bytes
	longestNotes = 4000 // bytes
)

// BadError says where a feed is wrong.
type BadError struct{ Why string }

func (e *BadError) Error() string { return "it is no feed: " + e.Why }

func bad(format string, args ...any) error { return &BadError{fmt.Sprintf(format, args...)} }

var (
	madeForm = regexp.MustCompile(`^[0-9]{4}-[01][0-9]-[0-3][0-9]T[0-2][0-9]:[0-5][0-9]:[0-6][0-9]Z$`)
	dateForm = regexp.MustCompile(`^[0-9]{4}-[01][0-9]-[0-3][0-9]$`)
)

// Parse reads a feed that came from an address. Addresses of files come out whole; what it does not
// know is left out, since later formats may add to it. Errors are a *[BadError].
func Parse(raw []byte, from *url.URL) (Feed, error) {
	var f Feed
	if len(raw) > Longest {
		return f, bad("it is longer than %d MiB", Longest>>20)
	}
	var marked struct {
		Format *int `json:"feed"`
	}
	if err := json.Unmarshal(raw, &marked); err != nil {
		return f, bad("it is not JSON (%v)", err)
	}
	switch {
	case marked.Format == nil:
		return f, bad(`its first line of all, "feed": %d, is missing`, Format)
	case *marked.Format != Format:
		return f, bad("it is of format %d, and this program reads %d", *marked.Format, Format)
	}
	if err := json.Unmarshal(raw, &f); err != nil {
		return Feed{}, bad("%v", err)
	}
	if !madeForm.MatchString(f.Made) {
		return Feed{}, bad("made is %q, and not a time such as 2026-11-29T08:00:00Z", f.Made)
	}
	if err := word("title", f.Title, longestWord, true); err != nil {
		return Feed{}, bad("%v", err)
	}
	if len(f.Releases) > mostReleases {
		return Feed{}, bad("it has more than %d releases", mostReleases)
	}
	seen := map[string]bool{}
	for i := range f.Releases {
		r := &f.Releases[i]
		if err := r.check(from); err != nil {
			return Feed{}, bad("release %d, %s %s: %v", i+1, clip(r.Addon), clip(r.Version), err)
		}
		id := r.Key() + "\x00" + r.Version + "\x00" + r.Game + "\x00" + fmt.Sprint(r.Loaders)
		if seen[id] {
			return Feed{}, bad("%s %s is in it twice", r.Addon, r.Version)
		}
		seen[id] = true
	}
	return f, nil
}

func clip(s string) string { return s[:min(len(s), 60)] }

// word checks a text that is shown in one line.
func word(what, text string, longest int, may bool) error {
	switch {
	case text == "" && !may:
		return fmt.Errorf("%s is missing", what)
	case len(text) > longest:
		return fmt.Errorf("%s is longer than %d bytes", what, longest)
	case strings.ContainsFunc(text, func(r rune) bool { return unicode.IsControl(r) || r == unicode.ReplacementChar }):
		return fmt.Errorf("%s holds a character that nobody can see", what)
	}
	return nil
}

// check checks a release, and makes its address whole.
func (r *Release) check(from *url.URL) error {
	for _, w := range []struct {
		what, text string
		may        bool
	}{{"addon", r.Addon, false}, {"version", r.Version, false}, {"game", r.Game, true}, {"side", r.Side, true}} {
		if err := word(w.what, w.text, longestWord, w.may); err != nil {
			return err
		}
	}
	for name, span := range r.Loaders {
		if err := cmp.Or(word("a loader", name, longestWord, false), word("a loader's range", span, longestWord, true)); err != nil {
			return err
		}
	}
	switch {
	case len(r.Notes) > longestNotes:
		return fmt.Errorf("notes are longer than %d bytes", longestNotes)
	case r.Date != "" && !dateForm.MatchString(r.Date):
		return fmt.Errorf("date is %q, and not one such as 2026-11-28", r.Date)
	case !slices.Contains([]string{"", "server", "players", "both"}, r.Side):
		return fmt.Errorf("side is %q, and not server, players or both", r.Side)
	case r.Size <= 0:
		return fmt.Errorf("size is missing: the file's length in bytes")
	case r.SHA256 == tree.Digest{}:
		return fmt.Errorf("sha256 is missing")
	}
	u, err := from.Parse(r.URL)
	if err != nil || r.URL == "" || u.Host == "" || u.User != nil || u.Scheme != "http" && u.Scheme != "https" {
		return fmt.Errorf("url is %q, and no address of a file", clip(r.URL))
	}
	r.URL = u.String()
	return nil
}

// Key is the identity of the add-on, as a crate of it would have it.
func (r Release) Key() string { return layout.Key(r.Addon) }

// Facts are what it tells of what it is for, as a crate would tell it.
func (r Release) Facts(of string) []layout.Fact {
	var out []layout.Fact
	if r.Game != "" {
		out = append(out, layout.Fact{Kind: rulebook.Game, Range: r.Game, From: of})
	}
	for name, span := range r.Loaders {
		out = append(out, layout.Fact{Kind: rulebook.Loader, Name: name, Range: span, From: of})
	}
	if r.Side != "" {
		out = append(out, layout.Fact{Kind: rulebook.Side, Name: r.Side, From: of})
	}
	slices.SortFunc(out, func(a, b layout.Fact) int { return strings.Compare(string(a.Kind)+a.Name, string(b.Kind)+b.Name) })
	return out
}

// Write writes a feed.
func (f Feed) Write() ([]byte, error) {
	f.Format = Format
	raw, err := json.MarshalIndent(f, "", "  ")
	return append(raw, '\n'), err
}
