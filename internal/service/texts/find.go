package texts

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"sync"

	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/remote"
)

// Hit is a line of a text in which a word stands.
type Hit struct {
	Path tree.Path // with !/ where it is inside a packed file
	Line int
	Text string // the line, without the blanks around it; secrets are masked
	At   string // the value that it stands in, where the format is known; empty for a comment
}

// Found is every place in which a word stands.
type Found struct {
	Hits    []Hit
	Files   int  // that were searched
	Partial bool // there are more hits than are given
}

// mostHits is how many places are given.
const mostHits = 2000

// Find looks for a word in every text of a server's tree, also inside packed files. Case
// counts unless blind is set.
func (s *Service) Find(ctx context.Context, server, word string, blind bool) (Found, error) {
	if word == "" || strings.ContainsAny(word, "\r\n") {
		return Found{}, fault.New(fault.Usage, "bad-request", "say which word to look for; it stands in one line")
	}
	se, err := s.open(ctx, server)
	if err != nil {
		return Found{}, err
	}
	defer se.host.Close()
	f := &finder{session: se, word: []byte(word), blind: blind}
	if err := se.each(ctx, func(tree.Path, remote.Info) {}, f.text); err != nil {
		return Found{}, err
	}
	slices.SortFunc(f.found.Hits, func(a, b Hit) int {
		if c := strings.Compare(string(a.Path), string(b.Path)); c != 0 {
			return c
		}
		return a.Line - b.Line
	})
	if len(f.found.Hits) > mostHits {
		f.found.Hits, f.found.Partial = f.found.Hits[:mostHits], true
	}
	return f.found, nil
}

type finder struct {
	*session
	word  []byte
	blind bool
	mu    sync.Mutex
	found Found
}

// text looks into one text; many are looked into at a time.
func (f *finder) text(p tree.Path, raw []byte) {
	enc, is := text.EncodingOf(raw)
	if !is {
		return
	}
	f.mu.Lock()
	f.found.Files++
	f.mu.Unlock()
	source, err := enc.Decode(raw)
	if err != nil || f.index(source) < 0 {
		return
	}
	rule, _ := f.book.TextRule(p)
	format := rule.Format
	if format == "" {
		format = text.Guess(p.Base(), source)
	}
	d, err := text.Parse(source, format)
	masked, _ := text.Mask(source, format, f.hidden(p))
	shown := strings.Split(string(masked), "\n")
	var hits []Hit
	at := 0
	for i, line := range bytes.SplitAfter(source, []byte("\n")) {
		if n := f.index(line); n >= 0 && i < len(shown) {
			h := Hit{Path: p, Line: i + 1, Text: strings.TrimSpace(shown[i])}
			if err == nil && format != text.Lines {
				if n := d.Holding(at + n); n != nil {
					h.At = d.Path(n)
				}
			}
			hits = append(hits, h)
		}
		at += len(line)
	}
	f.mu.Lock()
	f.found.Hits = append(f.found.Hits, hits...)
	f.mu.Unlock()
}

func (f *finder) index(in []byte) int {
	if f.blind {
		return bytes.Index(bytes.ToLower(in), bytes.ToLower(f.word))
	}
	return bytes.Index(in, f.word)
}
