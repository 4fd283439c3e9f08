package texts

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"sync"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/tweak"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/remote"
)

// Place is a place of a text in which a name stands.
type Place struct {
	Path   tree.Path // with !/ where it is inside a packed file
	Nth    int       // of the places in this text, from 1
	Line   int
	Text   string   // the line; secrets are masked
	At     string   // the value that it stands in, where the format is known
	Owners []string // labels
	Addons []string // their keys
	Log    bool     // it is in the server's log, which tells what was: it is never rewritten
	// Listed says that the text names what the server loads: what stands there must fit the
	// names of folders and files.
	Listed bool
}

// Named is everything of a server that holds a name.
type Named struct {
	Places []Place     // in the order of their paths
	Binary []tree.Path // that are no texts and hold it; they are left alone
	Paths  []tree.Path // of files and folders that are called so
	Files  int         // texts that were searched
}

// Named looks for a name in every text of a server and in the names of its files. Longer takes
// it within longer names too.
func (s *Service) Named(ctx context.Context, server, name string, longer bool) (Named, error) {
	if strings.TrimSpace(name) != name || len(name) < 2 || strings.ContainsAny(name, "\r\n") {
		return Named{}, fault.New(fault.Usage, "bad-request", "say which name is changed: at least two letters, in one line")
	}
	se, err := s.open(ctx, server)
	if err != nil {
		return Named{}, err
	}
	defer se.host.Close()
	f := &namer{session: se, name: name, whole: !longer, lists: se.lists(), log: se.filled(se.book.Log.File)}
	err = se.each(ctx, func(p tree.Path, i remote.Info) {
		if len(tweak.Places([]byte(i.Name), name, f.whole)) > 0 {
			f.mu.Lock()
			f.found.Paths = append(f.found.Paths, p)
			f.mu.Unlock()
		}
	}, f.text)
	if err != nil {
		return Named{}, err
	}
	f.sort()
	slices.Sort(f.found.Binary)
	slices.Sort(f.found.Paths)
	if err := f.owners(ctx); err != nil {
		return Named{}, err
	}
	return f.found, nil
}

// sort puts the places in order.
func (f *namer) sort() {
	slices.SortFunc(f.found.Places, func(a, b Place) int {
		if c := strings.Compare(string(a.Path), string(b.Path)); c != 0 {
			return c
		}
		return a.Nth - b.Nth
	})
}

// lists gives the texts that name what the server loads.
func (s *session) lists() map[tree.Path]bool {
	out := map[tree.Path]bool{}
	for _, l := range s.book.Lists {
		if p := s.filled(l.File); p != tree.Root {
			out[p] = true
		}
	}
	return out
}

// filled is a path of the rulebook with this server's variables; the root where one is not known.
func (s *session) filled(file string) tree.Path {
	file, err := rulebook.Fill(file, func(name string) (string, bool) { v, ok := s.srv.Variables[name]; return v, ok })
	p, bad := tree.ParsePath(file)
	if err != nil || bad != nil {
		return tree.Root
	}
	return p
}

type namer struct {
	*session
	name  string
	whole bool
	lists map[tree.Path]bool
	log   tree.Path
	mu    sync.Mutex
	found Named
}

// text looks into one text; many are looked into at a time.
func (f *namer) text(p tree.Path, raw []byte) {
	enc, is := text.EncodingOf(raw)
	var source []byte
	var err error
	if is {
		source, err = enc.Decode(raw)
	}
	if !is || err != nil {
		if bytes.Contains(raw, []byte(f.name)) {
			f.mu.Lock()
			f.found.Binary = append(f.found.Binary, p)
			f.mu.Unlock()
		}
		return
	}
	places := f.places(p, source)
	f.mu.Lock()
	f.found.Files++
	f.found.Places = append(f.found.Places, places...)
	f.mu.Unlock()
}

// places gives where the name stands in a text.
func (f *namer) places(p tree.Path, source []byte) (out []Place) {
	places := tweak.Places(source, f.name, f.whole)
	if len(places) == 0 {
		return nil
	}
	rule, _ := f.book.TextRule(p)
	format := rule.Format
	if format == "" {
		format = text.Guess(p.Base(), source)
	}
	d, broken := text.Parse(source, format)
	shown, _ := text.Mask(source, format, f.hidden(p))
	lines := strings.Split(string(shown), "\n")
	for i, at := range places {
		h := Place{Path: p, Nth: i + 1, Line: 1 + bytes.Count(source[:at[0]], []byte("\n")), Listed: f.lists[p], Log: p == f.log}
		if h.Line <= len(lines) {
			h.Text = strings.TrimSpace(lines[h.Line-1])
		}
		if broken == nil && format != text.Lines {
			if n := d.Holding(at[0]); n != nil {
				h.At = d.Path(n)
			}
		}
		out = append(out, h)
	}
	return out
}

// Rewriting changes a name in one text.
type Rewriting struct {
	Path  tree.Path
	Tweak tweak.Tweak
}

// Rewritings gives what changes a name wherever it was found, but in the server's log and where
// something stays: a tweak for each text, in the order of their paths. Each counts every place of
// its text, so that it is refused where the text has become another one meanwhile.
func (n Named) Rewritings(from, to string, longer bool, stays func(Place) bool) (out []Rewriting) {
	for _, p := range n.Places {
		if last := len(out) - 1; last < 0 || out[last].Path != p.Path {
			out = append(out, Rewriting{p.Path, tweak.Tweak{Do: tweak.Replace, Text: from, Value: to, Words: !longer}})
		}
		k := &out[len(out)-1].Tweak
		k.Count++
		if p.Log || stays(p) {
			k.Skip = append(k.Skip, p.Nth)
		}
	}
	return slices.DeleteFunc(out, func(r Rewriting) bool { return len(r.Tweak.Skip) == r.Tweak.Count })
}

// Rewrite gives what changes a name in all texts of a server but those that name what it loads,
// its log, and those that are of the add-on with that name alone: they go with it. texts is how
// many were searched.
func (s *Service) Rewrite(ctx context.Context, server, from, to string) (out []Rewriting, texts int, err error) {
	found, err := s.Named(ctx, server, from, false)
	if err != nil {
		return nil, 0, err
	}
	key := layout.Key(from)
	return found.Rewritings(from, to, false, func(p Place) bool { return p.Listed || p.only(key) }), found.Files, nil
}

// only tells whether a text is of one add-on and of no other.
func (p Place) only(addon string) bool {
	return len(p.Addons) > 0 && !slices.ContainsFunc(p.Addons, func(a string) bool { return a != addon })
}

// owners says of every place whose text it is; the places are in order.
func (f *namer) owners(ctx context.Context) error {
	var paths []tree.Path
	for _, h := range f.found.Places {
		outer, _, _ := strings.Cut(string(h.Path), "!/")
		paths = append(paths, tree.Path(outer))
	}
	rows, err := f.Records.LedgerOf(ctx, f.srv.ID, nil, slices.Compact(paths))
	for i := range f.found.Places {
		outer, _, _ := strings.Cut(string(f.found.Places[i].Path), "!/")
		for _, c := range rows[tree.Path(outer)].Claims {
			f.found.Places[i].Owners = append(f.found.Places[i].Owners, c.Label)
			f.found.Places[i].Addons = append(f.found.Places[i].Addons, c.Addon)
		}
	}
	return err
}
