package catalog

import (
	"context"
	"sync"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// books caches parsed revisions. A revision never changes, so each is parsed and its
// expressions compiled once; nobody changes a book. The zero value is empty.
type books struct {
	mu   sync.Mutex
	read map[string]*rulebook.Book // by digest of the text
}

// mostBooks is the size of the cache: far more than a service uses.
const mostBooks = 200

// parse gives a revision's book.
func (s *books) parse(rev model.Revision) (*rulebook.Book, error) {
	s.mu.Lock()
	b := s.read[rev.Digest]
	s.mu.Unlock()
	if b != nil {
		return b, nil
	}
	b, err := rulebook.Parse(rev.Text) // without the lock: two that read the same get the same
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.read == nil || len(s.read) >= mostBooks {
		s.read = map[string]*rulebook.Book{}
	}
	s.read[rev.Digest] = b
	return b, nil
}

// CompareRulebook gives two revisions of a rulebook and what changed between them; to 0 is the newest.
func (s *Service) CompareRulebook(ctx context.Context, name string, from, to int) (was, is model.Revision, diff string, err error) {
	if _, was, err = s.Revision(ctx, name, from); err != nil {
		return was, is, "", err
	}
	if _, is, err = s.Revision(ctx, name, to); err != nil {
		return was, is, "", err
	}
	return was, is, draft.Diff(tree.Path(name+".yaml"), was.Text, is.Text), nil
}
