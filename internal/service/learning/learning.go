// Package learning grows rulebooks: a server that was added without one teaches it, by what
// lies on it, by the downloads that come for it, and by what people answer.
package learning

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/propose"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/turns"
)

// Records is what this service needs written down.
type Records interface {
	Lesson(ctx context.Context, server int64) (model.Lesson, error)
	SaveLesson(ctx context.Context, l model.Lesson) error
}

// Hosts looks at servers.
type Hosts interface {
	Find(ctx context.Context, name string) (model.Server, error)
	Look(ctx context.Context, name string) ([]tree.Entry, error)
	Texts(ctx context.Context, name string, entries []tree.Entry) (map[tree.Path]string, error)
}

// Books keeps rulebooks and knows downloads.
type Books interface {
	Book(ctx context.Context, name string) (*rulebook.Book, model.Revision, error)
	AddRulebook(ctx context.Context, text []byte, over bool, actor string) (model.Revision, bool, error)
	Download(ctx context.Context, d tree.Digest) (propose.Download, error)
}

// Service is the use cases.
type Service struct {
	Records Records
	Hosts   Hosts
	Books   Books

	turns turns.Turns // what is learnt of two downloads at once would be merged wrongly
}

// Taught is what comes of a lesson.
type Taught struct {
	propose.Learnt
	Rulebook model.Revision
	Fresh    bool     // the rulebook has a new revision
	Kept     []string // lines written by hand that stay although the answers would have others
	From     []string // digests of the downloads that it learnt from
	Asked    string   // the digest of the download that the first question is about
}

// Said is what a person says in a lesson.
type Said struct {
	Archives []tree.Digest     // further downloads to learn from
	Answers  map[string]string // by question
	// About is the digest of the download that an answer to what it is goes with; empty for the
	// one that is asked about first.
	About string
}

// Begin makes the empty rulebook of a server that is about to be added, and gives its name.
func (s *Service) Begin(ctx context.Context, server, actor string) (name string, made []byte, err error) {
	for n, tried := 2, server; ; n++ {
		_, _, err := s.Books.Book(ctx, tried)
		var f *fault.Error
		if errors.As(err, &f) && f.Code == "rulebook-unknown" {
			name = tried
			break
		}
		if err != nil {
			return "", nil, err
		}
		tried = fmt.Sprintf("%s-%d", server[:min(len(server), 28)], n)
	}
	l, err := propose.Learn(name, title(server), propose.Evidence{}, nil)
	if err != nil {
		return "", nil, fault.From(fault.Usage, "bad-name", err)
	}
	_, _, err = s.Books.AddRulebook(ctx, l.Text, true, actor)
	return name, l.Text, err
}

// title is what a server's game is called until somebody says otherwise.
func title(server string) string { return "The game of " + server }

// Added notes that a server was added whose rulebook grows.
func (s *Service) Added(ctx context.Context, srv model.Server, made []byte) error {
	return s.Records.SaveLesson(ctx, model.Lesson{ServerID: srv.ID, Rulebook: srv.Rulebook, Answers: map[string]string{}, Archives: []string{}, Apart: []string{}, Made: made})
}

