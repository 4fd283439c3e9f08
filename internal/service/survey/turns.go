package survey

import (
	"context"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
)

// Told is what is different in a file between two moments.
type Told struct {
	Diff   string      // of a text, with secrets masked
	Values []text.Turn // by meaning, where its format is known
	Why    string      // of a packed file: which of its entries
}

// Turned says what is different in files of a server that the stockroom holds as they were and
// as they are: in the first 60 that are no longer than it reads.
func (s *Service) Turned(ctx context.Context, server string, turns []draft.PathTurn, others ...string) (map[tree.Path]Told, error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return nil, err
	}
	l := &looking{Service: s, srv: srv}
	if l.book, _, err = s.Books.Book(ctx, srv.Rulebook); err != nil {
		return nil, err
	}
	marks, err := s.Records.SecretMarks(ctx, srv.ID)
	if err != nil {
		return nil, err
	}
	for _, name := range others { // what is secret on one of them is told of none
		other, err := s.Hosts.Find(ctx, name)
		if err != nil {
			return nil, err
		}
		more, err := s.Records.SecretMarks(ctx, other.ID)
		if err != nil {
			return nil, err
		}
		for p, at := range more {
			marks[p] = append(marks[p], at...)
		}
	}
	out := map[tree.Path]Told{}
	for _, t := range turns {
		if t.Was.Being != tree.Content || t.Is.Being != tree.Content || t.Was.Digest == t.Is.Digest || len(out) >= mostDiffs {
			continue
		}
		was, had, err := s.Bytes(ctx, t.Was.Digest, mostPacked)
		if err != nil {
			return nil, err
		}
		is, has, err := s.Bytes(ctx, t.Is.Digest, mostPacked)
		if err != nil {
			return nil, err
		}
		if !had || !has {
			continue
		}
		if settings.Packed(was) && settings.Packed(is) {
			out[t.Path] = Told{Why: packed(was, is)}
			continue
		}
		hidden := func(at string) bool { return text.SecretPath(at) || l.book.Secret(t.Path, at) || marks.Has(t.Path, at) }
		told := Told{Diff: diff(l, t.Path, was, is, hidden)}
		before, ok := text.Plain(was)
		after, ok2 := text.Plain(is)
		if format := l.format(t.Path, before); ok && ok2 && !slices.Contains([]text.Format{"", text.Lines}, format) {
			told.Values, _ = text.Turns(before, after, format, hidden)
		}
		out[t.Path] = told
	}
	return out, nil
}

// format is what the rulebook says a text is written in, or else what it looks like.
func (l *looking) format(p tree.Path, plain []byte) text.Format {
	if r, ok := l.book.TextRule(p); ok && r.Format != "" {
		return r.Format
	}
	return text.Guess(p.Base(), plain)
}
