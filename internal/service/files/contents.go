package files

import (
	"context"
	"errors"
	"io"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/settings"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// Side says which content of an event is meant.
type Side string

// The sides: what stood there before the event, and what it left.
const (
	Before Side = "before"
	After  Side = "after"
)

// state finds what stood at a path before or after an event of its ledger; with seq 0, what stands
// there now.
func (s *Service) state(ctx context.Context, srv model.Server, p tree.Path, seq int64, side Side) (tree.State, error) {
	events, err := s.Records.EventsAt(ctx, srv.ID, p)
	if err != nil {
		return tree.State{}, err
	}
	for _, e := range events { // the newest first
		if seq == 0 || e.Seq == seq {
			if side == Before {
				return e.Change.Before, nil
			}
			return e.Change.After, nil
		}
	}
	if len(events) > 0 {
		return tree.State{}, fault.New(fault.Unknown, "event-unknown", "nothing that happened to %s on %s has the number %d", p, srv.Name, seq).By(finding.ShowHistory.On(srv.Name))
	}
	return tree.State{}, fault.New(fault.Unknown, "never-changed", "no deployment has ever changed %s on %s", p, srv.Name).By(finding.ShowFiles.On(srv.Name))
}

// Content opens what stood at a path before or after an event. The caller closes it.
func (s *Service) Content(ctx context.Context, server string, p tree.Path, seq int64, side Side) (io.ReadCloser, tree.State, error) {
	srv, err := s.Find(ctx, server)
	if err != nil {
		return nil, tree.State{}, err
	}
	st, err := s.state(ctx, srv, p, seq, side)
	if err != nil {
		return nil, st, err
	}
	if st.Being != tree.Content {
		return nil, st, fault.New(fault.Unknown, "no-content", "no file stood at %s on %s then", p, server)
	}
	f, err := s.Open(ctx, st.Digest)
	if err != nil && s.NotHeld(err) {
		return nil, st, fault.New(fault.Unknown, "not-kept", "what stood at %s then is not kept any more", p).WithMend("Where the server or a download still has it, looking the stockroom over with mending brings it back.")
	}
	return f, st, err
}

// Look is one content of a path as a person looks at it.
type Look struct {
	State  tree.State
	Kept   bool   // the stockroom holds it
	Kind   string // text, picture, packed, other; empty where there is nothing, or it is not kept
	Text   string // of a text, with secrets masked
	Masked int    // values that are
	Inside []string
	Cut    bool // the text is longer than what is shown
}

// Compared is two contents of a path.
type Compared struct {
	Before, After Look
	Diff          string // where both are texts, or packed files with texts in them
}

// mostShown is how long a content may be to be shown, in bytes.
const mostShown = 1 << 20

// Compare shows what an event made of a path; with now set, what stood there after it beside what
// is recorded now.
func (s *Service) Compare(ctx context.Context, server string, p tree.Path, seq int64, now bool) (c Compared, err error) {
	srv, err := s.Find(ctx, server)
	if err != nil {
		return c, err
	}
	from, to := Before, After
	if now {
		from = After
	}
	was, err := s.state(ctx, srv, p, seq, from)
	if err != nil {
		return c, err
	}
	is, err := s.state(ctx, srv, p, map[bool]int64{true: 0, false: seq}[now], to)
	if err != nil {
		return c, err
	}
	m, err := s.masking(ctx, srv)
	if err != nil {
		return c, err
	}
	var raws [2][]byte
	if c.Before, raws[0], err = s.look(ctx, m, p, was); err != nil {
		return c, err
	}
	if c.After, raws[1], err = s.look(ctx, m, p, is); err != nil {
		return c, err
	}
	c.Diff = m.diff(p, c.Before, c.After, raws[0], raws[1])
	return c, nil
}

// masking tells which values of a server's texts are secret.
type masking struct {
	book  *rulebook.Book
	marks model.SecretMarks
}

func (s *Service) masking(ctx context.Context, srv model.Server) (m masking, err error) {
	if m.book, err = s.Book(ctx, srv.Rulebook); err != nil {
		return m, err
	}
	m.marks, err = s.Records.SecretMarks(ctx, srv.ID)
	return m, err
}

func (m masking) hidden(p tree.Path) func(at string) bool {
	return func(at string) bool { return text.SecretPath(at) || m.book.Secret(p, at) || m.marks.Has(p, at) }
}

// plain is a text as it reads, with secrets masked; ok is false for what is no text.
func (m masking) plain(p tree.Path, raw []byte) (out []byte, masked int, ok bool) {
	plain, ok := text.Plain(raw)
	if !ok {
		return nil, 0, false
	}
	if propose.Secret(p) { // a key file is nothing but its secret
		return []byte(text.Masked), 1, true
	}
	format := text.Guess(p.Base(), plain)
	if rule, ruled := m.book.TextRule(p); ruled && rule.Format != "" {
		format = rule.Format
	}
	out, masked = text.Mask(plain, format, m.hidden(p))
	return out, masked, true
}

// look reads a content as far as it is shown.
func (s *Service) look(ctx context.Context, m masking, p tree.Path, st tree.State) (l Look, raw []byte, err error) {
	l.State = st
	if st.Being != tree.Content {
		return l, nil, nil
	}
	f, err := s.Open(ctx, st.Digest)
	if err != nil {
		if s.NotHeld(err) {
			return l, nil, nil
		}
		return l, nil, err
	}
	raw, err = io.ReadAll(io.LimitReader(f, mostShown+1))
	err = errors.Join(err, f.Close())
	if err != nil {
		if s.NotHeld(err) {
			return l, nil, nil
		}
		return l, nil, err
	}
	l.Kept, l.Kind = true, "other"
	if len(raw) > mostShown {
		l.Cut = true
		raw = raw[:mostShown]
	}
	switch {
	case settings.Packed(raw) && !l.Cut:
		l.Kind = "packed"
		l.Inside = settings.Members(raw)
	case picture(raw):
		l.Kind = "picture"
	default:
		if body, masked, ok := m.plain(p, raw); ok {
			l.Kind, l.Text, l.Masked = "text", strings.TrimPrefix(string(body), text.Mark), masked
		}
	}
	return l, raw, nil
}

// diff shows what is different between two contents.
func (m masking) diff(p tree.Path, was, is Look, before, after []byte) string {
	switch {
	case was.Kind == "text" && is.Kind == "text":
		if was.Text == is.Text && !slices.Equal(before, after) && was.Masked+is.Masked > 0 {
			return named(p) + "@@ only values that are secret are different; they are not shown @@\n"
		}
		return draft.Diff(p, []byte(was.Text), []byte(is.Text))
	case was.Kind == "text" && is.State.Being == tree.Absent:
		return draft.Diff(p, []byte(was.Text), nil)
	case is.Kind == "text" && was.State.Being == tree.Absent:
		return draft.Diff(p, nil, []byte(is.Text))
	case was.Kind == "packed" && is.Kind == "packed":
		var out strings.Builder
		for _, name := range settings.Differing(before, after) {
			inner := p + tree.Path("!/"+name)
			old, _ := settings.Member(before, name) // nothing where it is new
			new, _ := settings.Member(after, name)
			a, _, isText := m.plain(inner, old)
			b, _, isToo := m.plain(inner, new)
			if isText && isToo {
				out.WriteString(draft.Diff(inner, a, b))
			} else {
				out.WriteString(named(inner) + "@@ " + string(inner) + " is different, and no text @@\n")
			}
		}
		return out.String()
	}
	return ""
}

// named are the two lines with which a difference begins.
func named(p tree.Path) string { return "--- before " + string(p) + "\n+++ after " + string(p) + "\n" }

// picture tells whether bytes begin as a picture that a browser shows does.
func picture(raw []byte) bool {
	for _, begin := range []string{"\x89PNG\r\n\x1a\n", "\xff\xd8\xff", "GIF8"} {
		if strings.HasPrefix(string(raw[:min(len(raw), 8)]), begin) {
			return true
		}
	}
	return len(raw) > 12 && string(raw[:4]) == "RIFF" && string(raw[8:12]) == "WEBP"
}