// Teach looks at the server, takes in what is said, and gives what is known then and what has
// to be answered still. Where that makes another rulebook, it is the next revision; what was
// edited by hand stays.
func (s *Service) Teach(ctx context.Context, server string, said Said, actor string) (t Taught, err error) {
	srv, err := s.Hosts.Find(ctx, server)
	if err != nil {
		return t, err
	}
	end, err := s.turns.Take(ctx, srv.ID)
	if err != nil {
		return t, err
	}
	defer end()
	l, err := s.Records.Lesson(ctx, srv.ID)
	if errors.Is(err, model.ErrNotFound) || err == nil && l.Rulebook != srv.Rulebook {
		return t, fault.New(fault.Conflict, "not-learning", "%s was added with a rulebook, so there is nothing to ask", server).WithMend("Change the rulebook itself.").By(finding.AddRulebook.With())
	}
	if err != nil {
		return t, err
	}
	e, err := s.look(ctx, server)
	if err != nil {
		return t, err
	}
	for _, d := range said.Archives {
		if !slices.Contains(l.Archives, d.String()) {
			l.Archives = append(l.Archives, d.String())
		}
		// Whoever brings it again may mean that it is one after all.
		l.Apart = slices.DeleteFunc(l.Apart, func(x string) bool { return x == d.String() })
	}
	var digests []string
	for _, text := range l.Archives {
		if slices.Contains(l.Apart, text) {
			continue
		}
		d, err := tree.ParseDigest(text)
		if err != nil {
			return t, err
		}
		down, err := s.Books.Download(ctx, d)
		if err != nil {
			return t, err
		}
		e.Downloads, digests = append(e.Downloads, down), append(digests, text)
	}
	if err := s.answer(&l, &e, &digests, said); err != nil {
		return t, err
	}
	_, rev, err := s.Books.Book(ctx, srv.Rulebook)
	if err != nil {
		return t, err
	}
	if t.Learnt, err = propose.Learn(rev.Name, title(server), e, l.Answers); err != nil {
		return t, fault.New(fault.Usage, "bad-answer", "%v", err)
	}
	for i, d := range e.Downloads {
		if t.About != "" && !propose.Fits(l.Answers, d) {
			t.Asked = digests[i]
			break
		}
	}
	text, kept := grown(string(l.Made), string(rev.Text), string(t.Text))
	if t.Rulebook, t.Fresh, err = s.Books.AddRulebook(ctx, []byte(text), true, actor); err != nil {
		var f *fault.Error
		if errors.As(err, &f) && text != string(t.Text) {
			return t, fault.New(fault.Conflict, "rulebook-edited", "rulebook %s was edited by hand, and what was answered does not go together with that", rev.Name).Because(err).WithMend("Nothing was changed. Write it into the rulebook yourself.").By(finding.AddRulebook.With())
		}
		return t, err
	}
	t.From = digests
	l.Answers = t.Answers
	t.Text, t.Kept, l.Made = []byte(text), kept, t.Text
	if err := s.Records.SaveLesson(ctx, l); errors.Is(err, model.ErrConflict) {
		return t, fault.New(fault.Conflict, "answered-meanwhile", "somebody else answered for %s meanwhile", server).WithMend("Look at the questions again.").By(finding.LearnServer.On(server))
	} else if err != nil {
		return t, err
	}
	return t, nil
}

// answer takes answers into a lesson. A download that is no add-on of the server is set apart.
func (s *Service) answer(l *model.Lesson, e *propose.Evidence, digests *[]string, said Said) error {
	for _, key := range slices.Sorted(maps.Keys(said.Answers)) {
		value := strings.TrimSpace(said.Answers[key])
		about := slices.IndexFunc(e.Downloads, func(d propose.Download) bool { return !propose.Fits(l.Answers, d) })
		if key == propose.Kind && said.About != "" {
			if about < 0 || (*digests)[about] != said.About {
				return fault.New(fault.Conflict, "answered-meanwhile", "that was answered meanwhile, or something else is asked first now").WithMend("Look at the questions again.")
			}
		}
		if key == propose.Kind && value == "none" {
			if about >= 0 {
				l.Apart = append(l.Apart, (*digests)[about])
				e.Downloads, *digests = slices.Delete(e.Downloads, about, about+1), slices.Delete(*digests, about, about+1)
			}
			continue
		}
		next, err := propose.Answers(l.Answers).With(key, value)
		if err != nil {
			return fault.New(fault.Usage, "bad-answer", "%v", err).WithMend("Nothing was changed.")
		}
		l.Answers = next
	}
	return nil
}

// look is what there is to learn from a server.
func (s *Service) look(ctx context.Context, server string) (e propose.Evidence, err error) {
	if e.Tree, err = s.Hosts.Look(ctx, server); err != nil {
		return e, err
	}
	e.Texts, err = s.Hosts.Texts(ctx, server, e.Tree)
	return e, err
}

// grown is the rulebook as it is with what the answers change in what they made before. Where
// both changed the same lines, those by hand stay and are given.
func grown(before, now, next string) (text string, kept []string) {
	if before == now {
		return next, nil
	}
	text = merge.Lines(before, now, next, func(_, mine, _ []string) []string {
		for _, l := range mine {
			kept = append(kept, strings.TrimRight(l, "\n"))
		}
		return mine
	})
	return text, kept
}
